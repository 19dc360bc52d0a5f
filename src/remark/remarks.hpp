#pragma once
// What a careful colleague would say of an answer. docs/remarks.md has a page for each.
// Covered by tests/ladder/standings_test.cpp.

#include <vector>

#include "answer/level_answer.hpp"

namespace lofty::engine {

// Appends to `out`; nothing when there is nothing to say.
void add_remarks(const LevelAnswer& answer, std::vector<Remark>& out);

}  // namespace lofty::engine
