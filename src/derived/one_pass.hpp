#pragma once
// Reading a large table and totalling it in one pass, a stretch of rows at a time, so that its rows are never all kept.
// Covered by tests/ladder/stretches_test.cpp.

#include <optional>

#include "lofty/run.hpp"
#include "question/resolve.hpp"
#include "relation/stretch_totals.hpp"

namespace lofty::engine {

// What the rows of the only level give, where one pass over them is enough; the resolution's tables are read then, the
// first one without its columns. Nothing where it is not enough, as far as can be told now, or turns out not to be:
// Resolution::read() and another look at the rows have to follow, and find what is wrong with them. Throws Error of
// what reading meets.
std::optional<TotalledRows> total_in_one_pass(Resolution& resolution, const Run& run);

}  // namespace lofty::engine
