// The answer by name: a column as a whole, one row after another, and a name that is not there.
#include <cstdio>
#include <numeric>

#include "lofty/lofty.hpp"

int main() {
  const std::vector<std::string> shop{"Twin Hearth", "Blue Pantry", "Old Spoon", "Blue Pantry"};
  const std::vector<std::int64_t> jars{40, 25, 5, 15};
  lofty::Catalog tables;
  tables.add(lofty::TableBuilder("lines").column("shop", shop).column("jars", jars).build());
  const lofty::Ladder ladder{
      .data = {.from = "lines"}, .totals = {{"sold", "sum(jars)"}}, .levels = {{.each = {"shop"}, .by = "sold desc"}}};
  const lofty::Standings answer = lofty::standings(ladder, tables);

  // A whole column, for arithmetic.
  const std::size_t sold = *answer.find("sold");
  const lofty::ColumnValues<std::int64_t> column = answer.values<std::int64_t>(sold);
  std::printf("in all: %lld\n",
              static_cast<long long>(std::accumulate(column.values.begin(), column.values.end(), std::int64_t{0})));

  // Row after row, for people.
  for (const lofty::StandingRow row : answer.each_row())
    std::printf("%s. %s %s%s\n", to_text(row["rank"]).c_str(), to_text(row["shop"]).c_str(),
                to_text(row["sold"]).c_str(), row.tied() ? " (tied)" : "");

  // A name that is not listed: nothing is guessed.
  if (!answer.find("spend")) std::puts("no column `spend`");
}
