#pragma once
// Formulas over some rows of the joined tables.

#include <cstddef>
#include <cstdint>
#include <span>

#include "relation/rows.hpp"

namespace lofty::engine {

// Calls work(begin, length, some) for these rows, which ascend: as many at a time as lie within one batch of `length`
// rows from `begin` on.
template <class Work>
void each_batch_of(std::span<const std::uint32_t> rows, const Work& work) {
  for (std::size_t next = 0, last = 0; next < rows.size(); next = last) {
    const std::size_t begin = rows[next];
    while (last < rows.size() && rows[last] < begin + batch_rows) ++last;
    work(begin, rows[last - 1] - begin + 1, rows.subspan(next, last - next));
  }
}

// The values at these rows, which ascend, of a bare column of the first table: the column itself where these are all
// rows, and numbers picked from it. Null where it is something else.
ColumnPtr values_there(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run);

// The values of a formula, or of a column, at these rows, which ascend; one a row. Throws RowFailure.
ColumnPtr values_at(const JoinedRows& rows, const Node& node, std::span<const std::uint32_t> at, const Run& run);

}  // namespace lofty::engine
