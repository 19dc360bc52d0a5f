#pragma once
// Reading a large table and totalling it in one pass, a stretch of rows at a time, so that its rows are never all kept.
// Covered by tests/ladder/stretches_test.cpp.

#include <optional>
#include <span>
#include <vector>

#include "lofty/run.hpp"
#include "question/resolve.hpp"
#include "relation/stretch_totals.hpp"

namespace lofty::engine {

// What the rows give for each of some questions of one level over the same tables, where one pass over them is enough;
// the resolutions' tables are read then, the first one without its columns. Nothing where it is not enough, as far as
// can be told now, or turns out not to be: Resolution::read() and another look at the rows have to follow, and find
// what is wrong with them. Throws Error of what reading meets.
std::optional<std::vector<TotalledRows>> total_in_one_pass(std::span<Resolution* const> resolutions, const Run& run);

}  // namespace lofty::engine
