// A project that knows the installed package only.
#include <cstdio>
#include <vector>

#include <lofty/lofty.hpp>

int main() {
  const std::vector<int> spend{40, 90, 90};
  const lofty::Order order = lofty::order({lofty::descending(spend)});
  const auto places = lofty::places_by_row(order, lofty::Ties::competition);
  const bool right =
      places == std::vector<std::uint32_t>{3, 1, 1} && lofty::read_ladder("title = \"x\"", "x").ladder.title == "x";
  std::puts(right ? "outside project: places are right" : "outside project: WRONG");
  return right ? 0 : 1;
}
