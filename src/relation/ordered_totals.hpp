#pragma once
// Totals that go by an order of the rows: percentiles, the first and the last.
// Covered by tests/ladder/ordered_totals_test.cpp.

#include <cstdint>
#include <vector>

#include "question/question.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

inline bool goes_by_order(AggregateKind kind) { return kind >= AggregateKind::percentile_cont; }

// One value for each of `groups` groups; null where a group has no row. `rows` ascend, each is in the group `group_of`
// says (groups beyond the count are left out). Sorts the rows by group and key: O(n log n), some 30 bytes a row.
ColumnPtr ordered_total(const Aggregate& aggregate, const JoinedRows& relation, const std::vector<std::uint32_t>& rows,
                        const std::vector<std::uint32_t>& group_of, std::size_t groups, const Ladder& ladder,
                        const Question& question, const Run& run);

}  // namespace lofty::engine
