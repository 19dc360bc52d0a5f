#pragma once
// Best N of single rows without an order of all of them.
// Covered by tests/ladder/early_cut_test.cpp.

#include <atomic>
#include <cstddef>
#include <memory>
#include <vector>

#include "answer/level_input.hpp"
#include "answer/sort_keys.hpp"
#include "answer/whole_order.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

// Fewer rows are put in order as they are. Tests make it small.
constexpr std::size_t usual_rows_to_cut = 100'000;
inline std::atomic<std::size_t> least_rows_to_cut = usual_rows_to_cut;

// By entry column: can it wait until rows were left out? Places do not go by it, and it is a bare column, which no row
// makes impossible. Empty: none can.
std::vector<bool> waiting_columns(const LevelInput& input);

// Leaves the rows that keep.best can keep, and those that have no place: then their places, and what is said of them,
// are those that they have among all rows. What the order of all rows needs is given back. Null, and all rows are left,
// where the question looks at other rows too (keep.worst, a part of the rows, conditions and windows after the places,
// further place columns, comparisons, levels, crossed tables), and where too few would go.
std::shared_ptr<const WholeOrder> cut_early(const LevelInput& input, Entries& entries, SortKeyMaker& keys);

}  // namespace lofty::engine
