#pragma once
// Values into the bits of records.
// Covered by tests/table/column_scatter_test.cpp.

#include <cstddef>
#include <cstdint>

namespace lofty::engine {

// records[i] |= stored(values[i]) << shift, for `count` of them, where stored() is the number that a sealed column has:
// value - least + 1, and 0 for what is below the least, as null does; of a double its bits, with one zero.
// Instantiated for values of std::int64_t, std::uint16_t, std::uint32_t and double, in unsigned records of 8 to 64
// bits. Uses the widest vectors that the machine has, chosen at run time.
template <class Value, class Record>
void put_field(const Value* values, std::size_t count, std::int64_t least, int shift, Record* records);

}  // namespace lofty::engine
