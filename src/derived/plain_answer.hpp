#pragma once
// A ladder's own question, answered level by level: without what [compare] and [crossed] ask for.
// Covered by tests/ladder/standings_test.cpp.

#include <memory>
#include <vector>

#include "answer/former_places.hpp"
#include "answer/standings_data.hpp"
#include "derived/execution.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "plan/times.hpp"

namespace lofty::engine {

class JoinCache;

struct LevelAnswers {
  std::vector<std::shared_ptr<StandingsData>> data;  // by level
  Times times;
};

// The levels of one of the questions of an execution, which is the ladder's; what its rows gave is taken from there.
// `former` has each level's former places; it is empty where nothing is compared. What is given has to outlive the
// answers; `joins` is shared with further questions over the same tables. Throws Error.
LevelAnswers answer_levels(Execution& rows, std::size_t question, const std::vector<FormerPlaces>& former,
                           JoinCache& joins, const Run& run);

// The levels as one answer.
std::shared_ptr<StandingsData> whole_answer(LevelAnswers levels);

}  // namespace lofty::engine
