// "Which place would 500.00 take?" and "are any still equal?"

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/place_for.hpp"
#include "lofty/undecided.hpp"

int main() {
  const std::vector<std::string> shop{"Twin Hearth", "Blue Pantry", "Brass Larder", "Old Spoon", "Low Mill"};
  const std::vector<std::int64_t> spend{900, 400, 900, 700, 120};
  const std::vector<lofty::Key> by{lofty::descending(spend)};
  const lofty::Order order = lofty::order(by);

  const lofty::Standing would = lofty::place_for(order, {}, by, {}, {lofty::Decimal(500, 0)});
  std::printf("500 would take place %.0f of %zu\n", would.place(lofty::Ties::competition), would.ranked + 1);

  const lofty::Undecided left = lofty::undecided(order, {lofty::ascending(shop)});
  std::printf("%zu rows are equal; the name %s\n", left.rows,
              left.would_decide ? "would tell them apart" : "would not tell them apart");
  return 0;
}
