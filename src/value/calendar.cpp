#include "value/calendar.hpp"
#include "base/name_table.hpp"

#include <date/date.h>

#include <algorithm>

namespace lofty::engine {
namespace {

date::year_month_day parts_of(std::int64_t day) { return date::sys_days{date::days{day}}; }

std::int64_t day_of(date::year_month month) { return date::sys_days{month / 1}.time_since_epoch().count(); }

// How many months the unit of a month began before it.
unsigned months_in(CalendarUnit unit, const date::year_month_day& parts, int first_month) {
  const unsigned in_year = (static_cast<unsigned>(parts.month()) + 12 - static_cast<unsigned>(first_month)) % 12;
  return unit == CalendarUnit::year ? in_year : unit == CalendarUnit::quarter ? in_year % 3 : 0;
}

}  // namespace

const std::vector<std::string>& calendar_unit_names() {
  static const std::vector<std::string> names = {"day", "week", "month", "quarter", "year"};
  return names;
}

std::int64_t start_of_unit(CalendarUnit unit, std::int64_t day, int first_month) {
  if (unit == CalendarUnit::day) return day;
  if (unit == CalendarUnit::week)
    return day - (static_cast<std::int64_t>(date::weekday{date::sys_days{date::days{day}}}.iso_encoding()) - 1);
  const date::year_month_day parts = parts_of(day);
  return day_of(parts.year() / parts.month() - date::months{months_in(unit, parts, first_month)});
}

std::int64_t start_of_unit_after(CalendarUnit unit, std::int64_t day, int first_month, std::int64_t units) {
  const std::int64_t begin = start_of_unit(unit, day, first_month);
  if (unit == CalendarUnit::day) return begin + units;
  if (unit == CalendarUnit::week) return begin + 7 * units;
  const std::int64_t months = unit == CalendarUnit::month ? 1 : unit == CalendarUnit::quarter ? 3 : 12;
  const date::year_month_day parts = parts_of(begin);
  return day_of(parts.year() / parts.month() + date::months{months * units});
}

int quarter_of(std::int64_t day, int first_month) {
  const date::year_month_day parts = parts_of(day);
  return static_cast<int>((static_cast<unsigned>(parts.month()) + 12 - static_cast<unsigned>(first_month)) % 12 / 3) +
         1;
}

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(CalendarUnit, {CalendarUnit::day, "day"}, {CalendarUnit::week, "week"}, {CalendarUnit::month, "month"},
                 {CalendarUnit::quarter, "quarter"}, {CalendarUnit::year, "year"})

}  // namespace lofty
