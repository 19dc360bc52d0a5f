#pragma once
// Levels inside levels: their answers as one.
// Covered by tests/answer/levels_test.cpp.

#include <memory>
#include <vector>

#include "answer/standings_data.hpp"

namespace lofty::engine {

// Outermost first; each entry's inner ones follow it.
std::shared_ptr<StandingsData> nest(std::vector<std::shared_ptr<const StandingsData>> levels);

}  // namespace lofty::engine
