#include <gtest/gtest.h>

#include "lofty/date.hpp"

using lofty::Date;
using lofty::Timestamp;

TEST(Date, OnlyRealDaysAreDates) {
  EXPECT_EQ(Date::parse("1970-01-01")->days, 0);
  EXPECT_EQ(Date::parse("2025-03-31")->text(), "2025-03-31");
  EXPECT_EQ(Date::parse("0001-01-01")->text(), "0001-01-01");
  EXPECT_EQ(Date::parse("9999-12-31")->text(), "9999-12-31");
  for (const char* bad : {"2025-02-30", "2023-02-29", "2025-13-01", "2025-00-10", "2025-1-01", "25-01-01", "2025/01/01",
                          "", "2025-01-01 ", "20250101xx"})
    EXPECT_FALSE(Date::parse(bad)) << bad;
  EXPECT_TRUE(Date::parse("2024-02-29"));
}

TEST(Date, EveryDayOfFourCenturiesReadsBack) {
  for (std::int32_t day = -100'000; day < 50'000; day += 1) ASSERT_EQ(Date::parse(Date{day}.text())->days, day);
}

TEST(Timestamp, WallClockAndInstants) {
  bool zoned = true;
  EXPECT_EQ(Timestamp::parse("2025-03-31 14:05", &zoned)->text(), "2025-03-31 14:05:00");
  EXPECT_FALSE(zoned);
  EXPECT_EQ(Timestamp::parse("2025-03-31T14:05:09.25")->text(), "2025-03-31 14:05:09.25");
  EXPECT_EQ(Timestamp::parse("2025-03-31T00:30:00+02:00", &zoned)->text(true), "2025-03-30 22:30:00Z");
  EXPECT_TRUE(zoned);
  EXPECT_EQ(Timestamp::parse("1969-12-31T23:59:59.999999Z")->microseconds, -1);
  EXPECT_EQ(Timestamp{-1}.day().text(), "1969-12-31");
  for (const char* bad : {"2025-03-31 24:00", "2025-03-31 12:60", "2025-03-31 12", "2025-03-31 12:00:00.",
                          "2025-03-31 12:00:00.1234567", "2025-03-31 12:00+99:00", "2025-03-31x12:00"})
    EXPECT_FALSE(Timestamp::parse(bad)) << bad;
}
