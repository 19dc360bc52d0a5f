// Arrays in, arrays out: order shops by spend and give each its place, with no table anywhere.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/places.hpp"

int main() {
  const std::vector<std::string> shop{"Twin Hearth", "Blue Pantry", "Brass Larder", "Old Spoon"};
  const std::vector<lofty::Decimal> spend{
      *lofty::Decimal::parse("90.00"), *lofty::Decimal::parse("40.25"), *lofty::Decimal::parse("90.0"), {}};
  const std::vector<std::uint8_t> no_spend{0, 0, 0, 1};  // the last shop has none: it gets no place

  const lofty::Order order =
      lofty::order({lofty::descending(spend, {.null_mask = no_spend})}, {lofty::ascending(shop)});
  const std::vector<std::uint32_t> places = lofty::places(order, lofty::Ties::competition);
  for (std::size_t i = 0; i < order.size(); ++i) {
    const std::uint32_t row = order.rows()[i];
    if (order.ranked(i))
      std::printf("%u  %-13s  %s\n", places[i], shop[row].c_str(), spend[row].text().c_str());
    else
      std::printf("-  %s\n", shop[row].c_str());
  }
  return 0;
}
