// What a question costs before it is asked: its steps, and what would save one.
#include <cstdio>

#include "lofty/lofty.hpp"

int main() {
  const lofty::TableFiles tables("demo");
  const lofty::LadderText text = lofty::read_ladder_file("demo/two_sorts.ladder.toml");
  const lofty::Cost cost = lofty::plan(text.ladder, tables);
  int sorts = 0;
  for (const lofty::CostStep& step : cost.steps) {
    std::printf("%-7s %s\n", to_string(step.step), step.purpose.c_str());
    sorts += step.step == lofty::StepKind::sort;
  }
  std::printf("%d sorts\n", sorts);
}
