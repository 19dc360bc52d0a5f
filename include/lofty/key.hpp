#pragma once
// Sort keys over plain arrays.

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <ranges>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "lofty/date.hpp"
#include "lofty/decimal.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

enum class Nulls : std::uint8_t { last, first };
[[nodiscard]] const char* to_string(Nulls value);
template <>
std::optional<Nulls> from_string<Nulls>(std::string_view name);

// How texts are ordered; equality is always exact, so distinct texts never tie.
enum class TextOrder : std::uint8_t {
  language,    // by a language's rules (ICU; the root locale unless one is named): accents, then case, decide last
  natural,     // the same, but runs of digits by their value: Comb 2 before Comb 10
  code_point,  // by Unicode code points
};
[[nodiscard]] const char* to_string(TextOrder value);
template <>
std::optional<TextOrder> from_string<TextOrder>(std::string_view name);

// An order that the caller defines. Listed values that do not occur change nothing. Numbers are Decimal, or double for
// floats.
struct CustomOrder {
  std::vector<Value> first = {}, last = {};  // pinned first and last, in either direction; the rest as usual
  std::vector<Value> sequence = {};          // the full order, which a direction turns round; forgotten values follow
};

template <class Range>
concept KeyRange = std::ranges::contiguous_range<Range> && std::ranges::sized_range<Range> &&
    std::ranges::borrowed_range<Range>;  // a variable or a view: a temporary would not live long enough

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
  bool is_null(std::size_t i) const { return !bytes_.empty() && bytes_[i] != 0; }  // precondition: i < size(), or empty
  std::uint8_t operator[](std::size_t i) const { return bytes_[i]; }
  const std::uint8_t* data() const { return bytes_.data(); }

 private:
  std::span<const std::uint8_t> bytes_;
};

struct KeyOptions {
  Nulls nulls = Nulls::last;  // in either direction
  TextOrder text = TextOrder::language;
  std::string locale = {};  // "sv", "en_GB"; empty: the root locale
  NullMask null_mask = {};
  const CustomOrder* custom = nullptr;  // has to outlive the call
};

enum class Element : std::uint8_t {
  int8,
  int16,
  int32,
  int64,
  uint8,
  uint16,
  uint32,
  uint64,
  float32,
  float64,
  decimal,
  date,
  timestamp,
  view,
  string
};
[[nodiscard]] const char* to_string(Element value);
template <>
std::optional<Element> from_string<Element>(std::string_view name);

template <class T>
[[nodiscard]] constexpr Element element_of() {
  if constexpr (std::is_same_v<T, std::string>)
    return Element::string;
  else if constexpr (std::is_same_v<T, std::string_view>)
    return Element::view;
  else if constexpr (std::is_same_v<T, Decimal>)
    return Element::decimal;
  else if constexpr (std::is_same_v<T, Date>)
    return Element::date;
  else if constexpr (std::is_same_v<T, Timestamp>)
    return Element::timestamp;
  else if constexpr (std::is_same_v<T, float>)
    return Element::float32;
  else if constexpr (std::is_same_v<T, double>)
    return Element::float64;
  else {
    static_assert(std::is_integral_v<T>,
                  "keys are integers, float, double, Decimal, Date, Timestamp, string or string_view");
    constexpr auto size = sizeof(T) == 1 ? 0 : sizeof(T) == 2 ? 1 : sizeof(T) == 4 ? 2 : 3;
    return static_cast<Element>(size + (std::is_signed_v<T> ? 0 : 4));
  }
}

// One key: a view of the caller's array (which must outlive the call it is passed to), a direction, and where nulls
// go. NaN is null; -0.0 equals 0.0. Decimals may differ in scale and compare by value.
struct Key {
  const void* values = nullptr;
  std::size_t size = 0;
  Element element = Element::int64;
  bool descending = false;
  KeyOptions options = {};
};

// A key over a vector, array or span of numbers, dates or texts. A temporary vector does not compile: the key would
// outlive it.
template <KeyRange Range>
[[nodiscard]] Key ascending(Range&& values, KeyOptions options = {}) {
  using T = std::remove_cv_t<std::ranges::range_value_t<Range>>;
  return Key{std::ranges::data(values), std::ranges::size(values), element_of<T>(), false, std::move(options)};
}

template <KeyRange Range>
[[nodiscard]] Key descending(Range&& values, KeyOptions options = {}) {
  Key key = ascending(values, std::move(options));
  key.descending = true;
  return key;
}

// Columns that together say which group a row belongs to. Nulls form one group.
struct Groups {
  std::vector<Key> keys;
};

template <KeyRange... Ranges>
[[nodiscard]] Groups groups(Ranges&&... columns) {
  return Groups{{ascending(columns)...}};
}

}  // namespace lofty
