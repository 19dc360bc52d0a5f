#pragma once
// Fixed pieces of work on several threads.

#include <cstddef>
#include <functional>
#include <mutex>

#include "lofty/run.hpp"

namespace lofty::engine {

// Under this many rows everything runs on the calling thread: starting a pool costs more than it saves (some 50 us
// against 10 ns a row).
inline constexpr std::size_t rows_worth_threads = 100'000;

// How many threads `run` means on this machine; at least 1.
int thread_count(const Run& run);

// Calls work(piece) once for every piece in [0, pieces), on up to thread_count(run) threads; returns when all are
// done. Which thread takes a piece is luck, so a result may depend on the piece's number only. The first exception
// (of the lowest piece that threw) is thrown again here, and pieces not yet begun are dropped. Nested calls are
// allowed. Built on oneTBB, or on std::thread in builds with LOFTY_STD_THREADS (the thread sanitizer cannot see
// through the former).
void parallel_for(std::size_t pieces, const Run& run, const std::function<void(std::size_t)>& work);

// Throws Error(Code::stopped) when the caller asked to stop.
void check_stop(const Run& run);

// A part of a larger piece of work: what it calls the whole is the stretch from `from` to `to` for the caller.
Run part_of(const Run& run, double from, double to);

// Tells the caller how far a piece of work of `total` steps has come, and asks whether to stop. Thread-safe.
class Progress {
 public:
  Progress(const Run& run, std::size_t total) : run_(run), total_(total) {}
  // `steps` more are done. Throws Error(Code::stopped) when the caller asked to stop.
  void add(std::size_t steps);
  // All are done, whatever was added.
  void finish();

 private:
  const Run& run_;
  std::size_t total_, done_ = 0;
  std::mutex mutex_;
};

}  // namespace lofty::engine
