// Why is it in that place? The workings of one entry.
#include <cstdio>

#include "lofty/lofty.hpp"

int main() {
  const lofty::TableFiles tables("demo");
  const lofty::LadderText text = lofty::read_ladder_file("demo/best_shops.ladder.toml");
  const lofty::Workings workings = lofty::why(text.ladder, tables, "shop = 'Twin Pantry'");
  std::printf("%s: place %s of %zu\n", workings.entry.c_str(), to_text(workings.place).c_str(), workings.ranked);
  for (const std::string& other : workings.equal) std::printf("  shared with %s\n", other.c_str());
  for (const lofty::Workings::Total& total : workings.totals)
    std::printf("  %s = %s = %s\n", total.name.c_str(), total.formula.c_str(), to_text(total.value).c_str());
}
