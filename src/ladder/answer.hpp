#pragma once
// From a question to its standings.

#include <functional>
#include <memory>
#include <vector>

#include "ladder/earlier.hpp"
#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"

namespace lofty::engine {

// `questions` as resolve_levels() gives them; `earlier` by level, or empty. Each level's answer goes through `finish`
// before they become one.
using Finish = std::function<std::shared_ptr<StandingsData>(std::shared_ptr<StandingsData>, std::size_t)>;
std::shared_ptr<StandingsData> answer(const Ladder& ladder, std::vector<Question>& questions, const Run& run,
                                      const std::vector<Earlier>& earlier = {}, const Finish& finish = {});
// The levels' answers as one: each entry's inner ones behind it.
std::shared_ptr<StandingsData> nest(std::vector<std::shared_ptr<const StandingsData>> levels);

}  // namespace lofty::engine
