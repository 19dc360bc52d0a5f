#pragma once
// From a question to its standings.

#include <memory>
#include <vector>

#include "ladder/earlier.hpp"
#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty::engine {

// `questions` as resolve_levels() gives them.
std::shared_ptr<StandingsData> answer(const Ladder& ladder, std::vector<Question>& questions, const Run& run,
                                      const Earlier* earlier = nullptr);
// The levels' answers as one: each entry's inner ones behind it.
std::shared_ptr<StandingsData> nest(std::vector<std::shared_ptr<const StandingsData>> levels);

}  // namespace lofty::engine
