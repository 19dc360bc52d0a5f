// The best two shops of each valley, High Moor first, without sorting everything.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/selection.hpp"

int main() {
  const std::vector<std::string> valley{"Ashwater", "High Moor", "Ashwater", "High Moor", "Ashwater", "Ashwater"};
  const std::vector<std::int64_t> spend{900, 400, 900, 700, 120, 900};

  const lofty::CustomOrder moor_first{.first = {std::string("High Moor")}};
  const lofty::Groups within{{lofty::ascending(valley, {.custom = &moor_first})}};
  // Ties at the cut stay in, so Ashwater has three; Cut::strict keeps two of them, by input order.
  const lofty::Selection best = lofty::best(within, {lofty::descending(spend)}, 2);
  for (const std::uint32_t row : best.rows)
    std::printf("%s %lld\n", valley[row].c_str(), static_cast<long long>(spend[row]));
  std::printf("%zu cut goes through a tie\n", best.tied_cuts);
  return 0;
}
