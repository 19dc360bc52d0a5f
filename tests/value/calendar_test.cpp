// Calendar units of days.
#include "value/calendar.hpp"

#include <gtest/gtest.h>

#include "lofty/date.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

std::int64_t day(const char* text) { return Date::parse(text)->days; }
std::string text(std::int64_t at) { return Date{static_cast<std::int32_t>(at)}.text(); }

}  // namespace

TEST(Calendar, UnitsBeginWhereTheyDo) {
  const std::int64_t at = day("2026-02-27");  // a Friday
  EXPECT_EQ(text(start_of_unit(CalendarUnit::day, at, 4)), "2026-02-27");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::week, at, 4)), "2026-02-23");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::month, at, 4)), "2026-02-01");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::quarter, at, 1)), "2026-01-01");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::quarter, at, 2)), "2026-02-01");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::quarter, at, 12)), "2025-12-01");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::year, at, 1)), "2026-01-01");
  EXPECT_EQ(text(start_of_unit(CalendarUnit::year, at, 4)), "2025-04-01");
  EXPECT_EQ(quarter_of(at, 1), 1);
  EXPECT_EQ(quarter_of(at, 4), 4);
  EXPECT_EQ(quarter_of(at, 2), 1);
}

// Whatever the unit and the month: a unit holds its day, begins once, and the next begins where it ends.
TEST(Calendar, UnitsFollowOneAnother) {
  for (const CalendarUnit unit :
       {CalendarUnit::day, CalendarUnit::week, CalendarUnit::month, CalendarUnit::quarter, CalendarUnit::year})
    for (int month = 1; month <= 12; ++month)
      for (std::int64_t at = day("2023-12-01"); at < day("2025-03-10"); ++at) {
        const std::int64_t begin = start_of_unit(unit, at, month), next = start_of_unit_after(unit, at, month);
        ASSERT_LE(begin, at);
        ASSERT_GT(next, at);
        ASSERT_EQ(start_of_unit(unit, begin, month), begin);
        ASSERT_EQ(start_of_unit(unit, next, month), next);
        ASSERT_EQ(start_of_unit(unit, next - 1, month), begin);
      }
}
