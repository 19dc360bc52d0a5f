#pragma once
// Pieces of work on several threads: the one place that decides how rows are divided.
// Covered by tests/base/parallel_test.cpp.

#include <algorithm>
#include <cstddef>
#include <functional>
#include <initializer_list>
#include <mutex>
#include <vector>

#include "lofty/run.hpp"

namespace lofty::engine {

// Under this many rows everything runs on the calling thread: starting a pool costs more than it saves (some 50 us
// against 10 ns a row).
inline constexpr std::size_t rows_worth_threads = 100'000;

// How many threads `run` means on this machine; at least 1.
int thread_count(const Run& run);

// The rows [begin, end).
struct RowRange {
  std::size_t begin = 0, end = 0;
  std::size_t size() const { return end - begin; }
};

// Ranges of rows, in order, that cover all of them: one piece of work each. A range begins at a multiple of `multiple`
// rows.
class RowRanges {
 public:
  static constexpr std::size_t usual_rows = 256 * 1024;

  // Ranges of some `rows_each` rows: the same ones for any number of threads, so that a result may depend on them.
  // One piece where there are too few rows for threads to pay.
  static RowRanges fixed(std::size_t rows, std::size_t rows_each = usual_rows, std::size_t multiple = 1);
  // At most 16 of them, for work that needs its own table for each.
  static RowRanges few(std::size_t rows, std::size_t multiple = 1) {
    return fixed(rows, std::max(usual_rows, rows / 16 + multiple), multiple);
  }
  // The same ones for any number of threads, for work that takes a microsecond a row or more: threads pay from the
  // second piece on.
  static RowRanges costly(std::size_t rows, std::size_t rows_each) {
    return {rows, std::max<std::size_t>(1, (rows + rows_each - 1) / rows_each), 1};
  }
  // One piece a thread. The result may not depend on them.
  static RowRanges per_thread(std::size_t rows, const Run& run, std::size_t multiple = 1);
  static RowRanges one(std::size_t rows) { return {rows, 1, 1}; }

  std::size_t count() const { return count_; }  // at least 1
  RowRange operator[](std::size_t piece) const {
    return {begin_of(piece), piece + 1 == count_ ? rows_ : begin_of(piece + 1)};
  }

 private:
  RowRanges(std::size_t rows, std::size_t count, std::size_t multiple)
      : rows_(rows), count_(count), multiple_(multiple) {}
  std::size_t begin_of(std::size_t piece) const { return rows_ * piece / count_ / multiple_ * multiple_; }
  std::size_t rows_, count_, multiple_;
};

// Calls work(piece) once for every piece in [0, pieces), on up to thread_count(run) threads; returns when all are
// done. Which thread takes a piece is luck, so a result may depend on the piece's number only. Asks before each piece
// whether to stop. The first exception (of the lowest piece that threw) is thrown again here, and pieces not yet begun
// are dropped. Nested calls are allowed. Built on oneTBB, or on std::thread in builds with LOFTY_STD_THREADS (the
// thread sanitizer cannot see through the former).
void parallel_for(std::size_t pieces, const Run& run, const std::function<void(std::size_t)>& work);

// Calls work(rows), or work(rows, piece), for every piece.
template <class Work>
void parallel_for(const RowRanges& pieces, const Run& run, const Work& work) {
  const auto call = [&](std::size_t piece) {
    if constexpr (requires { work(RowRange(), piece); })
      work(pieces[piece], piece);
    else
      work(pieces[piece]);
  };
  parallel_for(pieces.count(), run, call);
}

// Throws Error(Code::stopped) when the caller asked to stop.
void check_stop(const Run& run);

// Tells the caller which step begins: what(), a text that is made only where somebody listens.
template <class What>
void tell_step(const Run& run, const What& what) {
  if (run.step) run.step(what());
}

// std::sort that asks now and then whether to stop; the elements are then in no order.
template <class Iterator, class Less>
void sort_unless_stopped(Iterator first, Iterator last, const Run& run, const Less& less) {
  std::size_t compared = 0;
  std::sort(first, last, [&](const auto& a, const auto& b) {
    if (++compared % 65536 == 0) check_stop(run);
    return less(a, b);
  });
}

// A part of a larger piece of work: what it calls the whole is the stretch from `from` to `to` for the caller.
Run run_within(const Run& run, double from, double to);

// The phases of one call, one after another: each reports its own progress from 0 to 1, and the caller sees one
// stretch that never goes back. Holds a copy of `run`.
class Phases {
 public:
  // `weights`: about how long each phase takes, in any unit.
  Phases(const Run& run, std::initializer_list<double> weights);
  const Run& operator[](std::size_t phase) const { return runs_[phase]; }
  // All phases are done.
  void finish() const;

 private:
  std::vector<Run> runs_;
};

// Tells the caller how far a piece of work of `total` steps has come, and asks whether to stop. Thread-safe.
class Progress {
 public:
  Progress(const Run& run, std::size_t total) : run_(run), total_(total) {}
  // `steps` more are done. Throws Error(Code::stopped) when the caller asked to stop.
  void add(std::size_t steps);
  // All are done, whatever was added.
  void finish();
  const Run& run() const { return run_; }

 private:
  const Run& run_;
  std::size_t total_, done_ = 0;
  std::mutex mutex_;
};

// The same, and each piece's rows count as done when it is.
template <class Work>
void parallel_for(const RowRanges& pieces, Progress& progress, const Work& work) {
  parallel_for(pieces, progress.run(), [&](const RowRange& rows, std::size_t piece) {
    work(rows, piece);
    progress.add(rows.size());
  });
}

}  // namespace lofty::engine
