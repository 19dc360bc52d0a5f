#pragma once
// Remarks on questions that may not ask what was meant: an id that is summed, a label for an id, a direction that lists
// the least, quotients that tie only when rounded.
// Covered by tests/remark/doubtful_test.cpp.

#include <vector>

#include "answer/level_answer.hpp"

namespace lofty::engine {

// Appends to `out`; nothing where nothing is doubtful. O(entries), and a look at a joined table's labels.
void add_doubtful(const LevelAnswer& answer, std::vector<Remark>& out);

}  // namespace lofty::engine
