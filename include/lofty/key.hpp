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
#include <utility>
#include <vector>

#include "lofty/date.hpp"
#include "lofty/decimal.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/null_mask.hpp"
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

// The values that keys are made of. Under gnu++20 __int128 is an integer, too: such numbers are decimals here.
template <class T>
concept KeyElement = std::same_as<T, std::string> || std::same_as<T, std::string_view> || std::same_as<T, Decimal> ||
    std::same_as<T, Date> || std::same_as<T, Timestamp> || std::same_as<T, float> || std::same_as<T, double> ||
    (std::is_integral_v<T> && sizeof(T) <= sizeof(std::int64_t));

// An array of them that lives long enough.
template <class Range>
concept KeyValues = KeyRange<Range> && KeyElement<std::remove_cv_t<std::ranges::range_value_t<Range>>>;

template <KeyElement T>
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
    constexpr auto size = sizeof(T) == 1 ? 0 : sizeof(T) == 2 ? 1 : sizeof(T) == 4 ? 2 : 3;
    return static_cast<Element>(size + (std::is_signed_v<T> ? 0 : 4));
  }
}

// One key: a view of the caller's array (which must outlive the call it is passed to), a direction, and where nulls
// go. NaN is null; -0.0 equals 0.0. Decimals may differ in scale and compare by value. Made by ascending() and
// descending(), so that length and type are those of the array. A default key has no values.
class Key {
 public:
  Key() = default;
  template <KeyValues Range>
  Key(Range&& values, bool descends, KeyOptions how)
      : descending(descends),
        options(std::move(how)),
        values_(std::ranges::data(values)),
        size_(std::ranges::size(values)),
        element_(element_of<std::remove_cv_t<std::ranges::range_value_t<Range>>>()) {}

  const void* values() const { return values_; }
  std::size_t size() const { return size_; }
  Element element() const { return element_; }

  bool descending = false;
  KeyOptions options = {};

 private:
  const void* values_ = nullptr;
  std::size_t size_ = 0;
  Element element_ = Element::int64;
};

// A key over a vector, array or span of numbers, dates or texts. A temporary vector does not compile: the key would
// outlive it. Neither does a text: it is one value.
template <KeyValues Range>
[[nodiscard]] Key ascending(Range&& values, KeyOptions options = {}) {
  return Key(values, false, std::move(options));
}

template <KeyValues Range>
[[nodiscard]] Key descending(Range&& values, KeyOptions options = {}) {
  return Key(values, true, std::move(options));
}

// Columns that together say which group a row belongs to. Nulls form one group.
struct Groups {
  std::vector<Key> keys;
};

template <KeyValues... Ranges>
[[nodiscard]] Groups groups(Ranges&&... columns) {
  return Groups{{ascending(columns)...}};
}

}  // namespace lofty
