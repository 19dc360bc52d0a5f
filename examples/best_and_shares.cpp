// More of the arrays entrance: orders of one's own, the best of each group, tiers and shares, exact sums by group, the
// place of an amount that is not in the data, and what a sort leaves undecided.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

int main() {
  const std::vector<std::string> valley{"Ashwater", "High Moor", "Ashwater", "High Moor", "Ashwater", "Ashwater"};
  const std::vector<std::int64_t> spend{900, 400, 900, 700, 120, 350};

  // The best two of each valley, High Moor first. Ties at the cut stay in unless the cut is strict.
  const lofty::CustomOrder moor_first{.first = {std::string("High Moor")}};
  const lofty::Groups within{{lofty::ascending(valley, {.custom = &moor_first})}};
  const lofty::Selection best = lofty::best(within, {lofty::descending(spend)}, 2);
  for (const std::uint32_t row : best.rows)
    std::printf("%s %lld\n", valley[row].c_str(), static_cast<long long>(spend[row]));

  // Everything that follows from one sort.
  const lofty::Order order = lofty::order({lofty::descending(spend)});
  const auto thirds = lofty::tiers(order, 3);
  const auto running = lofty::running_shares(order, std::span<const std::int64_t>(spend));
  for (std::size_t i = 0; i < order.size(); ++i)
    std::printf("%lld: third %u, with those before it %.3f of all\n", static_cast<long long>(spend[order.rows()[i]]),
                thirds[i], running[i]);

  // Sums by group are exact, and do not depend on the order of rows.
  const lofty::GroupNumbers valleys = lofty::number_groups(lofty::groups(valley));
  const auto totals = lofty::sums(valleys, std::span<const std::int64_t>(spend));
  for (std::size_t g = 0; g < valleys.size(); ++g)
    std::printf("%s in all: %s\n", valley[valleys.first_rows[g]].c_str(), totals[g].text().c_str());

  const std::vector<lofty::Key> by{lofty::descending(spend)};
  const lofty::Standing would = lofty::where_would(order, {}, by, {}, {lofty::Decimal(500, 0)});
  std::printf("500 would take place %.0f of %zu\n", would.place(lofty::Ties::competition), would.ranked + 1);

  const lofty::Undecided left = lofty::undecided(order, {lofty::ascending(valley)});
  std::printf("%zu rows are equal; the valley %s\n", left.rows,
              left.would_decide ? "would tell them apart" : "would not tell them apart");
  return 0;
}
