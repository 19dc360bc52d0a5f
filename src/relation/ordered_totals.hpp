#pragma once
// Totals that go by an order of the rows: percentiles, the first and the last.
// Covered by tests/relation/ordered_totals_test.cpp.

#include <cstdint>
#include <vector>

#include "question/question.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// Groups whose first (or last) row is one of several that are equal in the order and differ in value: the input
// decides.
struct InputDecided {
  std::size_t groups = 0;
  std::uint32_t one = no_row, other = no_row;  // two such rows of the relation
};

// Rows, which ascend, and the group of each. Groups from `groups` on are left out.
struct RowsOfGroups {
  const std::vector<std::uint32_t>& rows;
  const std::vector<std::uint32_t>& group_of;
  std::size_t groups = 0;
};

// One value for each group; null where a group has no row. Sorts the rows by group and key: O(n log n), some 30 bytes a
// row.
ColumnPtr ordered_total(const Aggregate& aggregate, const JoinedRows& relation, const RowsOfGroups& of, const Run& run,
                        InputDecided* decided = nullptr);

}  // namespace lofty::engine
