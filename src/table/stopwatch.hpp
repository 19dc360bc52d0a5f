#pragma once
// Seconds of wall time.

#include <chrono>

namespace lofty::engine {

class Stopwatch {
 public:
  // Seconds since it was made, or since the last lap.
  double lap() {
    const auto now = std::chrono::steady_clock::now();
    const double seconds = std::chrono::duration<double>(now - since_).count();
    since_ = now;
    return seconds;
  }

 private:
  std::chrono::steady_clock::time_point since_ = std::chrono::steady_clock::now();
};

}  // namespace lofty::engine
