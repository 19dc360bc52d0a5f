// Levels inside levels, the lines for others and for all, and other orders of the listing. The reference of a level is
// the plain question asked of one outer entry alone.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "lofty/lofty.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using support::says;
using Texts = std::vector<std::string>;

namespace {

// valley, shop, order, amount
struct Line {
  int valley, shop, order, amount;  // 0 is null
};

// Typed, so that a table without rows, or with nulls only, has numbers where the others have.
Catalog catalog_of(const std::vector<Line>& lines) {
  std::vector<std::string> valleys;
  std::vector<std::int64_t> shops, orders, amounts;
  std::vector<std::uint8_t> no_valley, no_shop, no_order, no_amount;
  for (const Line& line : lines) {
    valleys.push_back("valley " + std::to_string(line.valley));
    no_valley.push_back(line.valley == 0);
    const auto put = [](int n, std::vector<std::int64_t>& values, std::vector<std::uint8_t>& mask) {
      values.push_back(n);
      mask.push_back(n == 0);
    };
    put(line.shop, shops, no_shop);
    put(line.order, orders, no_order);
    put(line.amount, amounts, no_amount);
  }
  Catalog catalog;
  catalog.add(TableBuilder("lines")
                  .column("valley", valleys, no_valley)
                  .column("shop_no", shops, no_shop)
                  .column("order_no", orders, no_order)
                  .column("amount", amounts, no_amount)
                  .build());
  return catalog;
}

Ladder two_levels() {
  return {.data = {.from = "lines"},
          .totals = {{"spend", "sum(amount)"}, {"orders", "count(distinct order_no)"}},
          .levels = {{.each = {"valley"}, .by = "spend desc"}, {.each = {"shop_no"}, .by = "spend desc"}}};
}

std::vector<Texts> rows_of(const Standings& s, std::size_t level) {
  std::vector<Texts> out;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    if (s.level(r) != level) continue;
    out.emplace_back();
    for (std::size_t c = 0; c < s.columns().size(); ++c) out.back().push_back(to_text(s.value(r, c)));
  }
  return out;
}

const std::vector<Line> few = {{1, 1, 1, 500}, {1, 1, 2, 200}, {1, 2, 2, 300}, {1, 3, 3, 300},
                               {2, 4, 4, 900}, {2, 5, 4, 100}, {3, 6, 5, 50},  {0, 7, 6, 20}};

std::vector<std::string> problems_of(const Ladder& ladder) { return support::problems(ladder, catalog_of(few)); }

rc::Gen<std::vector<Line>> any_lines() {
  return rc::gen::container<std::vector<Line>>(rc::gen::construct<Line>(
      rc::gen::inRange(0, 4), rc::gen::inRange(0, 5), rc::gen::inRange(0, 6), rc::gen::inRange(-3, 9)));
}

}  // namespace

TEST(Others, TheRestAsOneLineAndAllAsAnother) {
  Ladder ladder = two_levels();
  ladder.levels = {{.each = {"shop_no"}, .by = "spend desc", .best = 2, .others = true}};
  const Standings s = standings(ladder, catalog_of(few));
  ASSERT_EQ(s.rows(), 2u);
  ASSERT_EQ(s.summaries().size(), 2u);
  EXPECT_EQ(s.summaries()[0].label, "others, 5 shops");
  EXPECT_EQ(s.summaries()[1].label, "all 7 shops");
  EXPECT_EQ(s.summaries()[0].after, 1u);
  // rank, shop_no, spend, orders: the two best have 900 and 700.
  EXPECT_EQ(to_text(s.summaries()[0].values[2]), "770");
  EXPECT_EQ(to_text(s.summaries()[1].values[2]), "2370");
  EXPECT_TRUE(is_null(s.summaries()[0].values[0]) && is_null(s.summaries()[0].values[1]));
  // Counted anew: order 2 is shop 1's and shop 2's, order 4 shop 4's and shop 5's.
  EXPECT_EQ(to_text(s.summaries()[0].values[3]), "5");
  EXPECT_EQ(to_text(s.summaries()[1].values[3]), "6");
  EXPECT_TRUE(says(s, "distinct-overlap", "those of shops add up to 8, but together there are 6"));
}

TEST(Others, NothingLeftOutIsNoLineOfOthers) {
  Ladder ladder = two_levels();
  ladder.levels = {{.each = {"valley"}, .by = "spend desc", .others = true}};
  const Standings s = standings(ladder, catalog_of(few));
  ASSERT_EQ(s.summaries().size(), 1u);
  EXPECT_EQ(s.summaries()[0].label, "all 4 valleys");
  EXPECT_FALSE(says(s, "distinct-overlap"));
  // None of them when nothing is listed.
  ladder.where = "amount > 5000";
  EXPECT_TRUE(standings(ladder, catalog_of(few)).summaries().empty());
}

TEST(Others, WhatHavingDropsIsNoneOfThem) {
  Ladder ladder = two_levels();
  ladder.levels = {{.each = {"shop_no"}, .by = "spend desc", .having = "spend >= 100", .best = 1, .others = true}};
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(s.summaries()[0].label, "others, 4 shops");
  EXPECT_EQ(to_text(s.summaries()[0].values[2]), "1400");
}

TEST(Others, OneLineForAllWhereTheListingMixesGroups) {
  Ladder ladder = two_levels();
  ladder.levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "spend desc", .best = 1, .others = true}};
  EXPECT_EQ(standings(ladder, catalog_of(few)).summaries().size(), 6u);  // two valleys have others, all four have all
  ladder.list.order = "spend";
  ladder.levels[0].best = 2;
  const Standings mixed = standings(ladder, catalog_of(few));
  EXPECT_EQ(mixed.summaries().back().label, "all 7 shops");
}

TEST(Others, TakeEntriesNotRows) {
  Ladder ladder{.data = {.from = "lines"}, .levels = {{.by = "amount desc", .best = 2, .others = true}}};
  EXPECT_EQ(problems_of(ladder).front().substr(0, 12), "missing-each");
}

RC_GTEST_PROP(OthersProperty, AreWhatThePlainQuestionSaysOfThem, ()) {
  const std::vector<Line> lines = *any_lines();
  const auto best = *rc::gen::inRange<std::size_t>(1, 4);
  Ladder ladder = two_levels();
  ladder.totals.push_back({"mean", "avg(amount)"});
  ladder.totals.push_back({"twice", "2 * sum(amount) + count(*)"});
  ladder.levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "spend desc", .best = best, .others = true}};
  const Catalog catalog = catalog_of(lines);
  const Standings s = standings(ladder, catalog);
  for (const SummaryLine& line : s.summaries()) {
    // The same rows, by their keys, as one entry.
    Ladder plain = ladder;
    const Value valley = s.value(line.after, 0);
    plain.where = is_null(valley) ? "valley is null" : "valley = '" + to_text(valley) + "'";
    if (line.of == SummaryLine::Of::others)
      for (std::size_t r = 0; r < s.rows(); ++r) {
        if (s.value(r, 0) != valley) continue;
        const Value shop = s.value(r, 2);
        plain.where +=
            is_null(shop) ? " and shop_no is not null" : " and (shop_no <> " + to_text(shop) + " or shop_no is null)";
      }
    plain.levels = {{.each = {"valley"}, .by = "spend desc"}};
    plain.list.columns = {"spend", "orders", "mean", "twice"};
    const Standings expected = standings(plain, catalog);
    RC_ASSERT(expected.rows() == 1u);
    for (std::size_t c = 0; c < 4; ++c) RC_ASSERT(line.values[c + 3] == expected.value(0, c));
  }
}

TEST(BlankGroups, AreHiddenOnRequestAndSaid) {
  Ladder ladder = two_levels();
  ladder.levels.pop_back();
  EXPECT_TRUE(says(standings(ladder, catalog_of(few)), "blank-group",
                   "1 line has no `valley`; together they are listed as (none)"));
  ladder.list.hide_blank_groups = true;
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "valley"), (Texts{"valley 1", "valley 2", "valley 3"}));
  EXPECT_EQ(s.shown_of_total(), "3 of 4 valleys, 8 lines");
  EXPECT_TRUE(says(s, "blank-group", "1 line has no `valley`; 1 valley is hidden for it, with `spend` 20"));
  ladder.levels[0] = {.each = {"shop_no"}, .within = {"valley"}, .by = "spend desc"};
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"1", "2", "3", "4", "5", "6"}));
}

TEST(Levels, EachEntryWithItsInnerOnesBehindIt) {
  const Standings s = standings(two_levels(), catalog_of(few));
  EXPECT_EQ(s.levels(), 2u);
  EXPECT_EQ(column(s, "valley"), (Texts{"valley 1", "valley 1", "valley 1", "valley 1", "valley 2", "valley 2",
                                        "valley 2", "valley 3", "valley 3", "", ""}));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"", "1", "2", "3", "", "4", "5", "", "6", "", "7"}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "1", "2", "2", "2", "1", "2", "3", "1", "4", "1"}));
  EXPECT_TRUE(s.tied(2) && s.tied(3) && !s.tied(1) && !s.tied(0));
  EXPECT_TRUE(s.of_level(0, 1) && !s.of_level(1, 1) && s.of_level(1, 2) && !s.of_level(0, 2));
  EXPECT_EQ(s.shown_of_total(), "4 valleys, 8 lines; 7 shops");
}

TEST(Levels, TotalsAreWorkedOutAnew) {
  const Standings s = standings(two_levels(), catalog_of(few));
  // Valley 1 has orders 1, 2 and 3; its shops have two, one and one.
  EXPECT_EQ(column(s, "orders"), (Texts{"3", "2", "1", "1", "1", "1", "1", "1", "1", "1", "1"}));
}

TEST(Levels, InnerOnesRunInsideTheOnesThatAreKept) {
  Ladder ladder = two_levels();
  ladder.levels[0].best = 1;
  ladder.levels[1].best = 2;
  ladder.levels[1].cut = Cut::strict;
  ladder.levels[1].rank_as = "place in valley";
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"", "1", "2"}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "", ""}));
  EXPECT_EQ(column(s, "place in valley"), (Texts{"", "1", "2"}));
  EXPECT_EQ(s.shown_of_total(), "1 of 4 valleys, 8 lines; 2 of 3 shops");
  EXPECT_TRUE(says(s, "tie-at-cut", "share place 2 in valley 1"));
}

TEST(Levels, WhatLiesOutsideIsNotWorkedOut) {
  Ladder ladder = two_levels();
  ladder.totals.push_back({"part", "1 / sum(amount - 100)"});  // shop 5, of valley 2, would divide by zero
  EXPECT_THROW(standings(ladder, catalog_of(few)), Error);
  ladder.levels[0].best = 1;
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"", "1", "2", "3"}));
}

TEST(Levels, TheInnermostMayHoldRows) {
  Ladder ladder = two_levels();
  ladder.levels[1] = {.by = "amount desc", .best = 1};
  ladder.list.columns = {"rank", "valley", "spend", "order_no", "amount"};
  const Standings s = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(s, "amount"), (Texts{"", "500", "", "900", "", "50", "", "20"}));
  EXPECT_EQ(column(s, "spend"), (Texts{"1300", "", "1000", "", "50", "", "20", ""}));
}

TEST(Levels, OthersOfEachLevel) {
  Ladder ladder = two_levels();
  ladder.levels[0].best = 2;
  ladder.levels[0].others = true;
  ladder.levels[1].best = 1;
  ladder.levels[1].others = true;
  const Standings s = standings(ladder, catalog_of(few));
  Texts labels;
  for (const SummaryLine& line : s.summaries())
    labels.push_back(std::to_string(line.after) + " " + std::to_string(line.level) + " " + line.label);
  EXPECT_EQ(labels, (Texts{"1 1 others, 2 shops", "1 1 all 3 shops", "3 1 others, 1 shop", "3 1 all 2 shops",
                           "3 0 others, 2 valleys", "3 0 all 4 valleys"}));
  const std::string text = listing(s, {.width = 100});
  EXPECT_NE(text.find("others, 2 valleys"), std::string::npos);
  EXPECT_NE(written(s, Format::json).find("\"label\": \"others, 2 shops\""), std::string::npos);
}

RC_GTEST_PROP(LevelsProperty, InsideAnEntryIsThePlainQuestionAboutIt, ()) {
  const std::vector<Line> lines = *any_lines();
  Ladder ladder = two_levels();
  if (*rc::gen::arbitrary<bool>()) ladder.levels[0].best = *rc::gen::inRange<std::size_t>(1, 4);
  if (*rc::gen::arbitrary<bool>()) ladder.levels[1].best = *rc::gen::inRange<std::size_t>(1, 4);
  if (*rc::gen::arbitrary<bool>()) ladder.levels[1].having = "orders >= 1";
  if (*rc::gen::arbitrary<bool>()) ladder.levels[0].eligible = "orders >= 2";
  ladder.levels[1].ties = *rc::gen::element(Ties::competition, Ties::dense, Ties::ordinal, Ties::fractional);
  ladder.list.columns = {"rank", "valley", "shop_no", "spend", "orders"};
  const Catalog catalog = catalog_of(lines);
  const Standings s = standings(ladder, catalog);

  Ladder outer = ladder;
  outer.levels.resize(1);
  outer.list.columns = {"rank", "valley", "spend", "orders"};
  const Standings valleys = standings(outer, catalog);
  std::vector<Texts> expected;
  for (std::size_t r = 0; r < valleys.rows(); ++r) {
    const Value valley = valleys.value(r, 1);
    expected.push_back({to_text(valleys.value(r, 0)), to_text(valley), "", to_text(valleys.value(r, 2)),
                        to_text(valleys.value(r, 3))});
    Ladder inner = ladder;
    inner.levels = {ladder.levels[1]};
    inner.where = is_null(valley) ? "valley is null" : "valley = '" + to_text(valley) + "'";
    inner.list.columns = {"rank", "shop_no", "spend", "orders"};
    const Standings shops = standings(inner, catalog);
    for (std::size_t i = 0; i < shops.rows(); ++i)
      expected.push_back({to_text(shops.value(i, 0)), to_text(valley), to_text(shops.value(i, 1)),
                          to_text(shops.value(i, 2)), to_text(shops.value(i, 3))});
  }
  std::vector<Texts> found;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    found.emplace_back();
    for (std::size_t c = 0; c < 5; ++c) found.back().push_back(to_text(s.value(r, c)));
  }
  RC_ASSERT(found == expected);
}

TEST(Alternatives, ListOtherwiseAndChangeNoPlace) {
  Ladder ladder = two_levels();
  ladder.levels[0].best = 2;
  ladder.levels[1].best = 2;
  ladder.alternatives = {{"orders", "orders asc"}, {"number", "shop_no desc"}};
  const Standings by_place = standings(ladder, catalog_of(few));
  ladder.list.alternative = "orders";
  const Standings by_orders = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(by_orders, "valley").front(), "valley 2");
  EXPECT_EQ(column(by_orders, "rank"), (Texts{"2", "1", "2", "1", "2", "2", "1"}));
  // A level takes what it knows of a sort list: valleys have no shop_no, and stay by place.
  ladder.list.alternative = "number";
  const Standings by_number = standings(ladder, catalog_of(few));
  EXPECT_EQ(column(by_number, "shop_no"), (Texts{"", "3", "2", "1", "", "5", "4"}));
  ladder.list.alternative = "name";
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"", "1", "2", "3", "", "4", "5"}));
  for (const Standings* s : {&by_orders, &by_number}) {
    auto a = rows_of(*s, 1), b = rows_of(by_place, 1);
    std::sort(a.begin(), a.end());
    std::sort(b.begin(), b.end());
    EXPECT_EQ(a, b);
  }
}

TEST(Alternatives, OfOneLevelStayInsideTheGroups) {
  Ladder ladder = two_levels();
  ladder.levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "spend desc"}};
  ladder.alternatives = {{"number", "shop_no desc"}};
  ladder.list.alternative = "number";
  EXPECT_EQ(column(standings(ladder, catalog_of(few)), "shop_no"), (Texts{"3", "2", "1", "5", "4", "6", "7"}));
}

TEST(Alternatives, AreCheckedBeforeTheyAreAskedFor) {
  Ladder ladder = two_levels();
  ladder.alternatives = {{"orders", "ordrs desc"}};
  const auto found = check(ladder, catalog_of(few));
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].location.key, "alternatives.orders");
  EXPECT_EQ(found[0].nearest, "orders");
  ladder.alternatives.clear();
  ladder.list.alternative = "nme";
  EXPECT_EQ(check(ladder, catalog_of(few)).front().nearest, "name");
}

TEST(Levels, WhatIsWrongIsSaidOfItsLevel) {
  Ladder ladder = two_levels();
  ladder.levels[1].each = {"valley"};
  EXPECT_EQ(problems_of(ladder), (Texts{"bad-value: level 2 repeats level 1: each entry would hold itself alone"}));
  ladder = two_levels();
  ladder.levels[0].each.clear();
  EXPECT_NE(problems_of(ladder).size(), 0u);
  ladder = two_levels();
  ladder.levels[1].by = "spnd desc";
  const auto misspelt = check(ladder, catalog_of(few));
  ASSERT_EQ(misspelt.size(), 1u);
  EXPECT_EQ(misspelt[0].location.key, "level[1].by");
  ladder = two_levels();
  ladder.levels[1].by.clear();
  EXPECT_EQ(problems_of(ladder), (Texts{"missing-key: nothing says what to rank by"}));
  ladder = two_levels();
  ladder.list.order = "spend";
  EXPECT_EQ(problems_of(ladder), (Texts{"bad-value: levels are listed by their places, each inside the one before"}));
  ladder = two_levels();
  ladder.list.columns = {"rank", "valley", "shop_no", "spnd"};
  EXPECT_EQ(problems_of(ladder).size(), 1u);
}

TEST(Levels, WorkingsOfAnyLevel) {
  const Catalog catalog = catalog_of(few);
  EXPECT_EQ(why(two_levels(), catalog, "valley = 'valley 2'").rows, 2u);
  EXPECT_EQ(why(two_levels(), catalog, "shop_no = 5").rows, 1u);
  try {
    why(two_levels(), catalog, "shop_no = 50");
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.problems().front().code, Code::unknown_entry);
  }
}
