// Settled meaning 16, sentence by sentence.
#include <gtest/gtest.h>

#include "support/tables.hpp"

using namespace lofty;
using support::column;
using support::says;
using Texts = std::vector<std::string>;

namespace {

// Lines of the small shop lie on 1, 2, 2, 5 (void), 31 March, 1 and 2 April 2025.
Ladder in(const Period& period, const std::string& where = "recent") {
  return {.data = {.from = "lines"}, .periods = {period}, .where = where, .list = {.columns = {"line_no"}}};
}
Texts caught(const Ladder& ladder) { return column(standings(ladder, support::small_shop()), "line_no"); }
std::string sentence(const Ladder& ladder) { return standings(ladder, support::small_shop()).question(); }

}  // namespace

TEST(Periods, TheLastDaysUpToAndIncludingTheLatestInTheData) {
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "1"})), Texts{"7"});
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "3", .unit = CalendarUnit::day})),
            (Texts{"5", "6", "7"}));
  EXPECT_NE(sentence(in({.name = "recent", .on = "ordered_on", .last = "3"}))
                .find("`recent` is 2025-03-31 to 2025-04-02: 3 lines, on 3 of 3 days."),
            std::string::npos);
}

TEST(Periods, CalendarUnitsBeginWhereTheCalendarSays) {
  // Of April two days have come; the last two months are March and what there is of April.
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "1", .unit = CalendarUnit::month})),
            (Texts{"6", "7"}));
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "2", .unit = CalendarUnit::month})).size(), 7u);
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "1", .unit = CalendarUnit::quarter})),
            (Texts{"6", "7"}));
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "1", .unit = CalendarUnit::year})).size(), 7u);
  // 2 April 2025 was a Wednesday, so its week begins on 31 March.
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .last = "1", .unit = CalendarUnit::week})),
            (Texts{"5", "6", "7"}));
}

TEST(Periods, TheAnchorIsTheLatestOfTheRowsThatTheOtherConditionsLetThrough) {
  const Period period{.name = "recent", .on = "ordered_on", .last = "1"};
  EXPECT_EQ(caught(in(period, "recent and quantity > 2")), Texts{"4"});
  EXPECT_EQ(caught(in(period, "status = 'open' and recent")), Texts{"5"});
  Ladder fixed = in({.name = "recent", .on = "ordered_on", .last = "2", .ends = "2025-03-03"});
  EXPECT_EQ(caught(fixed), (Texts{"2", "3"}));
  EXPECT_NE(sentence(fixed).find("`recent` is 2025-03-02 to 2025-03-03: 2 lines, on 1 of 2 days"), std::string::npos);
  EXPECT_TRUE(
      says(standings(fixed, support::small_shop()), "days-missing", "1 day of `recent` has no lines: 2025-03-03"));
}

TEST(Periods, FromAndThroughAreBothIncluded) {
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .from = "2025-03-02", .through = "2025-03-31"})),
            (Texts{"2", "3", "4", "5"}));
  EXPECT_EQ(caught(in({.name = "recent", .on = "ordered_on", .from = "2025-04-01"})), (Texts{"6", "7"}));
  const Ladder open = in({.name = "recent", .on = "ordered_on", .through = "2025-03-01"});
  EXPECT_EQ(caught(open), Texts{"1"});
  EXPECT_NE(sentence(open).find("`recent` is up to 2025-03-01: 1 line, on 1 day"), std::string::npos);
}

// 15. A date against a timestamp compares days, so the last day counts whole.
TEST(Periods, TimestampsBelongToTheirDay) {
  Catalog catalog;
  const std::vector<Timestamp> at{*Timestamp::parse("2025-03-30 23:59"), *Timestamp::parse("2025-03-31 00:00"),
                                  *Timestamp::parse("2025-03-31 18:30")};
  catalog.add(TableBuilder("visits").column("at", at).column("n", std::vector<std::int64_t>{1, 2, 3}).build());
  Ladder ladder{.data = {.from = "visits"},
                .periods = {{.name = "recent", .on = "at", .last = "1"}},
                .where = "recent",
                .list = {.columns = {"n"}}};
  EXPECT_EQ(column(standings(ladder, catalog), "n"), (Texts{"2", "3"}));
  ladder.periods[0] = {.name = "recent", .on = "at", .through = "2025-03-30"};
  EXPECT_EQ(column(standings(ladder, catalog), "n"), Texts{"1"});
}

// B3. The number is a choice that is changed from outside; B4. a total may count fewer rows than the listing shows.
TEST(Periods, AChoiceSetsTheLengthAndATotalMayCountLess) {
  Ladder ladder{.data = {.from = "lines"},
                .choices = {{.name = "days", .value = Decimal(3, 0), .unit = "days"}},
                .periods = {{.name = "recent", .on = "ordered_on", .last = ":days"}},
                .totals = {{"lines", "count(*)"}, {"lately", "count(*) filter (where recent)"}},
                .levels = {{.each = {"shop_no"}, .by = "lately desc"}}};
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "lately"), (Texts{"1", "1", "1", "0"}));
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "lines"), (Texts{"2", "2", "1", "2"}));
  choose(ladder, "days", "1");
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "lately"), (Texts{"1", "0", "0", "0"}));
  choose(ladder, "days", "0");
  EXPECT_EQ(support::problems(ladder, support::small_shop()),
            Texts{"bad-choice: `:days` is 0, which is not a number of units"});
}

TEST(Periods, OnesWithoutRowsAreSaid) {
  const Standings none = standings(
      in({.name = "recent", .on = "ordered_on", .from = "2030-01-01", .through = "2030-01-02"}), support::small_shop());
  EXPECT_EQ(none.rows(), 0u);
  EXPECT_TRUE(says(none, "period-empty", "no line that counts is in `recent`, 2030-01-01 to 2030-01-02"));
}

// With no row to count back from there is no latest day.
TEST(Periods, NoRowsNoAnchor) {
  const Standings none = standings(
      in({.name = "recent", .on = "ordered_on", .last = "3"}, "quantity > 1000 and recent"), support::small_shop());
  EXPECT_EQ(none.rows(), 0u);
  EXPECT_TRUE(says(none, "period-empty", "no line that counts is in `recent`"));
  EXPECT_NE(none.question().find("`recent` is empty"), std::string::npos) << none.question();
}

TEST(Periods, WhatIsWrongWithOneIsSaid) {
  const auto problems = [](const Period& period) { return support::problems(in(period), support::small_shop()); };
  EXPECT_EQ(problems({.name = "recent", .last = "3"})[0], "missing-key: `periods.recent` names no column of dates");
  EXPECT_EQ(problems({.name = "recent", .on = "ordered_on"})[0],
            "missing-key: `periods.recent` says neither how long it is nor from when to when");
  EXPECT_EQ(problems({.name = "recent", .on = "orderd_on", .last = "3"}),
            Texts{"unknown-column: no column `orderd_on` in lines; nearest: ordered_on"});  // once, in its own words
  EXPECT_EQ(problems({.name = "recent", .on = "status", .last = "3"})[0],
            "wrong-type: a period is one of dates or timestamps; `status` is text");
  EXPECT_EQ(problems({.name = "recent", .on = "ordered_on", .last = "0"})[0],
            "bad-value: `0` is not a number of units");
  EXPECT_EQ(problems({.name = "recent", .on = "ordered_on", .last = "3", .ends = "yesterday"})[0],
            "bad-value: `yesterday` is not a date");
  EXPECT_EQ(problems({.name = "recent", .on = "ordered_on", .last = "3", .from = "2025-03-01"})[0],
            "bad-value: `periods.recent` has both `last` and `from` or `through`");
  EXPECT_EQ(problems({.name = "status", .on = "ordered_on", .last = "3"})[0],
            "name-taken: the period `status` has the name of something that exists");
  EXPECT_EQ(problems({.name = "recent", .on = "ordered_on", .last = ":dais"})[0],
            "unknown-choice: no choice is called `dais`");
}
