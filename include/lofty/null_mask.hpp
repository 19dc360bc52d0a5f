#pragma once
// Arrays as calls take them, and which of their values are null.

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <ranges>
#include <span>
#include <string_view>
#include <vector>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// A variable or a view: a temporary would not live long enough. A text is no array of values.
template <class Range>
concept KeyRange = std::ranges::contiguous_range<Range> && std::ranges::sized_range<Range> &&
    std::ranges::borrowed_range<Range> && !std::convertible_to<Range, std::string_view>;

// Which values are null: as long as the values, not 0 where the value is null; empty: none is. A view of the caller's
// array; a temporary does not compile.
class NullMask {
 public:
  NullMask() = default;
  template <KeyRange Range>
  requires std::same_as<std::ranges::range_value_t<Range>, std::uint8_t> NullMask(Range&& mask)
      : bytes_(std::ranges::data(mask), std::ranges::size(mask)) {}

  bool empty() const { return bytes_.empty(); }
  std::size_t size() const { return bytes_.size(); }
  bool is_null(std::size_t i) const { return i < bytes_.size() && bytes_[i] != 0; }  // false beyond size()
  const std::uint8_t* data() const { return bytes_.data(); }

 private:
  std::span<const std::uint8_t> bytes_;
};

// The values of a whole column, or one for each position of an order. `nulls` is empty where none is null; else not 0
// where there is none, and the value is then a default one.
template <class T>
struct ColumnValues {
  std::vector<T> values;
  std::vector<std::uint8_t> nulls;
};

}  // namespace lofty
