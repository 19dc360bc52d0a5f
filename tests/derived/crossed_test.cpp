// Crossed tables: every cell is what the plain question says of its entry down, with the rows of its entry across.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>

#include "lofty/lofty.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using Texts = std::vector<std::string>;

namespace {

struct Line {
  int shop, family, amount;  // 0 is null
};

Catalog catalog_of(const std::vector<Line>& lines) {
  std::vector<std::int64_t> shops, amounts;
  std::vector<std::string> families;
  std::vector<std::uint8_t> no_shop, no_family, no_amount;
  for (const Line& line : lines) {
    shops.push_back(line.shop);
    families.push_back(std::string(1, static_cast<char>('a' + line.family)));
    amounts.push_back(line.amount);
    no_shop.push_back(line.shop == 0);
    no_family.push_back(line.family == 0);
    no_amount.push_back(line.amount == 0);
  }
  Catalog catalog;
  catalog.add(TableBuilder("lines")
                  .column("shop_no", shops, no_shop)
                  .column("family", families, no_family)
                  .column("amount", amounts, no_amount)
                  .build());
  return catalog;
}

Ladder crossed() {
  return {.data = {.from = "lines"},
          .totals = {{"spend", "sum(amount)"}, {"lines", "count(*)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc"}},
          .crossed = {.each = {"family"}, .by = "spend desc", .cell = "spend"}};
}

const std::vector<Line> few = {{1, 1, 5}, {1, 2, 7}, {1, 2, 1}, {2, 1, 20}, {3, 3, 2}, {3, 0, 1}};

Texts headings(const Standings& s) {
  Texts out;
  for (const StandingColumn& c : s.columns()) out.push_back(c.heading);
  return out;
}
Texts problems_of(const Ladder& ladder) { return support::problems(ladder, catalog_of(few)); }

}  // namespace

TEST(Crossed, BothWaysInTheirOrder) {
  const Standings s = standings(crossed(), catalog_of(few));
  EXPECT_EQ(headings(s), (Texts{"rank", "shop_no", "spend", "lines", "b", "c", "d", "(none)"}));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"2", "1", "3"}));
  EXPECT_EQ(column(s, "b"), (Texts{"20", "5", ""}));  // nothing is not zero
  EXPECT_EQ(column(s, "c"), (Texts{"", "8", ""}));
  EXPECT_EQ(column(s, "(none)"), (Texts{"", "", "1"}));
  EXPECT_EQ(s.columns()[4].role, Role::cell);
  EXPECT_EQ(s.shown_of_total(), "3 shops, 6 lines; 4 families across");
  EXPECT_NE(listing(s).find("\xE2\x80\x93"), std::string::npos);
  EXPECT_NE(s.question().find("Across: spend of each family, by spend desc."), std::string::npos);
}

TEST(Crossed, CellsAreShownAsTheirTotalIs) {
  Ladder ladder = crossed();
  ladder.list.columns = {"rank", "shop_no"};  // the total itself is not listed
  ladder.list.formats = {{"spend", "12.0 = 12"}};
  ladder.list.bars = {"spend"};
  const Standings s = standings(ladder, catalog_of(few));
  ASSERT_EQ(headings(s), (Texts{"rank", "shop_no", "b", "c", "d", "(none)"}));
  for (std::size_t c = 2; c < s.columns().size(); ++c) {
    EXPECT_TRUE(s.columns()[c].bar) << c;
    ASSERT_TRUE(s.columns()[c].format) << c;
  }
  EXPECT_NE(listing(s).find(" 20.0  \u2588"), std::string::npos) << listing(s);
  // An example that does not show such values is the format's fault.
  ladder.list.formats = {{"spend", "31/12/25 = 2025-12-31"}};
  EXPECT_EQ(
      support::problems(ladder, catalog_of(few)),
      std::vector<std::string>{"wrong-type: `spend` holds values of type integer, which the example does not show"});
}

TEST(Crossed, OnlyTheBestOfThem) {
  Ladder ladder = crossed();
  ladder.crossed.best = 1;
  ladder.crossed.by = "spend asc";
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(headings(s), (Texts{"rank", "shop_no", "spend", "lines", "(none)"}));
  EXPECT_EQ(s.shown_of_total(), "3 shops, 6 lines; 1 of 4 families across");
}

TEST(Crossed, AHeadingThatIsTakenIsQualified) {
  Ladder ladder = crossed();
  ladder.totals[1].name = "b";
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(headings(s)[4], "spend of b");
}

TEST(Crossed, DownIsAsItWasWithout) {
  Ladder ladder = crossed();
  ladder.levels[0].best = 2;
  ladder.levels[0].having = "lines > 1";
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"1", "3"}));
  EXPECT_EQ(column(s, "b"), (Texts{"5", ""}));  // shop 2 is gone, its family is not
  ladder.crossed = {};
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"1", "3"}));
}

TEST(Crossed, WorkingsAreThoseOfTheEntryDown) {
  const Workings workings = why(crossed(), catalog_of(few), "shop_no = 1");
  EXPECT_EQ(workings.rows, 3u);
  EXPECT_EQ(to_text(workings.totals.at(0).value), "13");
}

TEST(Crossed, WhatIsWrongIsSaid) {
  Ladder ladder = crossed();
  ladder.crossed.cell = "spnd";
  EXPECT_EQ(problems_of(ladder), (Texts{"unknown-column: there is no total `spnd` for the cells; nearest: spend"}));
  ladder = crossed();
  ladder.crossed = {.each = {"family"}};
  EXPECT_EQ(problems_of(ladder).size(), 2u);
  ladder = crossed();
  ladder.crossed.by = "spend";
  const auto found = check(ladder, catalog_of(few));
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].code, Code::missing_direction);
  EXPECT_EQ(found[0].location.key, "crossed.by");
  ladder = crossed();
  ladder.crossed.each = {"famly"};
  EXPECT_EQ(check(ladder, catalog_of(few)).front().nearest, "family");
  ladder = crossed();
  ladder.levels.push_back({.by = "amount desc"});  // single rows have no cells
  EXPECT_EQ(problems_of(ladder).front(), "missing-each: `each` is missing: which entries are down the table?");
  ladder.levels.clear();
  ladder.totals.clear();
  EXPECT_NE(problems_of(ladder).size(), 0u);
}

// Every level has its own cells, under the same headings.
TEST(Crossed, OfLevelsInsideLevels) {
  Ladder ladder = crossed();
  ladder.levels = {{.each = {"family"}, .by = "spend desc"}, {.each = {"shop_no"}, .by = "spend desc", .best = 1}};
  ladder.crossed = {.each = {"shop_no"}, .by = "spend desc", .cell = "spend"};
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "family"), (Texts{"b", "b", "c", "c", "d", "d", "", ""}));
  EXPECT_EQ(column(s, "spend"), (Texts{"25", "20", "8", "8", "2", "2", "1", "1"}));
  EXPECT_EQ(headings(s), (Texts{"rank", "family", "shop_no", "spend", "lines", "2", "1", "3"}));
  EXPECT_EQ(column(s, "1"), (Texts{"5", "", "8", "8", "", "", "", ""}));
  EXPECT_EQ(column(s, "3"), (Texts{"", "", "", "", "2", "2", "1", "1"}));
  EXPECT_EQ(s.question().find("Across: "), s.question().rfind("Across: "));  // said once
}

RC_GTEST_PROP(AcrossProperty, EveryCellIsThePlainTotalOfItsRows, ()) {
  const auto lines = *rc::gen::container<std::vector<Line>>(
      rc::gen::construct<Line>(rc::gen::inRange(0, 5), rc::gen::inRange(0, 4), rc::gen::inRange(-3, 9)));
  Ladder ladder = crossed();
  ladder.crossed.cell = *rc::gen::element<std::string>("spend", "lines");
  if (*rc::gen::arbitrary<bool>()) ladder.levels[0].within = {"family"};
  const Catalog catalog = catalog_of(lines);
  const Standings s = standings(ladder, catalog);
  const auto is = [](const std::string& name, const std::string& text, bool quoted) {
    return text.empty() ? name + " is null" : name + " = " + (quoted ? "'" + text + "'" : text);
  };
  std::size_t columns = 0;
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    if (s.columns()[c].role != Role::cell) continue;
    ++columns;
    const std::string family = s.columns()[c].heading == "(none)" ? "" : s.columns()[c].heading;
    for (std::size_t r = 0; r < s.rows(); ++r) {
      Ladder plain = ladder;
      plain.crossed = {};
      plain.levels[0].best.reset();
      plain.list.columns = {ladder.crossed.cell};
      plain.where = is("family", family, true) + " and " + is("shop_no", column(s, "shop_no")[r], false);
      if (!ladder.levels[0].within.empty()) plain.where += " and " + is("family", column(s, "family")[r], true);
      const Standings expected = standings(plain, catalog);
      RC_ASSERT(s.value(r, c) == (expected.rows() == 0 ? Value{} : expected.value(0, 0)));
    }
  }
  std::vector<int> families;
  for (const Line& line : lines)
    if (std::find(families.begin(), families.end(), line.family) == families.end()) families.push_back(line.family);
  RC_ASSERT(columns <= families.size());
}
