// Everything that is wrong with a question, at once: with a code for programs, and a sentence for people.
#include <cstdio>

#include "lofty/lofty.hpp"

int main() {
  const std::vector<std::int64_t> shop_no{1, 2}, quantity{3, 4};
  lofty::Catalog tables;
  tables.add(lofty::TableBuilder("lines").column("shop_no", shop_no).column("quantity", quantity).build());
  const lofty::Ladder ladder{
      .data = {.from = "lines"}, .totals = {{"sold", "sum(quantty)"}}, .levels = {{.each = {"shop_nr"}, .by = "sold"}}};

  // Asked before anything is computed.
  for (const lofty::Problem& problem : lofty::check(ladder, tables)) {
    std::printf("%s at %s: %s", to_string(problem.code), problem.location.key.c_str(), problem.sentence.c_str());
    if (!problem.nearest.empty()) std::printf("; nearest: %s", problem.nearest.c_str());
    std::puts("");
  }

  // A mistake of the program, rather than of its input, is another exception.
  try {
    const lofty::Order order = lofty::order({lofty::ascending(shop_no)});
    const std::vector<std::int64_t> too_few{1};
    std::printf("%zu\n", lofty::shares(order, too_few).size());
  } catch (const lofty::CallError& error) {
    std::printf("refused: %s\n", error.what());
  }
}
