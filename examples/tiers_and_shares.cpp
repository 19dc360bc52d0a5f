// What follows from one sort: places by each tie rule, tiers, and how much the best bring of everything.

#include <cstdio>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/places.hpp"
#include "lofty/shares.hpp"

int main() {
  const std::vector<std::int64_t> spend{900, 400, 900, 700, 120, 350};

  const lofty::Order order = lofty::order({lofty::descending(spend)});
  const lofty::EveryPlace place = lofty::every_place(order);
  const std::vector<std::uint32_t> third = lofty::tiers(order, 3);
  const std::vector<double> running = lofty::running_shares(order, std::span<const std::int64_t>(spend));
  std::puts("spend  competition  dense  fractional  third  with those before");
  for (std::size_t i = 0; i < order.size(); ++i)
    std::printf("%5lld  %11u  %5u  %10.1f  %5u  %17.3f\n", static_cast<long long>(spend[order.rows()[i]]),
                place.competition[i], place.dense[i], place.fractional[i], third[i], running[i]);
  return 0;
}
