#pragma once
// Changes to a ladder that would make it cheaper.
// Covered by tests/derived/cost_test.cpp.

#include <vector>

#include "lofty/cost.hpp"
#include "lofty/ladder.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// The greatest saving first. `cost`: what the ladder's steps are estimated to take.
std::vector<Advice> advice(const Ladder& ladder, const std::vector<Question>& levels, const Cost& cost);

}  // namespace lofty::engine
