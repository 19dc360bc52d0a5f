// Names of enumerators, whole columns of an answer, its rows as a range, and a catalog on several threads.
#include <gtest/gtest.h>

#include <limits>
#include <thread>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

namespace {

using lofty::Decimal;
using lofty::Value;

// to_string() and back, from the first enumerator to the last; names differ.
template <class Enum>
void expect_names(Enum first, Enum last) {
  std::vector<std::string> seen;
  for (int i = static_cast<int>(first); i <= static_cast<int>(last); ++i) {
    const auto one = static_cast<Enum>(i);
    const std::string name = to_string(one);
    EXPECT_FALSE(name.empty()) << i;
    EXPECT_EQ(lofty::from_string<Enum>(name), one) << name;
    EXPECT_EQ(std::count(seen.begin(), seen.end(), name), 0) << name;
    seen.push_back(name);
  }
  EXPECT_FALSE(lofty::from_string<Enum>("no such name"));
  EXPECT_FALSE(lofty::from_string<Enum>(""));
}

lofty::Catalog sample() {
  lofty::Catalog tables;
  const Value none;
  const auto whole = [](std::int64_t n) { return Value(Decimal(n, 0)); };
  tables.add(lofty::TableBuilder("t")
                 .column("k", std::vector<std::int64_t>{1, 2, 3})
                 .column("whole", std::vector<Value>{whole(7), none, whole(-9)})
                 .column("money", std::vector<Value>{Value(Decimal(150, 2)), Value(Decimal(25, 1)), none})
                 .column("ratio", std::vector<double>{0.5, std::numeric_limits<double>::quiet_NaN(), 2})
                 .column("day", std::vector<lofty::Date>{{1}, {2}, {3}})
                 .column("at", std::vector<lofty::Timestamp>{{10}, {20}, {30}})
                 .column("open", std::vector<Value>{Value(true), Value(false), none})
                 .column("shop", std::vector<Value>{Value(std::string("b")), none, Value(std::string("a"))})
                 .column("huge", std::vector<Value>{Value(*Decimal::parse("12345678901234567890")), none, none})
                 .build());
  return tables;
}

lofty::Standings answer() {
  return standings(
      {.data = {.from = "t"},
       .list = {.order = "input", .columns = {"k", "whole", "money", "ratio", "day", "at", "open", "shop", "huge"}}},
      sample());
}

}  // namespace

TEST(EnumNames, ThereAndBack) {
  expect_names(lofty::CalledIn::any_formula, lofty::CalledIn::windows);
  expect_names(lofty::Cut::with_ties, lofty::Cut::strict);
  expect_names(lofty::Role::place, lofty::Role::measure);
  expect_names(lofty::SummaryLine::Of::others, lofty::SummaryLine::Of::all);
  expect_names(lofty::JoinType::left, lofty::JoinType::full);
  expect_names(lofty::Measure::place, lofty::Measure::cumulative_distribution);
  expect_names(lofty::Kind::integer, lofty::Kind::unknown);
  expect_names(lofty::From::first, lofty::From::last);
  expect_names(lofty::Ties::competition, lofty::Ties::fractional);
  expect_names(lofty::FrameUnit::rows, lofty::FrameUnit::groups);
  expect_names(lofty::Edge::unbounded_preceding, lofty::Edge::unbounded_following);
  expect_names(lofty::Excluded::no_others, lofty::Excluded::ties);
  expect_names(lofty::Nulls::last, lofty::Nulls::first);
  expect_names(lofty::TextOrder::language, lofty::TextOrder::code_point);
  expect_names(lofty::Element::int8, lofty::Element::string);
  expect_names(lofty::Stage::joined, lofty::Stage::kept);
  expect_names(lofty::Code::syntax, lofty::Code::stopped);
  expect_names(lofty::PictureKind::bars, lofty::PictureKind::shares);
  expect_names(lofty::PictureFormat::svg, lofty::PictureFormat::pdf);
  expect_names(lofty::LinesPicture::Along::dates, lofty::LinesPicture::Along::texts);
  expect_names(lofty::MovementPicture::Moved::up, lofty::MovementPicture::Moved::left);
  expect_names(lofty::Detail::none, lofty::Detail::full);
  expect_names(lofty::Format::csv, lofty::Format::page);
  expect_names(lofty::Output::Kind::csv, lofty::Output::Kind::table);
  expect_names(lofty::Replaces::What::nothing, lofty::Replaces::What::other);
}

TEST(WholeColumns, OfEveryTypeWithTheirNulls) {
  const lofty::Standings s = answer();
  const auto at = [&](const char* name) { return *s.find(name); };
  EXPECT_FALSE(s.find("K"));
  EXPECT_EQ(s.values<std::int64_t>(at("k")).values, (std::vector<std::int64_t>{1, 2, 3}));
  EXPECT_TRUE(s.values<std::int64_t>(at("k")).nulls.empty());
  const auto whole = s.values<std::int64_t>(at("whole"));
  EXPECT_EQ(whole.values, (std::vector<std::int64_t>{7, 0, -9}));
  EXPECT_EQ(whole.nulls, (std::vector<std::uint8_t>{0, 1, 0}));
  EXPECT_EQ(s.values<Decimal>(at("money")).values[1], Decimal(25, 1));
  EXPECT_EQ(s.values<double>(at("money")).values, (std::vector<double>{1.5, 2.5, 0}));
  EXPECT_EQ(s.values<double>(at("ratio")).nulls, (std::vector<std::uint8_t>{0, 1, 0}));
  EXPECT_EQ(s.values<lofty::Date>(at("day")).values[2].days, 3);
  EXPECT_EQ(s.values<lofty::Timestamp>(at("at")).values[0].microseconds, 10);
  EXPECT_EQ(s.values<std::uint8_t>(at("open")).values, (std::vector<std::uint8_t>{1, 0, 0}));
  EXPECT_EQ(s.values<std::string>(at("shop")).values, (std::vector<std::string>{"b", "", "a"}));

  // What does not fit is refused.
  const auto code_of = [](const auto& call) {
    try {
      call();
    } catch (const lofty::Error& error) {
      return error.code();
    }
    return lofty::Code::stopped;
  };
  EXPECT_EQ(code_of([&] { s.values<std::int64_t>(at("money")); }), lofty::Code::wrong_type);
  EXPECT_EQ(code_of([&] { s.values<std::string>(at("k")); }), lofty::Code::wrong_type);
  EXPECT_EQ(code_of([&] { s.values<std::int64_t>(at("huge")); }), lofty::Code::overflow);
  EXPECT_THROW(s.values<std::int64_t>(99), lofty::CallError);
  EXPECT_THROW(s.value(0, 99), lofty::CallError);
  EXPECT_THROW(s.value(3, 0), lofty::CallError);
}

TEST(WholeColumns, AreWhatTheValuesAreInNestedLevels) {
  const lofty::TableFiles tables(std::string(LOFTY_SOURCE) + "/demo");
  const auto text = lofty::read_ladder_file(std::string(LOFTY_SOURCE) + "/demo/valleys_shops_products.ladder.toml");
  const lofty::Standings s = standings(text.ladder, tables);
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    if (s.columns()[c].type.kind != lofty::Kind::text) continue;
    const auto column = s.values<std::string>(c);
    for (std::size_t r = 0; r < s.rows(); ++r) {
      EXPECT_EQ(column.values[r], to_text(s.value(r, c)));
    }
  }
}

TEST(RowsOfAnAnswer, AreARange) {
  std::vector<std::string> shops;
  for (const lofty::StandingRow row : answer().each_row()) shops.push_back(to_text(row["shop"]) + to_text(row[0]));
  EXPECT_EQ(shops, (std::vector<std::string>{"b1", "2", "a3"}));
  EXPECT_EQ(answer().each_row().size(), 3u);
  const lofty::Standings s = answer();
  try {
    static_cast<void>((*s.each_row().begin())["shp"]);
    FAIL();
  } catch (const lofty::Error& error) {
    EXPECT_EQ(error.problems().front().nearest, "shop");
  }
}

TEST(TableFilesOnThreads, OpenAndReadAtTheSameTime) {
  const support::Scratch s;
  support::shell("cd " + s.path().string() +
                 " && sqlite3 x.sqlite \"create table a(n integer); insert into a values "
                 "(1),(2); create table b(n integer); insert into b values (3)\"");
  s.file("c.csv", "n\n4\n5\n6\n");
  const lofty::TableFiles tables(s.path());
  std::atomic<int> wrong = 0;
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([&] {
      for (int i = 0; i < 50; ++i)
        for (const auto& [name, rows] :
             {std::pair{"x.sqlite#a", 2u}, std::pair{"x.sqlite#b", 1u}, std::pair{"c.csv", 3u}}) {
          const auto source = tables.open(name, {});
          const std::size_t column = 0;
          wrong += source->read({&column, 1}, {.threads = 1}).rows() != rows;
        }
    });
  for (std::thread& thread : threads) thread.join();
  EXPECT_EQ(wrong, 0);
  EXPECT_TRUE(tables.opened().find(s.path() / "c.csv"));
}
