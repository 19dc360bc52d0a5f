#pragma once
// The search for "where would this value be?": by halves, within one group of an order.
// Covered by tests/rank/place_for_test.cpp.

#include <cstddef>

#include "lofty/order.hpp"
#include "lofty/place_for.hpp"

namespace lofty::engine {

// The first position in [begin, end) for which `before` is false; it is true for all positions before that one.
template <class Before>
std::size_t first_not(std::size_t begin, std::size_t end, const Before& before) {
  while (begin < end) {
    const std::size_t middle = begin + (end - begin) / 2;
    if (before(middle))
      begin = middle + 1;
    else
      end = middle;
  }
  return begin;
}

// A group's ranked positions: [begin, equal) come before the value, [equal, after) are equal to it, [after, end) come
// after it.
struct Split {
  std::size_t begin = 0, equal = 0, after = 0, end = 0;

  // `starts_value(position)`: has it another value than the position before it, or is it the group's first?
  template <class StartsValue>
  Standing standing(const StartsValue& starts_value) const {
    Standing out{.better = equal - begin, .equal = after - equal, .ranked = end - begin};
    for (std::size_t i = begin; i < equal; ++i) out.better_values += starts_value(i);
    return out;
  }
};

// Splits the group at positions [begin, end). against(position): negative where it comes before the value, 0 where it
// is equal. O(log n) comparisons.
template <class Against>
Split split_at(const Order& order, std::size_t begin, std::size_t end, const Against& against) {
  Split out{.begin = begin};
  out.end = first_not(begin, end, [&](std::size_t i) { return order.ranked(i); });
  out.equal = first_not(begin, out.end, [&](std::size_t i) { return against(i) < 0; });
  out.after = first_not(out.equal, out.end, [&](std::size_t i) { return against(i) <= 0; });
  return out;
}

}  // namespace lofty::engine
