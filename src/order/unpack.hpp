#pragma once
// What sorted words say: the rows in their order, and where groups, peers and keys begin.
// Covered by tests/order/unpack_test.cpp and tests/order/sort_test.cpp.

#include <cstddef>
#include <cstdint>

namespace lofty::engine {

// Words hold a key, less `base`, above `row_bits` bits of a row's number. A position starts a group, a run of peers or
// a run of equal keys where its key differs from the one before in a bit of these masks; it is ranked where its key has
// none of `unranked`.
struct WordMeaning {
  std::uint64_t base = 0;
  int row_bits = 0;
  std::uint64_t group = 0, peer = 0, key = 0, unranked = 0;
};

// rows[i] and marks[i] (OrderData's) of each word. The first one starts nothing: its neighbour is unknown here.
// Precondition: row_bits is 1 to 32. O(count); uses the widest vectors that the machine has, chosen at run time.
void unpack(const std::uint64_t* words, std::size_t count, const WordMeaning& meaning, std::uint32_t* rows,
            std::uint8_t* marks);

}  // namespace lofty::engine
