#pragma once
// Seconds of wall time.

#include <chrono>

namespace lofty::engine {

class Stopwatch {
 public:
  // Seconds since it was made, or since the last lap.
  double seconds() const { return std::chrono::duration<double>(std::chrono::steady_clock::now() - since_).count(); }
  // The same, and the next lap begins.
  double lap() {
    const double seconds_now = seconds();
    since_ = std::chrono::steady_clock::now();
    return seconds_now;
  }

 private:
  std::chrono::steady_clock::time_point since_ = std::chrono::steady_clock::now();
};

}  // namespace lofty::engine
