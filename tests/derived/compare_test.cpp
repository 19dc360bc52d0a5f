// Who moved, came and left; and whether an answer is the expected one.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <fstream>
#include <map>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using Texts = std::vector<std::string>;

namespace {

// Shop and amount, and the month that they count in.
struct Line {
  int shop, amount, month;
};

Catalog catalog_of(const std::vector<Line>& lines) {
  std::vector<std::int64_t> shops, amounts, months;
  for (const Line& line : lines) {
    shops.push_back(line.shop);
    amounts.push_back(line.amount);
    months.push_back(line.month);
  }
  Catalog catalog;
  catalog.add(TableBuilder("lines").column("shop_no", shops).column("amount", amounts).column("month", months).build());
  return catalog;
}

Ladder since() {
  return {.data = {.from = "lines"},
          .choices = {{"since", Decimal(2, 0)}},
          .where = "month >= :since",
          .totals = {{"spend", "sum(amount)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc"}},
          .compare = {.choose = {{"since", Decimal(1, 0)}}}};
}

const std::vector<Line> few = {{1, 90, 1}, {2, 50, 1}, {3, 40, 1}, {4, 10, 1},
                               {2, 50, 2}, {3, 45, 2}, {4, 45, 2}, {5, 5, 2}};

Texts problems_of(const Ladder& ladder) { return support::problems(ladder, catalog_of(few)); }

Table table(const std::vector<std::pair<std::string, std::vector<Value>>>& columns) {
  Catalog catalog;
  support::add(catalog, "expected.csv", columns);
  return catalog.open("expected.csv", {})->read({}, {});
}

Standings plain() {
  Ladder ladder = since();
  ladder.compare = {};
  return standings(ladder, catalog_of(few));
}

Value n(long value) { return support::number(value); }

// As it was asked before.
Ladder former_ladder(Ladder ladder) {
  for (const auto& [name, value] : ladder.compare.choose) choose(ladder, name, to_text(value));
  ladder.compare = {};
  return ladder;
}

}  // namespace

TEST(Compare, FormerPlacesAndHowFarUp) {
  // Then: 2 has 100, 1 has 90, 3 has 85, 4 has 55, 5 has 5. Now: 2 has 50, 3 and 4 have 45, 5 has 5.
  const Standings s = standings(since(), catalog_of(few));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"2", "3", "4", "5"}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "2", "2", "4"}));
  EXPECT_EQ(column(s, "was"), (Texts{"1", "3", "4", "5"}));
  EXPECT_EQ(column(s, "moved"), (Texts{"0", "1", "2", "1"}));
  ASSERT_EQ(s.departed().size(), 1u);
  EXPECT_EQ(s.departed()[0].name, "shop_no 1");
  EXPECT_EQ(to_text(s.departed()[0].was), "2");
  EXPECT_TRUE(is_null(s.departed()[0].now));
  EXPECT_NE(s.question().find("Compared with since = 1."), std::string::npos) << s.question();
  EXPECT_NE(listing(s).find("no longer listed: shop_no 1 (was 2, now without a place)"), std::string::npos);
  EXPECT_NE(
      written(s, Format::json).find("\"name\": \"shop_no 1\", \"keys\": {\"shop_no\": 1}, \"was\": 2, \"now\": null"),
      std::string::npos);
}

TEST(Compare, NewcomersWereNowhere) {
  Ladder ladder = since();
  ladder.choices[0].value = n(1);
  ladder.compare.choose[0].second = n(2);
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"2", "1", "3", "4", "5"}));
  EXPECT_EQ(column(s, "was"), (Texts{"1", "", "2", "2", "4"}));
  EXPECT_EQ(column(s, "moved"), (Texts{"0", "", "-1", "-2", "-1"}));
  EXPECT_TRUE(s.departed().empty());
}

TEST(Compare, PlacesAreThoseBeforeAnythingIsLeftOut) {
  Ladder ladder = since();
  ladder.levels[0].best = 2;
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "was"), (Texts{"1", "3", "4"}));  // 4 was not among the best two, and yet had a place
  ASSERT_EQ(s.departed().size(), 1u);                   // of the best two then: 1 has gone
  ladder.levels[0].where = "moved > 0";
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"3", "4"}));
}

TEST(Compare, WorkingsAndStagesDoWithout) {
  Ladder ladder = since();
  ladder.list = {.order = "moved", .columns = {"rank", "was", "moved", "shop_no", "spend"}};
  ladder.levels[0].where = "moved > 0 or was is null";
  const Catalog catalog = catalog_of(few);
  const Workings workings = why(ladder, catalog, "shop_no = 3");
  EXPECT_EQ(workings.rows, 2u);
  ASSERT_EQ(workings.totals.size(), 1u);
  EXPECT_EQ(to_text(workings.totals[0].value), "45");
  EXPECT_EQ(standings(up_to(ladder, Stage::kept, catalog), catalog).rows(), 4u);
}

TEST(Compare, WithATable) {
  Catalog catalog = catalog_of(few);
  support::add(catalog, "march.csv", {{"rank", {n(1), n(2), n(3)}}, {"SHOP_NO", {n(5), n(2), n(7)}}});
  Ladder ladder = since();
  ladder.compare = {.with = "march.csv"};
  const Standings s = standings(ladder, catalog);
  EXPECT_EQ(column(s, "was"), (Texts{"2", "", "", "1"}));
  EXPECT_EQ(s.departed().size(), 1u);
  support::add(catalog, "march.csv", {{"rank", {n(1), n(2)}}, {"shop_no", {n(5), n(5)}}});
  EXPECT_THROW(standings(ladder, catalog), Error);
  support::add(catalog, "march.csv", {{"place", {n(1), n(2)}}, {"shop_no", {n(5), n(6)}}});
  EXPECT_THROW(standings(ladder, catalog), Error);
  support::add(catalog, "march.csv", {{"rank", {support::money("1.5")}}, {"shop_no", {n(5)}}});
  EXPECT_THROW(standings(ladder, catalog), Error);  // a half is no place under this rule
  ladder.levels[0].ties = Ties::fractional;
  EXPECT_EQ(column(standings(ladder, catalog), "moved"), (Texts{"", "", "", "-2.5"}));
}

// Valleys in months: their shops move inside them, and one of them leaves with its shop.
Ladder nested_since() {
  Ladder ladder = since();
  ladder.figures = {{"valley", "case when shop_no < 3 then 'west' when shop_no < 5 then 'east' else 'south' end"}};
  ladder.levels = {{.each = {"valley"}, .by = "spend desc", .best = 2},
                   {.each = {"shop_no"}, .by = "spend desc", .best = 1}};
  return ladder;
}

TEST(Compare, LevelsInsideLevels) {
  // Then: west 190 (2: 100, 1: 90), east 140 (3: 85, 4: 55), south 5. Now: east 90 (3 and 4: 45 each), west 50 (2),
  // south 5.
  const Standings s = standings(nested_since(), catalog_of(few));
  EXPECT_EQ(column(s, "valley"), (Texts{"east", "east", "east", "west", "west"}));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"", "3", "4", "", "2"}));
  EXPECT_EQ(column(s, "was"), (Texts{"2", "1", "2", "1", "1"}));
  EXPECT_EQ(column(s, "moved"), (Texts{"1", "0", "1", "-1", "0"}));
  EXPECT_TRUE(s.departed().empty());  // 1 stood second in its valley and was not listed
  Ladder all = nested_since();
  all.levels[1].best.reset();
  const Standings more = standings(all, catalog_of(few));
  ASSERT_EQ(more.departed().size(), 1u);
  EXPECT_EQ(more.departed()[0].name, "shop_no 1 of valley west");
}

TEST(Compare, LevelsWithStandingsThatWereKept) {
  const support::Scratch folder;
  Ladder then = former_ladder(nested_since());
  write_file(folder.path() / "then.standings.json", saved(standings(then, catalog_of(few))));
  TableFiles files(folder.path());
  files.add(catalog_of(few).open("lines", {})->read({}, {}));
  Ladder now = nested_since();
  now.compare = {.with = "then.standings.json"};
  const Standings by_file = standings(now, files), by_choice = standings(nested_since(), catalog_of(few));
  for (const char* name : {"valley", "shop_no", "was", "moved"})
    EXPECT_EQ(column(by_file, name), column(by_choice, name));
  EXPECT_EQ(files.open("then.standings.json#level2", {})->read({}, {}).rows(), 4u);
  now.compare = {.with = "lines"};
  EXPECT_EQ(support::problems(now, files), Texts{});  // it is there; that it has no levels shows when it is read
  try {
    standings(now, files);
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(error.problems().front().sentence.find("do not say which level"), std::string::npos);
  }
}

TEST(Compare, WhatIsWrongIsSaid) {
  Ladder ladder = since();
  ladder.compare.choose[0].first = "sinse";
  EXPECT_EQ(problems_of(ladder), (Texts{"unknown-choice: there is no choice `sinse`; nearest: since"}));
  ladder = since();
  ladder.levels[0].by.clear();
  EXPECT_EQ(problems_of(ladder), (Texts{"missing-key: `[compare]` needs `by`: nothing is ranked"}));
  ladder = since();
  ladder.compare = {.with = "lnes"};  // there is no such table, and check says so
  EXPECT_EQ(problems_of(ladder), (Texts{"unknown-table: no table `lnes`; nearest: lines"}));
  ladder = since();
  ladder.compare.with = "march.csv";
  EXPECT_EQ(problems_of(ladder), (Texts{"bad-value: [compare] takes either other choices, or a table"}));
  ladder = since();
  ladder.totals.push_back({"moved", "count(*)"});
  EXPECT_EQ(problems_of(ladder).front().substr(0, 10), "name-taken");
  ladder = since();
  ladder.compare.choose[0].second = std::string("soon");
  try {
    standings(ladder, catalog_of(few));
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().front().location.key, "compare.choose.since");
  }
}

RC_GTEST_PROP(CompareProperty, IsTheDifferenceOfTwoAnswers, ()) {
  const auto lines = *rc::gen::container<std::vector<Line>>(
      rc::gen::construct<Line>(rc::gen::inRange(1, 7), rc::gen::inRange(-4, 9), rc::gen::inRange(1, 4)));
  Ladder ladder = since();
  if (*rc::gen::arbitrary<bool>()) ladder.levels[0].best = *rc::gen::inRange<std::size_t>(1, 4);
  const Catalog catalog = catalog_of(lines);
  const Standings s = standings(ladder, catalog);
  const auto places = [&](long from, bool whole) {
    Ladder other = ladder;
    other.compare = {};
    other.choices[0].value = n(from);
    if (whole) other.levels[0].best.reset();
    const Standings of = standings(other, catalog);
    std::map<std::string, std::string> out;
    const Texts shops = column(of, "shop_no"), ranks = column(of, "rank");
    for (std::size_t i = 0; i < shops.size(); ++i) out[shops[i]] = ranks[i];
    return out;
  };
  const auto then = places(1, true), then_listed = places(1, false), now_listed = places(2, false);
  const Texts shops = column(s, "shop_no"), ranks = column(s, "rank"), was = column(s, "was"),
              moved = column(s, "moved");
  for (std::size_t i = 0; i < shops.size(); ++i) {
    const auto found = then.find(shops[i]);
    RC_ASSERT(was[i] == (found == then.end() ? "" : found->second));
    if (found != then.end()) RC_ASSERT(std::stol(moved[i]) == std::stol(was[i]) - std::stol(ranks[i]));
  }
  std::set<std::string> gone, found_gone;
  for (const auto& [shop, place] : then_listed)
    if (!now_listed.contains(shop)) gone.insert("shop_no " + shop);
  for (const Departed& one : s.departed()) found_gone.insert(one.name);
  RC_ASSERT(gone == found_gone);
}

TEST(Expected, EqualByValue) {
  // Fewer columns, by heading without regard to case, another scale.
  const Comparison c = compare_with(plain(), table({{"Shop_No", {n(2), n(3), n(4), n(5)}},
                                                    {"spend", {support::money("50.00"), n(45), n(45), n(5)}}}));
  EXPECT_TRUE(c.equal());
  EXPECT_EQ(c.rows, 4u);
  EXPECT_EQ(c.keys, (Texts{"Shop_No"}));
  EXPECT_EQ(comparison_text(c, "x.csv"), "as expected: 4 rows, 2 columns of x.csv\n");
}

TEST(Expected, TheFirstDifferenceMissingAndExtra) {
  const Comparison c =
      compare_with(plain(), table({{"rank", {n(1), n(2), n(3), n(9)}}, {"shop_no", {n(2), n(3), n(4), n(8)}}}));
  EXPECT_FALSE(c.equal());
  EXPECT_EQ(c.differing, 1u);
  EXPECT_EQ(c.differs->entry, "shop_no 4");
  EXPECT_EQ(c.differs->column, "rank");
  EXPECT_EQ(c.missing, (Texts{"shop_no 8"}));
  EXPECT_EQ(c.extra, (Texts{"shop_no 5"}));
  EXPECT_FALSE(c.out_of_order);
  const std::string text = comparison_text(c, "x.csv");
  EXPECT_NE(text.find("`rank` of shop_no 4 is 2, expected 3"), std::string::npos) << text;
  EXPECT_NE(text.find("missing: shop_no 8"), std::string::npos);
  EXPECT_NE(text.find("not expected: shop_no 5"), std::string::npos);
}

TEST(Expected, OrderIsADifferenceOfItsOwn) {
  const Comparison c = compare_with(plain(), table({{"shop_no", {n(3), n(2), n(4), n(5)}}}));
  EXPECT_EQ(c.differing, 0u);
  EXPECT_EQ(c.out_of_order, "shop_no 2");
  EXPECT_FALSE(c.equal());
}

TEST(Expected, WithoutKeysByPosition) {
  EXPECT_TRUE(compare_with(plain(), table({{"spend", {n(50), n(45), n(45), n(5)}}})).equal());
  const Comparison c = compare_with(plain(), table({{"spend", {n(50), n(45), n(44)}}}));
  EXPECT_EQ(c.differs->entry, "row 3");
  EXPECT_EQ(c.extra, (Texts{"row 4"}));
}

TEST(Expected, WhatIsWrongWithTheTableIsSaid) {
  const auto problem = [](const std::vector<std::pair<std::string, std::vector<Value>>>& columns) {
    try {
      compare_with(plain(), table(columns));
    } catch (const Error& error) {
      return error.problems().front();
    }
    return Problem{Code::stopped, {}, {}, {}, {}};
  };
  EXPECT_EQ(problem({{"spent", {n(1)}}}).nearest, "spend");
  EXPECT_EQ(problem({{"shop_no", {n(2), n(2)}}}).code, Code::key_mismatch);
}

TEST(Saved, StandingsReadBackAsTheyWere) {
  const support::Scratch folder;
  const std::filesystem::path file = folder.path() / "march.standings.json";
  Ladder ladder = since();
  ladder.compare = {};
  ladder.levels[0].best = 1;
  ladder.totals.push_back({"mean", "avg(amount)"});
  const Standings answer = standings(ladder, catalog_of(few));
  write_file(file, saved(answer));
  const TableFiles files(folder.path());
  const auto whole = [&](const std::string& name) {
    const auto source = files.open(name, {});
    return source->read({}, {});
  };
  const Table listed = whole("march.standings.json"), entries = whole("march.standings.json#entries");
  ASSERT_EQ(listed.rows(), 1u);
  EXPECT_EQ(listed.headings(), table_of(answer, "x").headings());
  for (std::size_t c = 0; c < listed.headings().size(); ++c) {
    EXPECT_EQ(listed.value(0, c), table_of(answer, "x").value(0, c));
    EXPECT_EQ(listed.type(c).kind, table_of(answer, "x").type(c).kind);
  }
  EXPECT_EQ(entries.headings(), (Texts{"shop_no", "rank", "listed", "label"}));
  EXPECT_EQ(entries.rows(), 4u);
  EXPECT_TRUE(compare_with(answer, listed).equal());
  // And are what another answer can be compared with.
  Catalog& catalog = const_cast<TableFiles&>(files);
  catalog.add(catalog_of(few).open("lines", {})->read({}, {}));
  Ladder later = since();
  later.choices[0].value = n(1);
  later.compare = {.with = "march.standings.json"};
  EXPECT_EQ(column(standings(later, files), "was"), (Texts{"1", "", "2", "2", "4"}));
}

TEST(Saved, DamageIsSaid) {
  const support::Scratch folder;
  const auto code = [&](const std::string& text, const std::string& part = "") {
    std::ofstream(folder.path() / "x.standings.json") << text;
    try {
      open_standings(folder.path() / "x.standings.json", part);
    } catch (const Error& error) {
      return error.problems().front().code;
    }
    return Code::stopped;
  };
  EXPECT_EQ(code("{\"standings\": 1, \"listing\""), Code::damaged_file);
  EXPECT_EQ(code("{}"), Code::damaged_file);
  EXPECT_EQ(code("[1]"), Code::damaged_file);
  EXPECT_EQ(code("{\"standings\": 1}"), Code::not_in_this_version);
  EXPECT_EQ(code("{\"standings\": 3}"), Code::not_in_this_version);
  EXPECT_EQ(code("{\"standings\": 2}"), Code::damaged_file);
  // A whole file, and the same with one cell edited: its checksum is wrong.
  const std::string whole = saved(standings(since(), catalog_of(few)));
  EXPECT_EQ(code(whole), Code::stopped);  // nothing is wrong
  EXPECT_EQ(code(whole, "rows"), Code::unknown_table);
  std::string edited = whole;
  edited.replace(edited.rfind("\"1\""), 3, "\"7\"");
  EXPECT_EQ(code(edited), Code::damaged_file);
}
