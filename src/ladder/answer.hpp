#pragma once
// From a question to its standings.

#include "ladder/question.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty::engine {

Standings answer(const Ladder& ladder, Question& question, const Run& run);

}  // namespace lofty::engine
