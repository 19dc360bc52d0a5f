#pragma once
// Where groups and peers begin and end. A group may be the whole table, so 64 marks are looked at together; and it may
// be a few rows, so the nearest ones are looked at one by one.
// Covered by tests/window/packing_test.cpp.

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <vector>

#include "base/parallel.hpp"
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

// A number of rows that no group has more of: at most some hundred above the greatest.
inline std::size_t most_in_group(const OrderData& order, const Run& run) {
  constexpr std::size_t block = 256;
  const std::size_t size = order.rows.size();
  const std::uint8_t* const marks = order.marks.data();
  // Of each piece: the positions of the first and the last block in which a group begins, and the most between two.
  struct Seen {
    std::size_t first = 0, last = 0, most = 0;
    bool some = false;
  };
  std::vector<Seen> seen(RowRanges::fixed(size).count());
  parallel_for(RowRanges::fixed(size), run, [&](const RowRange& range, std::size_t piece) {
    const std::size_t begin = range.begin, end = range.end;
    Seen own;
    for (std::size_t at = begin; at < end; at += block) {
      std::uint8_t any = 0;
      for (std::size_t i = at; i < std::min(at + block, end); ++i) any |= marks[i];
      if ((any & OrderData::group_start) == 0) continue;
      own.most = std::max(own.most, own.some ? at - own.last : 0);
      if (!own.some) own.first = at;
      own.last = at;
      own.some = true;
    }
    seen[piece] = own;
  });

  // A group begins somewhere in its block, and ends somewhere in the next one that has a beginning.
  std::size_t last = 0, most = 0;
  for (const Seen& piece : seen) {
    if (!piece.some) continue;
    most = std::max({most, piece.most, piece.first - last});
    last = piece.last;
  }
  return std::min(size, std::max(most, size - last) + block);
}

}  // namespace lofty::engine
