#pragma once
// A ladder's own question, answered level by level: without what [compare] and [crossed] ask for.
// Covered by tests/ladder/standings_test.cpp.

#include <memory>
#include <span>
#include <vector>

#include "answer/former_places.hpp"
#include "answer/standings_data.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "question/resolve.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"
#include "relation/times.hpp"

namespace lofty::engine {

class JoinCache;

struct LevelAnswers {
  std::vector<std::shared_ptr<StandingsData>> data;  // by level
  Times times;
};

// `former` has each level's former places; it is empty where nothing is compared. What is given has to outlive the
// answers; `joins` may be shared with further questions over the same tables. `totalled`: what the rows gave already,
// by level, or nothing; it is moved from. `sifted`: of which rows the first table has some; null: it has all, else it
// is moved from. Throws Error.
LevelAnswers answer_levels(const Ladder& ladder, const std::vector<Question>& questions,
                           const std::vector<FormerPlaces>& former, JoinCache& joins, const Run& run,
                           std::span<TotalledRows> totalled = {}, SiftedRows* sifted = nullptr);

// The levels as one answer, with its cost.
std::shared_ptr<StandingsData> whole_answer(const Ladder& ladder, const std::vector<Question>& questions,
                                            LevelAnswers levels);

// Reads the tables of a ladder whose names are resolved, unless that was done for `totalled`, and answers it. Throws
// Error with all that is wrong.
std::shared_ptr<const StandingsData> plain_answer(const Ladder& ladder, Resolution& resolution, JoinCache& joins,
                                                  const Run& run, std::span<TotalledRows> totalled = {});

}  // namespace lofty::engine
