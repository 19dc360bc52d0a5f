// H2: "Why is this shop second?", on tables small enough to work out by hand.
#include <gtest/gtest.h>

#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using Texts = std::vector<std::string>;

namespace {

Ladder by_shop() {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
          .figures = {{"amount", "quantity * unit_price"}},
          .where = "(status <> 'void' or status is null) and ordered_on < date '2025-04-02'",
          .totals = {{"spend", "sum(amount)"}, {"mean", "spend / nullif(count(amount), 0)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc", .best = 1}},
          .list = {.columns = {"rank", "shop", "spend"}}};
}

Problem problem_of(const Ladder& ladder, const std::string& condition) {
  try {
    why(ladder, support::small_shop(), condition);
  } catch (const Error& error) {
    return error.problems().front();
  }
  return {Code::stopped, "nothing is wrong", {}, {}, {}};
}

}  // namespace

TEST(Why, PlaceEqualsAndNeighbours) {
  const Workings w = why(by_shop(), support::small_shop(), "shop_no = 2");
  EXPECT_EQ(w.entry, "`Älv Corner`");
  EXPECT_EQ(to_text(w.place), "1");
  EXPECT_EQ(w.ranked, 3u);
  EXPECT_EQ(w.equal, Texts{"`Crumb`"});
  EXPECT_FALSE(w.ahead);
  ASSERT_TRUE(w.behind);
  EXPECT_EQ(w.behind->entry, "`Barrow`");
  EXPECT_EQ(to_text(w.behind->place), "3");
  EXPECT_EQ(to_text(*w.behind->margin), "9.75");
  EXPECT_EQ(w.behind->decided_by, "spend");
  const Workings last =
      why(by_shop(), support::small_shop(), "rank = 3");  // by its place; it is not among the best one
  EXPECT_EQ(last.entry, "`Barrow`");
  EXPECT_EQ(last.ahead->entry, "`Älv Corner`");  // the nearest of the two that are ahead
  EXPECT_FALSE(last.behind);
}

TEST(Why, TheArithmeticOfEachTotal) {
  const Workings w = why(by_shop(), support::small_shop(), "shop = 'Crumb'");
  ASSERT_EQ(w.totals.size(), 2u);
  EXPECT_EQ(to_text(w.totals[0].value), "11.00");
  ASSERT_EQ(w.totals[0].parts.size(), 1u);
  EXPECT_EQ(w.totals[0].parts[0].rows, 2u);
  EXPECT_EQ(w.totals[1].parts[0].formula, "count(amount)");
  EXPECT_EQ(to_text(w.totals[1].parts[0].value), "2");
  EXPECT_EQ(column(w.lines, "amount"), (Texts{"8.00", "3.00"}));  // which add up
  EXPECT_EQ(column(w.lines, "ordered_on"), (Texts{"2025-03-02", "2025-03-02"}));
}

TEST(Why, WhatEachConditionLeftOut) {
  const Workings w = why(by_shop(), support::small_shop(), "shop_no = 3");
  EXPECT_EQ(w.rows, 2u);
  EXPECT_EQ(w.lines.rows(), 1u);
  ASSERT_EQ(w.left_out.size(), 2u);
  EXPECT_EQ(w.left_out[0].condition, "status <> 'void' or status is null");
  EXPECT_EQ(w.left_out[0].rows, 1u);
  EXPECT_EQ(w.left_out[1].rows, 0u);
}

TEST(Why, WithoutAPlaceThereIsAReason) {
  Ladder ladder = by_shop();
  ladder.where = "";
  EXPECT_EQ(why(ladder, support::small_shop(), "shop_no = 4").without_place, "`spend` is null");
  ladder.levels[0].eligible = "shop_no <> 2";
  EXPECT_EQ(why(ladder, support::small_shop(), "shop_no = 2").without_place, "it is not eligible: shop_no <> 2");
  ladder.levels[0].eligible = "valley = 'Ashwater'";
  EXPECT_EQ(why(ladder, support::small_shop(), "shop_no = 4").without_place,
            "it is unknown whether it is eligible: valley = 'Ashwater'");
  ladder.levels[0].eligible = "";
  ladder.levels[0].having = "spend > 5";
  const Workings dropped = why(ladder, support::small_shop(), "shop_no = 3");
  EXPECT_EQ(dropped.without_place, "rank.having is not true for it: spend > 5");
  EXPECT_EQ(to_text(dropped.totals[0].value), "5.00");
}

// Overall constants and periods are those of the whole ladder, not of the entry's rows.
TEST(Why, ConstantsStayThoseOfTheWhole) {
  const Ladder ladder{.data = {.from = "lines"},
                      .periods = {{.name = "recent", .on = "ordered_on", .last = "3"}},
                      .where = "recent",
                      .totals = {{"n", "count(*)"}},
                      .levels = {{.each = {"shop_no"}, .by = "n desc"}}};
  const Workings w = why(ladder, support::small_shop(), "shop_no = 2");
  EXPECT_EQ(w.rows, 2u);
  EXPECT_EQ(w.left_out[0].rows, 1u);
  EXPECT_EQ(column(w.lines, "ordered_on"), Texts{"2025-03-31"});
}

TEST(Why, NullKeysAndGroups) {
  Ladder ladder = by_shop();
  ladder.levels[0] = {.each = {"valley"}, .by = "spend desc"};
  ladder.list = {};
  const Workings none = why(ladder, support::small_shop(), "valley is null");
  EXPECT_EQ(none.entry, "valley (none)");
  EXPECT_EQ(none.lines.rows(), 1u);
  ladder.levels[0] = {.each = {"shop_no"}, .within = {"valley"}, .by = "spend desc"};
  const Workings w = why(ladder, support::small_shop(), "shop_no = 1");
  EXPECT_EQ(w.group[0].first, "valley");
  EXPECT_EQ(to_text(w.group[0].second), "High Moor");
  EXPECT_EQ(w.ranked, 1u);
}

TEST(Why, ALadderThatRanksNothingHasTotalsAndRows) {
  Ladder ladder = by_shop();
  ladder.levels[0] = {.each = {"shop_no"}};
  ladder.list = {};
  const Workings w = why(ladder, support::small_shop(), "shop_no = 1");
  EXPECT_TRUE(is_null(w.place));
  EXPECT_EQ(to_text(w.totals[0].value), "11.00");
  EXPECT_EQ(w.lines.rows(), 2u);
}

TEST(Why, AnEntryThatIsNotThereIsNamed) {
  const Problem number = problem_of(by_shop(), "shop_no = 9");
  EXPECT_EQ(number.code, Code::unknown_entry);
  EXPECT_EQ(number.sentence, "there is no entry with shop_no = 9");
  EXPECT_EQ(number.nearest, "3");
  EXPECT_EQ(problem_of(by_shop(), "shop = 'Crum'").nearest, "Crumb");
  EXPECT_EQ(problem_of(by_shop(), "spend > 1").sentence,
            "3 entries have spend > 1: shop_no 1, shop_no 2 and shop_no 3");
  EXPECT_EQ(problem_of(by_shop(), "shp = 'Crumb'").code, Code::unknown_column);
  EXPECT_EQ(problem_of(by_shop(), "shop =").code, Code::syntax);
  Ladder rows = by_shop();
  rows.levels.clear();
  rows.totals.clear();
  rows.list = {};
  EXPECT_EQ(problem_of(rows, "line_no = 1").code, Code::not_in_this_version);
}

// The shipped ladder, as its user sees it.
TEST(Why, OnThePage) {
  const auto ran =
      support::lofty({"why", (support::demo() / "best_shops.ladder.toml").string(), "shop_no = 157", "--lines", "1"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  for (const char* part :
       {"`tin Basket`  (shop_no 157)\n", "  place 3 of 214 ranked entries, by `spend` 6,779.55\n",
        "  behind: place 4, `Østen's Wren`, has 6,607.15: 172.40 apart\n",
        "  `spend` = sum(amount) = 6,779.55, from 106 rows\n", "  111 rows belong to it, 107 count\n",
        "  `status <> 'void' or status is null` leaves out 4 rows\n", "  ⋮ 106 more rows\n"})
    EXPECT_NE(ran.out.find(part), std::string::npos) << part << "\nis not in\n" << ran.out;
  EXPECT_EQ(support::lofty({"why", (support::demo() / "best_shops.ladder.toml").string(), "shop_no = 9999"}).status, 2);
}
