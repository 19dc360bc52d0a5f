#pragma once
// Where groups and peers begin and end. A group may be the whole table, so 64 marks are looked at together; and it may
// be a few rows, so the nearest ones are looked at one by one.
// Covered by tests/window/packed_numbers_test.cpp.

#include <algorithm>
#include <cstdint>
#include <cstring>

#include "order/sort.hpp"

namespace lofty::engine {

// Does one of 64 positions have this mark?
inline bool any_marked(const std::uint8_t* marks, std::uint8_t mark) {
  std::uint64_t words[8], any = 0;
  std::memcpy(words, marks, sizeof words);
  for (const std::uint64_t word : words) any |= word;
  return (any & (0x0101010101010101 * mark)) != 0;
}

// The first position from `at` on that has this mark; the number of positions where none has.
inline std::size_t next_start(const OrderData& order, std::size_t at, std::uint8_t mark) {
  const std::uint8_t* const marks = order.marks.data();
  const std::size_t size = order.rows.size(), near = std::min(size, at + 16);
  while (at < near && (marks[at] & mark) == 0) ++at;
  if (at < near) return at;
  while (at + 64 <= size && !any_marked(marks + at, mark)) at += 64;
  while (at < size && (marks[at] & mark) == 0) ++at;
  return at;
}

// The last position up to `at` that has this mark. Precondition: there is one.
inline std::size_t last_start(const OrderData& order, std::size_t at, std::uint8_t mark) {
  const std::uint8_t* const marks = order.marks.data();
  while (at >= 64 && !any_marked(marks + at - 63, mark)) at -= 64;
  while ((marks[at] & mark) == 0) --at;
  return at;
}

}  // namespace lofty::engine
