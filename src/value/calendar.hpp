#pragma once
// Calendar units of days: where the week, month, quarter or year of a day begins.
// Covered by tests/value/calendar_test.cpp.

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/calendar_unit.hpp"

namespace lofty::engine {

const std::vector<std::string>& calendar_unit_names();  // "day", ...

// Days count from 1970-01-01. Weeks begin on Monday; years, and quarters with them, on the first day of `first_month`
// (1 to 12), so that with 4 the year of 2026-02-27 begins on 2025-04-01.
std::int64_t start_of_unit(CalendarUnit unit, std::int64_t day, int first_month);
// The first day of the unit `units` after that of this day.
std::int64_t start_of_unit_after(CalendarUnit unit, std::int64_t day, int first_month, std::int64_t units = 1);
// 1 to 4.
int quarter_of(std::int64_t day, int first_month);

}  // namespace lofty::engine
