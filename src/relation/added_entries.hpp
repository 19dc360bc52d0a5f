#pragma once
// Entries without rows that count: those of an included table (rank.include), and calendar units (rank.fill).
// Covered by tests/tool/not_misled_test.cpp.

#include <cstdint>
#include <vector>

#include "relation/partial_totals.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// Each row of the included table that has no entry yet becomes one, with no rows. Of the carried columns it has those
// that are the table's own. O(rows).
void add_included(const Question& question, const JoinedRows& rows, PartialTotals& all, const Run& run);

// For all values that occur of the other keys, the units that are missing between the first and the last: those of the
// period in force, else of the rows that count. Returns which entries were added. Throws Error(beyond_limit) for more
// than a million.
std::vector<std::uint8_t> add_missing_units(const Question& question, const JoinedRows& rows, PartialTotals& all,
                                            const Run& run);

// Does a carried column depend on the key of units, so that an entry without rows has no value for it?
bool goes_by_unit(const Question& question, const Node& column);

}  // namespace lofty::engine
