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
#include "lofty/value.hpp"

namespace lofty {

enum class Nulls : std::uint8_t { last, first };

// How texts are ordered; equality is always exact, so distinct texts never tie.
enum class TextOrder : std::uint8_t {
  language,    // by a language's rules (ICU; the root locale unless one is named): accents, then case, decide last
  natural,     // the same, but runs of digits by their value: Comb 2 before Comb 10
  code_point,  // by Unicode code points
};

// An order of one's own. Listed values that do not occur change nothing. Numbers are Decimal, or double for floats.
struct CustomOrder {
  std::vector<Value> first = {}, last = {};  // pinned first and last, in either direction; the rest as usual
  std::vector<Value> sequence = {};          // the full order, which a direction turns round; forgotten values follow
};

struct KeyOptions {
  Nulls nulls = Nulls::last;  // in either direction
  TextOrder text = TextOrder::language;
  std::string locale = {};                       // "sv", "en_GB"; empty: the root locale
  std::span<const std::uint8_t> null_mask = {};  // empty, or as long as the values; non-zero is null
  const CustomOrder* custom = nullptr;           // has to outlive the call
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

template <class T>
constexpr Element element_of() {
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

template <class Range>
concept KeyRange = std::ranges::contiguous_range<Range> && std::ranges::sized_range<Range>;

template <KeyRange Range>
Key ascending(const Range& values, KeyOptions options = {}) {
  using T = std::remove_cv_t<std::ranges::range_value_t<Range>>;
  return Key{std::ranges::data(values), std::ranges::size(values), element_of<T>(), false, std::move(options)};
}

template <KeyRange Range>
Key descending(const Range& values, KeyOptions options = {}) {
  Key key = ascending(values, std::move(options));
  key.descending = true;
  return key;
}

// Columns that together say which group a row belongs to. Nulls form one group.
struct Groups {
  std::vector<Key> keys;
};

template <KeyRange... Ranges>
Groups groups(const Ranges&... columns) {
  return Groups{{ascending(columns)...}};
}

}  // namespace lofty
