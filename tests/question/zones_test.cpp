// SEMANTICS 15: moments with an offset are shown, and their days counted, in data.zone.
#include <gtest/gtest.h>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using Texts = std::vector<std::string>;

namespace {

// Late evenings in summer, on both sides of the hour that comes twice, and one before midnight on New Year's Eve.
const char* const visits =
    "visit,at\n"
    "1,2025-06-30T23:30:00+02:00\n"
    "2,2025-06-30T22:15:00Z\n"
    "3,2025-10-26T00:30:00Z\n"
    "4,2025-10-26T01:30:00Z\n"
    "5,2024-12-31T23:30:00Z\n";

Standings asked(const std::string& zone, const std::vector<NamedFormula>& figures, const std::string& where = {},
                const std::vector<Period>& periods = {}) {
  const support::Scratch folder;
  folder.file("visits.csv", visits);
  Ladder ladder{.data = {.from = "visits.csv", .zone = zone}, .periods = periods, .figures = figures, .where = where};
  ladder.list = {.order = "input", .columns = {"visit", "at"}};
  for (const NamedFormula& figure : figures) ladder.list.columns.push_back(figure.name);
  return standings(ladder, TableFiles(folder.path()));
}

}  // namespace

TEST(Zones, MomentsAreShownWithTheirOffset) {
  EXPECT_NE(written(asked("", {}), Format::csv).find("1,2025-06-30 21:30:00Z\n"), std::string::npos);
  const std::string oslo = written(asked("Europe/Oslo", {}), Format::csv);
  EXPECT_EQ(oslo,
            "visit,at\n1,2025-06-30 23:30:00+02:00\n2,2025-07-01 00:15:00+02:00\n3,2025-10-26 02:30:00+02:00\n"
            "4,2025-10-26 02:30:00+01:00\n5,2025-01-01 00:30:00+01:00\n");
  EXPECT_NE(listing(asked("Europe/Oslo", {})).find("2025-07-01 00:15:00+02:00"), std::string::npos);
}

TEST(Zones, FilesCarryTheOffsetToo) {
  const support::Scratch folder;
  const std::filesystem::path file = folder.path() / "out.sqlite";
  write_sqlite(asked("Europe/Oslo", {}), file, "visits");
  EXPECT_EQ(support::shell("sqlite3 " + file.string() + " 'select at from visits where visit = 2'").out,
            "2025-07-01 00:15:00+02:00\n");
  // Read again it is the same moment.
  Ladder again{.data = {.from = "out.sqlite#visits"}, .list = {.order = "input", .columns = {"at"}}};
  EXPECT_EQ(column(standings(again, TableFiles(folder.path())), "at")[1], "2025-06-30 22:15:00");
}

TEST(Zones, DaysAndPartsAreThoseOfThePlace) {
  const std::vector<NamedFormula> figures = {{"day", "cast(at as date)"},
                                             {"hour", "extract(hour from at)"},
                                             {"month", "start_of('month', at)"},
                                             {"text", "cast(at as text)"}};
  const Standings s = asked("Europe/Oslo", figures);
  EXPECT_EQ(column(s, "day"), (Texts{"2025-06-30", "2025-07-01", "2025-10-26", "2025-10-26", "2025-01-01"}));
  EXPECT_EQ(column(s, "hour"), (Texts{"23", "0", "2", "2", "0"}));
  EXPECT_EQ(column(s, "month"), (Texts{"2025-06-01", "2025-07-01", "2025-10-01", "2025-10-01", "2025-01-01"}));
  EXPECT_EQ(column(s, "text")[1], "2025-07-01 00:15:00+02:00");
  EXPECT_EQ(column(asked("", figures), "day")[1], "2025-06-30");
}

TEST(Zones, ADateComparesByTheDaysOfThePlace) {
  EXPECT_EQ(column(asked("Europe/Oslo", {}, "at <= date '2025-06-30'"), "visit"), (Texts{"1", "5"}));
  EXPECT_EQ(column(asked("", {}, "at <= date '2025-06-30'"), "visit"), (Texts{"1", "2", "5"}));
}

// A moment that is written without an offset is on the clock of the place.
TEST(Zones, AWallClockIsThatOfThePlace) {
  EXPECT_EQ(column(asked("Europe/Oslo", {}, "at < timestamp '2025-07-01 00:00:00'"), "visit"), (Texts{"1", "5"}));
  EXPECT_EQ(column(asked("Europe/Oslo", {}, "at < timestamp '2025-07-01 00:00:00Z'"), "visit"), (Texts{"1", "2", "5"}));
  EXPECT_EQ(
      column(asked("Europe/Oslo", {}, "at between timestamp '2025-10-26 02:00:00' and timestamp '2025-10-26 04:00:00'"),
             "visit"),
      (Texts{"3", "4"}));
}

// A day later is the same hour, also where a day is 25 hours long; an hour later is an hour.
TEST(Zones, DaysGoByTheClockAndHoursByTime) {
  const Standings s = asked(
      "Europe/Oslo", {{"day_later", "at + interval '1' day"}, {"hours_later", "at + interval '24' hour"}}, "visit = 3");
  EXPECT_EQ(to_text(s.value(0, 2), s.columns()[2].type), "2025-10-27 02:30:00+01:00");
  EXPECT_EQ(to_text(s.value(0, 3), s.columns()[3].type), "2025-10-27 01:30:00+01:00");
}

TEST(Zones, PeriodsCatchDaysOfThePlace) {
  const Standings s =
      asked("Europe/Oslo", {}, "july", {{.name = "july", .on = "at", .from = "2025-07-01", .through = "2025-07-31"}});
  EXPECT_EQ(column(s, "visit"), Texts{"2"});
  EXPECT_NE(s.question().find("on 1 of 31 days"), std::string::npos) << s.question();
}

// Keys, totals, neighbours: nothing in an entry's workings falls back to UTC.
TEST(Zones, WorkingsShowThePlaceToo) {
  const support::Scratch folder;
  folder.file("visits.csv", visits);
  Ladder ladder{.data = {.from = "visits.csv", .zone = "Europe/Oslo"},
                .totals = {{"latest", "max(at)"}},
                .levels = {{.each = {"visit", "at"}, .by = "latest desc"}}};
  const std::string text = workings_text(why(ladder, TableFiles(folder.path()), "visit = 2"));
  EXPECT_NE(text.find("at 2025-07-01 00:15:00+02:00"), std::string::npos) << text;
  EXPECT_NE(text.find("by `latest` 2025-07-01 00:15:00+02:00"), std::string::npos) << text;
  EXPECT_NE(text.find("at 2025-10-26 02:30:00+02:00, has 2025-10-26 02:30:00+02:00"), std::string::npos) << text;
  EXPECT_NE(text.find("= max(at) = 2025-07-01 00:15:00+02:00"), std::string::npos) << text;
  EXPECT_NE(text.find("1 row belongs to it, 1 counts"), std::string::npos) << text;
  EXPECT_EQ(text.find('Z'), std::string::npos) << text;
}

TEST(Zones, AnUnknownPlaceIsSaid) {
  const support::Scratch folder;
  folder.file("visits.csv", visits);
  const auto found =
      support::problems({.data = {.from = "visits.csv", .zone = "Europe/Olso"}}, TableFiles(folder.path()));
  EXPECT_EQ(found, Texts{"bad-value: no time zone is called `Europe/Olso`; nearest: Europe/Oslo"});
}

TEST(Zones, ByOptionAndSaved) {
  const support::Scratch folder;
  folder.file("visits.csv", visits);
  const auto ran = support::lofty({"rank", "visits.csv", "--zone", "Europe/Oslo", "--columns", "at", "--to", "csv",
                                   "--save-ladder", "kept.ladder.toml"},
                                  folder.path());
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_NE(ran.out.find("2025-07-01 00:15:00+02:00"), std::string::npos) << ran.out;
  EXPECT_EQ(support::lofty({"rank", "kept.ladder.toml", "--to", "csv"}, folder.path()).out, ran.out);
  EXPECT_NE(support::slurp(folder.path() / "kept.ladder.toml").find("zone"), std::string::npos);
  const auto wrong = support::lofty({"rank", "visits.csv", "--zone", "Oslo"}, folder.path());
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("--zone"), std::string::npos) << wrong.err;
  EXPECT_NE(wrong.err.find("Europe/Oslo"), std::string::npos) << wrong.err;
}
