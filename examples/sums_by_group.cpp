// Exact sums by group, and the groups in order of their sums.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/sums.hpp"

int main() {
  const std::vector<std::string> family{"comb", "clear", "comb", "candle", "clear", "comb"};
  const std::vector<double> amount{0.1, 1e18, 0.2, 7.5, -1e18, 0.3};

  const lofty::GroupNumbers groups = lofty::number_groups(lofty::groups(family));
  // As if added without ever rounding: clear totals 0, whatever the order of its rows.
  const std::vector<double> totals = lofty::sums(groups, std::span<const double>(amount));
  const lofty::Order order = lofty::order({lofty::descending(totals)});
  for (const std::uint32_t group : order.rows())
    std::printf("%s %g\n", family[groups.first_rows[group]].c_str(), totals[group]);
  return 0;
}
