// A rank column for rows that stay where they are; the permutation and its inverse; both ends.

#include <cmath>
#include <cstdio>
#include <string>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/places.hpp"
#include "lofty/selection.hpp"

int main() {
  const std::vector<std::string> shop{"Old Spoon", "Twin Hearth", "Blue Pantry", "Brass Larder", "Tin Ladle"};
  const std::vector<double> spend{120.5, 900, std::nan(""), 900, 310};  // the third has none

  // Not a number is null: it sorts last and gets no place.
  const lofty::Order order = lofty::order({lofty::descending(spend)}, {lofty::ascending(shop)});
  const std::vector<std::uint32_t> place = lofty::places_by_row(order, lofty::Ties::competition);
  const std::vector<double> below = lofty::by_input_row(order, lofty::percent_ranks(order));
  const std::vector<std::uint32_t> position = order.inverse();  // position[rows[i]] == i
  for (std::size_t row = 0; row < shop.size(); ++row)
    std::printf("%-12s  place %u  percent rank %.2f  at %u in the order\n", shop[row].c_str(), place[row], below[row],
                position[row]);

  // Both ends, each without a sort; a tie at the cut stays in.
  for (const std::uint32_t row : lofty::best({}, {lofty::descending(spend)}, 1).rows)
    std::printf("best:  %s\n", shop[row].c_str());
  for (const std::uint32_t row : lofty::worst({}, {lofty::descending(spend)}, 1).rows)
    std::printf("worst: %s\n", shop[row].c_str());
  return 0;
}
