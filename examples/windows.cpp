// For every row a value computed from the rows around it: a running sum, the last seven days, what came before.

#include <cstdio>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/window.hpp"

int main() {
  const std::vector<std::int64_t> shop{1, 2, 1, 1, 2}, day{1, 3, 6, 9, 20}, amount{40, 10, 25, 5, 30};

  // Groups are partitions; what the order goes by is a window's `order by`.
  const lofty::Order order = lofty::order(lofty::groups(shop), {lofty::ascending(day)});
  const lofty::Frame so_far{
      .unit = lofty::FrameUnit::rows, .from = lofty::unbounded_preceding(), .to = lofty::current_row()};
  const lofty::Frame week{.from = lofty::preceding(6), .by = lofty::ascending(day)};  // a range: days, not rows
  const auto running = lofty::frame_sums(order, so_far, amount);
  const auto of_week = lofty::frame_sums(order, week, amount);
  const std::vector<std::uint32_t> before = lofty::rows_before(order, 1);
  std::puts("shop  day  amount  so far  week  day before");
  for (std::size_t i = 0; i < order.size(); ++i) {
    const std::uint32_t row = order.rows()[i];
    std::printf("%4lld  %3lld  %6lld  %6lld  %4lld  ", static_cast<long long>(shop[row]),
                static_cast<long long>(day[row]), static_cast<long long>(amount[row]),
                static_cast<long long>(running.values[i]), static_cast<long long>(of_week.values[i]));
    if (before[i] == lofty::no_input_row)
      std::puts("none");
    else
      std::printf("%lld\n", static_cast<long long>(day[before[i]]));
  }
  return 0;
}
