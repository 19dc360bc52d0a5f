#pragma once
// What an Order holds.
// Covered by tests/order/sort_test.cpp.

#include <cstddef>
#include <cstdint>

#include "base/buffer.hpp"
#include "lofty/order.hpp"

namespace lofty {

struct Order::Data {
  engine::Buffer<std::uint32_t> rows;
  engine::Buffer<std::uint8_t> marks;  // by position: the bits below
  std::size_t groups = 0, undecided = 0;

  static constexpr std::uint8_t group_start = 1, peer_start = 2, is_ranked = 4, key_start = 8;
};

namespace engine {
using OrderData = Order::Data;
}

}  // namespace lofty
