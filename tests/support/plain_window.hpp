#pragma once
// Window functions straight from the words of ISO/IEC 9075-2, one row at a time, however slow. Never shipped.

#include <optional>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace plain {

using Values = std::vector<lofty::Value>;

struct WindowKey {
  Values values;  // by row
  bool descending = false, nulls_first = false;
};

struct Window {
  std::vector<Values> partition;
  std::vector<WindowKey> order;
  enum class Unit { rows, range, groups } unit = Unit::range;
  // A distance; none: unbounded. Negative distances precede. A range's are in the key's own unit (whole numbers, days).
  std::optional<long> from, to = 0;
  lofty::Excluded excluded = lofty::Excluded::no_others;
};

// The rows of the partition of `row`, in the window's order; those that tie as they came.
std::vector<std::size_t> partition_of(const Window& window, std::size_t rows, std::size_t row);
bool peers(const Window& window, std::size_t a, std::size_t b);
// The rows of its frame, in the same order.
std::vector<std::size_t> frame_of(const Window& window, std::size_t rows, std::size_t row);

}  // namespace plain
