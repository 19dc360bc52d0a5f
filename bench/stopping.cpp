// How long a call goes on after its caller asked it to stop: the worst of several moments, over 10 million rows.
//
//   stopping [rows] [moments]
//
// The target is 50 ms. A line for each call: how long it takes whole, and the worst delay.
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <thread>

#include "support/long_calls.hpp"

namespace {

using Clock = std::chrono::steady_clock;

double milliseconds(Clock::duration time) { return std::chrono::duration<double, std::milli>(time).count(); }

}  // namespace

int main(int argc, char** argv) {
  const std::size_t rows = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10'000'000;
  const int moments = argc > 2 ? std::atoi(argv[2]) : 5;
  support::LongCalls data(rows);
  double worst_of_all = 0;
  std::printf("%-36s %10s %12s\n", "call", "whole, ms", "worst, ms");
  for (const support::Long& one : data.calls()) {
    const auto begin = Clock::now();
    one.call({});
    const double whole = milliseconds(Clock::now() - begin);

    // Asked at moments spread over the call.
    double worst = 0;
    for (int m = 1; m <= moments; ++m) {
      std::stop_source source;
      Clock::time_point asked;
      std::thread asking([&] {
        std::this_thread::sleep_for(std::chrono::duration<double, std::milli>(whole * m / (moments + 1)));
        asked = Clock::now();
        source.request_stop();
      });
      bool stopped = false;
      try {
        one.call({.stop = source.get_token()});
      } catch (const lofty::Error&) {
        stopped = true;
      }
      const auto end = Clock::now();
      asking.join();
      if (stopped) worst = std::max(worst, milliseconds(end - asked));
    }
    worst_of_all = std::max(worst_of_all, worst);
    std::printf("%-36s %10.1f %12.1f%s\n", one.name, whole, worst, worst > 50 ? "  beyond the target" : "");
    std::fflush(stdout);
  }
  std::printf("the worst: %.1f ms\n", worst_of_all);
}
