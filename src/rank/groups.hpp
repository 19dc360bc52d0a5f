#pragma once
// Numbering groups: from key values to dense ids, in the order of first appearance.
// Covered by tests/rank/groups_test.cpp.

#include <cstdint>
#include <vector>

#include "order/numbering.hpp"

namespace lofty::engine {

// A value as a number that equals another's exactly when the values are equal: an integer, a double's bits, a code of
// a dictionary. The tag keeps kinds of codes apart; 0 is null.
struct Cell {
  std::uint64_t code = 0;
  std::uint8_t tag = 0;
  friend bool operator==(const Cell&, const Cell&) = default;
};

// (prefix, cell) -> id, dense from 0 and in the order of insertion. Open addressing with linear probing over 32-bit
// slots, at most 3/4 full; entries lie apart and never move, so ids can index arrays.
class IdTable {
 public:
  IdTable() : slots_(16, empty) {}

  std::uint32_t find_or_add(std::uint32_t prefix, const Cell& cell) {
    if (entries_.size() * 4 >= slots_.size() * 3) grow();
    for (std::size_t at = slot(prefix, cell);; at = (at + 1) & (slots_.size() - 1)) {
      const std::uint32_t id = slots_[at];
      if (id == empty) {
        slots_[at] = static_cast<std::uint32_t>(entries_.size());
        entries_.push_back({cell, prefix});
        return slots_[at];
      }
      if (entries_[id].prefix == prefix && entries_[id].cell == cell) return id;
    }
  }
  std::size_t size() const { return entries_.size(); }
  std::uint32_t prefix(std::uint32_t id) const { return entries_[id].prefix; }
  const Cell& cell(std::uint32_t id) const { return entries_[id].cell; }

 private:
  static constexpr std::uint32_t empty = 0xffffffff;
  struct Entry {
    Cell cell;
    std::uint32_t prefix;
  };
  std::size_t slot(std::uint32_t prefix, const Cell& cell) const {
    return mix(cell.code + 0x9e3779b97f4a7c15ULL * (std::uint64_t{prefix} * 4 + cell.tag)) & (slots_.size() - 1);
  }
  void grow() {
    slots_.assign(slots_.size() * 2, empty);
    for (std::uint32_t id = 0; id < entries_.size(); ++id) {
      std::size_t at = slot(entries_[id].prefix, entries_[id].cell);
      while (slots_[at] != empty) at = (at + 1) & (slots_.size() - 1);
      slots_[at] = id;
    }
  }
  std::vector<std::uint32_t> slots_;
  std::vector<Entry> entries_;
};

}  // namespace lofty::engine
