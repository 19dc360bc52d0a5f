#pragma once
// What an answer took, beside what it was planned to take.
// Covered by tests/derived/cost_test.cpp.

#include "derived/execution.hpp"
#include "derived/plain_answer.hpp"
#include "lofty/cost.hpp"
#include "lofty/ladder.hpp"
#include "plan/sizes.hpp"

namespace lofty::engine {

// The steps of the plan that was carried out, with the sizes that were met and the times that they took. `estimated`:
// the sizes that were known before.
Cost cost_of(const Ladder& ladder, Sizes estimated, const Execution& rows, const LevelAnswers& levels);

// What the questions of [compare] and of [crossed] took, without reading.
struct FurtherSeconds {
  double compare = 0, across = 0;
};
// Adds them as steps.
void add_further_questions(const Ladder& ladder, Cost& cost, const FurtherSeconds& measured);

}  // namespace lofty::engine
