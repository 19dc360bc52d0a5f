// A long call tells how far it is, and ends early when it is told to.

#include <cstdio>
#include <random>
#include <stop_token>
#include <vector>

#include "lofty/error.hpp"
#include "lofty/order.hpp"

int main() {
  std::mt19937_64 random(1);
  std::vector<std::int64_t> spend(2'000'000);
  for (std::int64_t& one : spend) one = static_cast<std::int64_t>(random() >> 20);

  double told = 0;
  lofty::order({lofty::descending(spend)}, {}, {.progress = [&](double share) { told = share; }});
  std::printf("done: %.0f %%\n", 100 * told);

  std::stop_source stop;
  const auto until_half = [&](double share) {
    if (share >= 0.5) stop.request_stop();
  };
  try {
    lofty::order({lofty::descending(spend)}, {}, {.stop = stop.get_token(), .progress = until_half});
  } catch (const lofty::Error& error) {
    std::printf("%s\n", error.what());
  }
  return 0;
}
