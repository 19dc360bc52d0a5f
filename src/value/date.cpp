// Dates and timestamps: from text and to text.

#include "lofty/date.hpp"

#include <date/date.h>

#include <cstdio>

#include "value/put_text.hpp"

namespace lofty {
namespace {

// `count` digits at the front of `text`, taken off it; -1 when they are not there.
int take_digits(std::string_view& text, std::size_t count) {
  if (text.size() < count) return -1;
  int value = 0;
  for (std::size_t i = 0; i < count; ++i) {
    if (text[i] < '0' || text[i] > '9') return -1;
    value = value * 10 + (text[i] - '0');
  }
  text.remove_prefix(count);
  return value;
}

bool take(std::string_view& text, char c) {
  if (text.empty() || text[0] != c) return false;
  text.remove_prefix(1);
  return true;
}

constexpr std::int64_t second = 1'000'000, minute = 60 * second, hour = 60 * minute, whole_day = 24 * hour;

}  // namespace

std::optional<Date> Date::from_parts(int year, int month, int day) {
  if (year < 1 || year > 9999 || month < 1 || month > 12 || day < 1 || day > 31) return std::nullopt;
  const date::year_month_day parts{date::year{year}, date::month{static_cast<unsigned>(month)},
                                   date::day{static_cast<unsigned>(day)}};
  if (!parts.ok()) return std::nullopt;
  return Date{static_cast<std::int32_t>(date::sys_days{parts}.time_since_epoch().count())};
}

std::optional<Date> Date::parse(std::string_view text) {
  if (text.size() != 10 || text[4] != '-' || text[7] != '-') return std::nullopt;
  const int year = take_digits(text, 4);
  take(text, '-');
  const int month = take_digits(text, 2);
  take(text, '-');
  return from_parts(year, month, take_digits(text, 2));
}

std::string Date::text() const {
  std::string out;
  engine::put_date(days, out);
  return out;
}

std::optional<Timestamp> Timestamp::parse(std::string_view text, bool* zoned) {
  if (text.size() < 16 || (text[10] != ' ' && text[10] != 'T')) return std::nullopt;
  const auto day = Date::parse(text.substr(0, 10));
  if (!day) return std::nullopt;
  text.remove_prefix(11);
  const int hours = take_digits(text, 2);
  if (hours < 0 || hours > 23 || !take(text, ':')) return std::nullopt;
  const int minutes = take_digits(text, 2);
  if (minutes < 0 || minutes > 59) return std::nullopt;

  // Seconds, and parts of one.
  std::int64_t value = day->days * whole_day + hours * hour + minutes * minute;
  if (take(text, ':')) {
    const int seconds = take_digits(text, 2);
    if (seconds < 0 || seconds > 59) return std::nullopt;
    value += seconds * second;
    if (take(text, '.')) {
      std::int64_t unit = second;
      bool any = false;
      while (!text.empty() && text[0] >= '0' && text[0] <= '9') {
        unit /= 10;
        if (unit == 0) return std::nullopt;
        value += unit * (text[0] - '0');
        text.remove_prefix(1);
        any = true;
      }
      if (!any) return std::nullopt;
    }
  }

  // The offset from UTC.
  bool offset = false;
  if (take(text, 'Z')) {
    offset = true;
  } else if (!text.empty() && (text[0] == '+' || text[0] == '-')) {
    const std::int64_t sign = text[0] == '+' ? -1 : 1;
    text.remove_prefix(1);
    const int offset_hours = take_digits(text, 2);
    take(text, ':');
    const int offset_minutes = take_digits(text, 2);
    if (offset_hours < 0 || offset_hours > 14 || offset_minutes < 0 || offset_minutes > 59) return std::nullopt;
    value += sign * (offset_hours * hour + offset_minutes * minute);
    offset = true;
  }
  if (!text.empty()) return std::nullopt;
  if (zoned != nullptr) *zoned = offset;
  return Timestamp{value};
}

Date Timestamp::day() const {
  std::int64_t days = microseconds / whole_day;
  if (microseconds % whole_day < 0) --days;
  return Date{static_cast<std::int32_t>(days)};
}

std::string Timestamp::text(bool zoned) const {
  const Date on = day();
  const std::int64_t rest = microseconds - on.days * whole_day;
  char buffer[48];
  std::snprintf(buffer, sizeof buffer, " %02d:%02d:%02d", static_cast<int>(rest / hour),
                static_cast<int>(rest / minute % 60), static_cast<int>(rest / second % 60));
  std::string out = on.text() + buffer;
  if (const auto part = static_cast<int>(rest % second); part != 0) {
    std::snprintf(buffer, sizeof buffer, ".%06d", part);
    out += buffer;
    while (out.back() == '0') out.pop_back();
  }
  if (zoned) out += 'Z';
  return out;
}

}  // namespace lofty
