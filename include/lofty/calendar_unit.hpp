#pragma once
// Units of the calendar.

#include <cstdint>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// Weeks begin on Monday; quarters and years in the month that the ladder names (Ladder::first_month).
enum class CalendarUnit : std::uint8_t { day, week, month, quarter, year };
[[nodiscard]] const char* to_string(CalendarUnit value);
template <>
std::optional<CalendarUnit> from_string<CalendarUnit>(std::string_view name);

}  // namespace lofty
