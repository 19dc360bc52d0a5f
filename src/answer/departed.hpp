#pragma once
// Who was listed before and is not any more.
// Covered by tests/derived/compare_test.cpp.

#include <vector>

#include "answer/former_places.hpp"
#include "answer/listed.hpp"
#include "answer/names.hpp"

namespace lofty::engine {

// Who was listed then and is not kept now, in the order of former places. Of standings that listed more than the best N
// of now, those that stood among these.
std::vector<Departed> departed(const LevelInput& input, const Entries& entries, const Names& names,
                               const Movement& movement, const ColumnPtr& place, const Listed& listed);

}  // namespace lofty::engine
