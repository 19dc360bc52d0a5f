#pragma once
// Texts in conditions that no row has, and values that differ from them in case or blanks only.
// Covered by tests/tool/not_misled_test.cpp.

#include <vector>

#include "answer/level_answer.hpp"

namespace lofty::engine {

// Appends to `out`. Looks at each comparison (=, <>, in, like) of a column of text with a literal or choice, in every
// formula of the question; columns of more than 10,000 different texts are left alone. O(different texts), and a pass
// over the column where something has to be said.
void add_absent_values(const LevelAnswer& answer, std::vector<Remark>& out);

}  // namespace lofty::engine
