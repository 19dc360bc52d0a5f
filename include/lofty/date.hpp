#pragma once
// Days and moments of the proleptic Gregorian calendar.

#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// A day. Years 1 to 9999.
struct Date {
  std::int32_t days = 0;  // since 1970-01-01

  static std::optional<Date> parse(std::string_view text);  // "2025-03-31" only; nothing for 2025-02-30
  static std::optional<Date> from_parts(int year, int month, int day);
  std::string text() const;  // "2025-03-31"

  friend constexpr auto operator<=>(const Date&, const Date&) = default;
};

// A moment: wall clock when it was written without an offset, else an instant counted in UTC.
struct Timestamp {
  std::int64_t microseconds = 0;  // since 1970-01-01 00:00:00

  // "2025-03-31 14:05", "2025-03-31T14:05:09.25", either followed by "Z" or "+02:00"; `zoned` tells which it was.
  // Nothing for other texts, and for more than six decimals of a second.
  static std::optional<Timestamp> parse(std::string_view text, bool* zoned = nullptr);
  Date day() const;
  std::string text(bool zoned = false) const;  // "2025-03-31 14:05:09", decimals only when there are some

  friend constexpr auto operator<=>(const Timestamp&, const Timestamp&) = default;
};

}  // namespace lofty
