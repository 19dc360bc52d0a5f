#pragma once
// Orders made up for tests of what goes over them.

#include <cstdint>
#include <random>

#include "order/sort.hpp"

namespace lofty::engine {

// Rows from the last to the first; a group begins at one position in `group_rows`, and within it one position in
// `tied_rows` is a peer of the one before.
inline OrderData some_order(std::size_t size, std::size_t group_rows, std::mt19937_64& random,
                            std::size_t tied_rows = 2) {
  OrderData order;
  order.rows.allocate(size);
  order.marks.allocate(size);
  for (std::size_t i = 0; i < size; ++i) {
    order.rows[i] = static_cast<std::uint32_t>(size - 1 - i);
    const bool group = i == 0 || random() % group_rows == 0, peers = group || random() % tied_rows != 0;
    order.marks[i] = static_cast<std::uint8_t>(OrderData::is_ranked | (group ? OrderData::group_start : 0) |
                                               (peers ? OrderData::peer_start : 0));
    order.groups += group;
  }
  return order;
}

}  // namespace lofty::engine
