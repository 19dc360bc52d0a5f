#pragma once
// Crossed tables: entries down and entries across.
// Covered by tests/ladder/across_test.cpp.

#include <memory>
#include <vector>

#include "ladder/standings_data.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"

namespace lofty::engine {

// All that is wrong with [across], with the names of its keys. Reads no rows.
std::vector<Problem> check_across(const Ladder& ladder, const Catalog& catalog);

// `down`, the answer without [across], with a column for each entry across behind the others. Asks the ladder twice
// more: for the entries across, and for the cells. Throws Error.
std::shared_ptr<StandingsData> cross(const StandingsData& down, const Ladder& ladder, const Catalog& catalog,
                                     const Run& run);

}  // namespace lofty::engine
