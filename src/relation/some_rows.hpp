#pragma once
// Formulas over some rows of the joined tables.

#include <cstdint>
#include <span>

#include "relation/rows.hpp"

namespace lofty::engine {

// The values at these rows, which ascend, of a bare column of the first table: the column itself where these are all
// rows, and numbers picked from it. Null where it is something else.
ColumnPtr values_there(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run);

// The values of a formula, or of a column, at these rows, which ascend; one a row. Throws RowFailure.
ColumnPtr values_at(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run);

}  // namespace lofty::engine
