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
  const lofty::Order order =
      lofty::order({lofty::descending(spend)}, {}, {.progress = [&](double share) { told = share; }});
  std::printf("done: %.0f %% of %zu rows\n", 100 * told, order.size());

  std::stop_source stop;
  const auto until_half = [&](double share) {
    if (share >= 0.5) stop.request_stop();
  };
  try {
    const lofty::Order never =
        lofty::order({lofty::descending(spend)}, {}, {.stop = stop.get_token(), .progress = until_half});
    std::printf("%zu rows\n", never.size());
  } catch (const lofty::Error& error) {
    std::printf("%s\n", error.what());
  }
  return 0;
}
