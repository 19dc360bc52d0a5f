#pragma once
// Best N of single rows without an order of all of them.
// Covered by tests/answer/early_cut_test.cpp.

#include <atomic>
#include <cstddef>
#include <memory>

#include "answer/level_input.hpp"
#include "answer/sort_keys.hpp"
#include "answer/whole_order.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

// Fewer rows are put in order as they are. Tests make it small.
constexpr std::size_t usual_rows_to_cut = 100'000;
inline std::atomic<std::size_t> least_rows_to_cut = usual_rows_to_cut;

// Leaves the rows that keep.best can keep, and those that have no place: then their places, and what is said of them,
// are those that they have among all rows. What the order of all rows needs is given back. Null, and all rows are left,
// where the plan does not cut early, and where too few rows would go.
std::shared_ptr<const WholeOrder> cut_early(const LevelInput& input, Entries& entries, SortKeyMaker& keys);

}  // namespace lofty::engine
