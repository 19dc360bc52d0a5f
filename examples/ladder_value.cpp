// A question as a value, asked of tables in memory.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

int main() {
  const std::vector<std::int64_t> shop_no{1, 2, 1, 3}, quantity{2, 5, 1, 4};
  const std::vector<lofty::Decimal> unit_price{{250, 2}, {100, 2}, {800, 2}, {75, 2}};
  const std::vector<std::int64_t> shop_numbers{1, 2};
  const std::vector<std::string> shops{"Twin Hearth", "Blue Pantry"};

  lofty::Catalog tables;
  tables.add(lofty::TableBuilder("order_lines")
                 .column("shop_no", shop_no)
                 .column("quantity", quantity)
                 .column("unit_price", unit_price)
                 .build());
  tables.add(lofty::TableBuilder("shops").column("shop_no", shop_numbers).column("shop", shops).build());

  const lofty::Ladder ladder{.data = {.from = "order_lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                             .figures = {{"amount", "quantity * unit_price"}},
                             .totals = {{"spend", "sum(amount)"}},
                             .levels = {{.each = {"shop_no"}, .by = "spend desc", .best = 3}},
                             .list = {.columns = {"rank", "shop", "spend"}}};
  try {
    const lofty::Standings answer = lofty::standings(ladder, tables);
    std::fputs(lofty::listing(answer).c_str(), stdout);
    for (const lofty::Remark& remark : answer.remarks())
      std::printf("%s: %s\n", remark.code.c_str(), remark.sentence.c_str());
  } catch (const lofty::Error& error) {
    std::fputs(lofty::problems_text(error.problems()).c_str(), stderr);
    return 1;
  }
  return 0;
}
