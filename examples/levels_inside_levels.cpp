// The best of the best: the best valleys, and in each its best shops.
#include <cstdio>

#include "lofty/lofty.hpp"

int main() {
  const lofty::TableFiles tables("demo");
  lofty::Ladder ladder{.data = {.from = "order_lines.csv", .joins = {{.with = "shops.csv", .on = {"shop_no"}}}},
                       .figures = {{"amount", "quantity * unit_price"}},
                       .totals = {{"spend", "sum(amount)"}},
                       .levels = {{.each = {"valley"}, .by = "spend desc", .best = 2},
                                  {.each = {"shop"}, .by = "spend desc", .best = 2}}};
  const lofty::Standings answer = lofty::standings(ladder, tables);
  for (const lofty::StandingRow row : answer.each_row())
    std::printf("%s%s %s\n", answer.level(row.index()) == 0 ? "" : "  ",
                to_text(row[answer.level(row.index()) == 0 ? "valley" : "shop"]).c_str(),
                to_text(row["spend"]).c_str());
}
