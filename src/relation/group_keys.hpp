#pragma once
// The keys by which rows are grouped: values as numbers, and a key column after another.
// Covered by tests/order/key_table_test.cpp.

#include <cstdint>

#include "base/mix.hpp"
#include "order/key_table.hpp"

namespace lofty::engine {

// A value as a number that equals another's exactly when the values are equal: an integer, a double's bits, a code of
// a dictionary. The tag keeps kinds of codes apart; 0 is null.
struct Cell {
  std::uint64_t code = 0;
  std::uint8_t tag = 0;
  friend bool operator==(const Cell&, const Cell&) = default;
};

// A value of a further key column: the number of the keys before it, and the value.
struct GroupKey {
  Cell cell;
  std::uint32_t prefix = 0;

  std::uint32_t tag() const {
    return static_cast<std::uint32_t>(mix(cell.code + 0x9e3779b97f4a7c15ULL * (std::uint64_t{prefix} * 4 + cell.tag)) >>
                                      32);
  }
  bool same(const GroupKey& other) const { return prefix == other.prefix && cell == other.cell; }
};

using GroupTable = KeyTable<GroupKey>;

}  // namespace lofty::engine
