// Threads: how many, which pieces they take, and what becomes of an exception.

#include "base/parallel.hpp"

#include <algorithm>
#include <atomic>
#include <exception>
#include <memory>
#include <mutex>
#include <stdexcept>
#include <system_error>
#include <thread>
#include <vector>

#include "base/budget.hpp"
#include "lofty/error.hpp"

#ifndef LOFTY_STD_THREADS
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#endif

namespace lofty::engine {
namespace {

// Keeps the exception of the lowest piece, so that the message does not depend on luck either.
class FirstFailure {
 public:
  explicit FirstFailure(const Run& run) : run_(run) {}
  void run(std::size_t piece, const std::function<void(std::size_t)>& work) {
    if (lowest_.load(std::memory_order_relaxed) < piece) return;
    try {
      check_stop(run_);
      work(piece);
    } catch (...) {
      const std::scoped_lock lock(mutex_);
      if (piece < lowest_.load(std::memory_order_relaxed)) {
        lowest_.store(piece, std::memory_order_relaxed);
        failure_ = std::current_exception();
      }
    }
  }
  void rethrow() const {
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  const Run& run_;
  std::mutex mutex_;
  std::atomic<std::size_t> lowest_{~std::size_t{0}};
  std::exception_ptr failure_;
};

}  // namespace

int thread_count(const Run& run) {
  if (run.threads > 0) return run.threads;
#ifndef LOFTY_STD_THREADS
  return std::max(1, tbb::this_task_arena::max_concurrency());
#else
  return std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
#endif
}

RowRanges RowRanges::fixed(std::size_t rows, std::size_t rows_each, std::size_t multiple) {
  const std::size_t pieces = rows < rows_worth_threads ? 1 : (rows + rows_each - 1) / rows_each;
  return {rows, pieces, multiple};
}

RowRanges RowRanges::per_thread(std::size_t rows, const Run& run, std::size_t multiple) {
  constexpr int most = 255;  // numbers of threads fit a byte
  const int threads = rows < rows_worth_threads ? 1 : std::min(thread_count(run), most);
  return {rows, static_cast<std::size_t>(threads), multiple};
}

void parallel_for(std::size_t pieces, const Run& run, const std::function<void(std::size_t)>& work) {
  if (pieces <= 1 || run.threads == 1) {
    for (std::size_t piece = 0; piece < pieces; ++piece) {
      check_stop(run);
      work(piece);
    }
    return;
  }

  // Several threads, each of which takes the next piece.
  FirstFailure failure(run);
#ifndef LOFTY_STD_THREADS
  std::vector<unsigned char> done(pieces, 0);
  const auto body = [&] {
    tbb::parallel_for(
        std::size_t{0}, pieces,
        [&](std::size_t piece) {
          failure.run(piece, work);
          done[piece] = 1;
        },
        tbb::simple_partitioner{});
  };
  try {
    if (run.threads > 0) {
      // More than the machine has would not be given, and oneTBB would say so on standard error.
      const auto most = tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism);
      tbb::task_arena arena(static_cast<int>(std::min(static_cast<std::size_t>(run.threads), most)));
      arena.execute(body);
    } else {
      body();
    }
  } catch (const std::runtime_error&) {
    // The machine gives no more threads. (What `work` throws does not come this way.) oneTBB has waited for the pieces
    // that it had begun, and given up the others: they are done here.
    for (std::size_t piece = 0; piece < pieces; ++piece)
      if (done[piece] == 0) failure.run(piece, work);
  }
#else
  std::atomic<std::size_t> next{0};
  const auto loop = [&] {
    for (std::size_t piece = next++; piece < pieces; piece = next++) failure.run(piece, work);
  };
  std::vector<std::thread> helpers;
  const auto wanted = std::min(pieces, static_cast<std::size_t>(thread_count(run)));
  try {
    for (std::size_t i = 1; i < wanted; ++i) helpers.emplace_back(loop);
  } catch (const std::system_error&) {
    // The machine gives no more threads: those that there are do the work.
  }
  loop();
  for (std::thread& helper : helpers) helper.join();
#endif
  failure.rethrow();
}

void check_stop(const Run& run) {
  Budget::shared().keep_to_limit_in_passing();
  if (run.stop.stop_requested()) throw Error(Problem{Code::stopped, "stopped, as the caller asked", {}, {}, {}});
}

Run run_within(const Run& run, double from, double to) {
  Run part = run;
  if (run.progress)
    part.progress = [progress = run.progress, from, to](double share) { progress(from + share * (to - from)); };
  return part;
}

Phases::Phases(const Run& run, std::initializer_list<double> weights) {
  double total = 0, begin = 0;
  for (const double weight : weights) total += weight;
  const auto furthest = std::make_shared<double>(0);
  const auto forward = [progress = run.progress, furthest](double share) {
    if (share < *furthest) return;
    *furthest = share;
    progress(share);
  };
  for (const double weight : weights) {
    Run part = run;
    if (run.progress)
      part.progress = [forward, from = begin / total, width = weight / total](double share) {
        forward(from + share * width);
      };
    runs_.push_back(std::move(part));
    begin += weight;
  }
}

void Phases::finish() const {
  if (runs_.back().progress) runs_.back().progress(1);
}

void Progress::add(std::size_t steps) {
  if (run_.progress) {
    const std::scoped_lock lock(mutex_);
    done_ = std::min(total_, done_ + steps);
    run_.progress(total_ > 0 ? static_cast<double>(done_) / static_cast<double>(total_)
                             : 1);  // of nothing, all is done
  }
  check_stop(run_);  // which the caller may just have asked for
}

void Progress::finish() {
  const std::scoped_lock lock(mutex_);
  if (run_.progress && done_ < total_) run_.progress(1);
}

}  // namespace lofty::engine
