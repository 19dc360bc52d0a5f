#pragma once
// A plan as steps with their prices.
// Covered by tests/derived/cost_test.cpp.

#include <vector>

#include "lofty/cost.hpp"
#include "plan/plan.hpp"
#include "plan/times.hpp"

namespace lofty::engine {

// The steps of all levels of the ladder's own question, in the order of execution. `times`: what each took,
// or null.
Cost priced(const Plan& plan, const std::vector<Question>& levels, const Sizes& sizes, const Speeds& speeds,
            const Times* times);

}  // namespace lofty::engine
