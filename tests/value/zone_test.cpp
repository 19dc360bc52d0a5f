// Wall clocks of places, against ICU's own arithmetic.
#include "value/zone.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>
#include <unicode/timezone.h>

#include "lofty/date.hpp"

using namespace lofty;
using lofty::Zone;

namespace {

std::int64_t at(const char* text) { return Timestamp::parse(text)->microseconds; }
std::string local(const Zone& zone, const char* utc) { return Timestamp{zone.to_local(at(utc))}.text(); }
std::string instant(const Zone& zone, const char* wall) { return Timestamp{zone.to_instant(at(wall))}.text(); }

}  // namespace

TEST(Zone, ClocksGoForwardAndBack) {
  const Zone& oslo = *Zone::find("Europe/Oslo");
  EXPECT_EQ(local(oslo, "2025-01-15 12:00"), "2025-01-15 13:00:00");
  EXPECT_EQ(local(oslo, "2025-03-30 00:59:59"), "2025-03-30 01:59:59");
  EXPECT_EQ(local(oslo, "2025-03-30 01:00"), "2025-03-30 03:00:00");
  EXPECT_EQ(local(oslo, "2025-10-26 00:59:59"), "2025-10-26 02:59:59");
  EXPECT_EQ(local(oslo, "2025-10-26 01:00"), "2025-10-26 02:00:00");
  EXPECT_EQ(local(*Zone::find("Asia/Kathmandu"), "2025-01-15 12:00"), "2025-01-15 17:45:00");
  EXPECT_EQ(local(*Zone::find("UTC"), "2025-07-15 12:00"), "2025-07-15 12:00:00");
}

TEST(Zone, OfAnHourThatComesTwiceTheFirst) {
  const Zone& oslo = *Zone::find("Europe/Oslo");
  EXPECT_EQ(instant(oslo, "2025-10-26 02:30"), "2025-10-26 00:30:00");
  EXPECT_EQ(instant(oslo, "2025-10-26 03:00"), "2025-10-26 02:00:00");
  EXPECT_EQ(instant(oslo, "2025-03-30 02:30"), "2025-03-30 01:30:00");  // skipped: an hour before it would be 00:30
  EXPECT_EQ(instant(oslo, "2025-03-30 03:30"), "2025-03-30 01:30:00");
}

TEST(Zone, UnknownNames) {
  EXPECT_EQ(Zone::find("Europe/Olso"), nullptr);
  EXPECT_EQ(Zone::find(""), nullptr);
  EXPECT_EQ(Zone::find("Europe/Oslo"), Zone::find("Europe/Oslo"));
}

TEST(Zone, TheNameThatSomebodyMeant) {
  EXPECT_EQ(Zone::nearest("Europe/Olso"), "Europe/Oslo");
  EXPECT_EQ(Zone::nearest("Oslo"), "Europe/Oslo");
  EXPECT_EQ(Zone::nearest("oslo"), "Europe/Oslo");
  EXPECT_EQ(Zone::nearest("New York"), "America/New_York");
  EXPECT_EQ(Zone::nearest("Olso"), "Europe/Oslo");
  EXPECT_EQ(Zone::nearest("utc"), "UTC");
  EXPECT_EQ(Zone::nearest("somewhere else entirely"), "");
}

RC_GTEST_PROP(ZoneProperty, AgreesWithIcu, ()) {
  const std::string name = *rc::gen::elementOf(std::vector<std::string>{
      "Europe/Oslo", "America/New_York", "Australia/Lord_Howe", "Asia/Kolkata", "Africa/Casablanca", "Pacific/Apia"});
  // 1850 to 2090, in seconds.
  const std::int64_t second = *rc::gen::inRange<std::int64_t>(-3'786'000'000, 3'786'000'000);
  const Zone& zone = *Zone::find(name);
  const std::unique_ptr<icu::TimeZone> icu(icu::TimeZone::createTimeZone(icu::UnicodeString::fromUTF8(name)));
  std::int32_t raw = 0, summer = 0;
  UErrorCode error = U_ZERO_ERROR;
  icu->getOffset(static_cast<double>(second) * 1000, static_cast<UBool>(false), raw, summer, error);
  const std::int64_t moment = second * 1'000'000;
  RC_ASSERT(zone.offset(moment) == (std::int64_t{raw} + summer) * 1000);
  // There and back, but for the second of two equal hours.
  const std::int64_t wall = zone.to_local(moment), back = zone.to_instant(wall);
  RC_ASSERT(zone.to_local(back) == wall);
  RC_ASSERT(back <= moment);
}
