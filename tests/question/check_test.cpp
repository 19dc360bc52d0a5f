// SEMANTICS 2: check works before any row is computed and reports all problems, each with its place and nearest word.
#include <gtest/gtest.h>

#include <functional>

#include "support/tables.hpp"

using namespace lofty;
using support::problems;
using Texts = std::vector<std::string>;

namespace {

Ladder good() {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
          .choices = {{.name = "least", .value = Decimal(1, 0)}},
          .figures = {{"amount", "quantity * unit_price"}},
          .where = "status <> 'void' or status is null",
          .totals = {{"spend", "sum(amount)"}, {"orders", "count(*)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc", .tiebreak = "shop"}}};
}

Texts with(const std::function<void(Ladder&)>& change) {
  Ladder ladder = good();
  change(ladder);
  return problems(ladder, support::small_shop());
}

}  // namespace

TEST(Check, AGoodLadderHasNoProblems) {
  EXPECT_EQ(with([](Ladder&) {}), Texts{});
}

TEST(Check, OneProblemAtATime) {
  const struct {
    const char* what;
    std::function<void(Ladder&)> change;
    const char* problem;
  } cases[] = {
      {"column", [](Ladder& l) { l.figures[0].formula = "quantty * unit_price"; },
       "unknown-column: no column `quantty` in lines or shops; nearest: quantity"},
      {"table", [](Ladder& l) { l.data.from = "line"; }, "unknown-table: no table `line`; nearest: lines"},
      {"joined table", [](Ladder& l) { l.data.joins[0].with = "shop"; },
       "unknown-table: no table `shop`; nearest: shops"},
      {"join key", [](Ladder& l) { l.data.joins[0].on = {"shop_nr = shop_no"}; },
       "unknown-column: no column `shop_nr` in lines; nearest: shop_no"},
      {"join key of the other", [](Ladder& l) { l.data.joins[0].on = {"shop_no = shp_no"}; },
       "unknown-column: no column `shp_no` in shops; nearest: shop_no"},
      {"function", [](Ladder& l) { l.totals[0].formula = "summ(amount)"; },
       "unknown-function: no function `summ`; nearest: sum"},
      {"choice", [](Ladder& l) { l.where = "quantity > :lest"; },
       "unknown-choice: no choice is called `lest`; nearest: least"},
      {"type", [](Ladder& l) { l.where = "status > 5"; },
       "wrong-type: text compared with a number: `status` is text, `5` is an integer"},
      {"not a condition", [](Ladder& l) { l.where = "quantity"; },
       "wrong-type: rows.where needs a condition; `quantity` is integer"},
      {"direction", [](Ladder& l) { l.levels[0].by = "spend"; },
       "missing-direction: highest or lowest first? `spend` has no direction"},
      {"each",
       [](Ladder& l) {
         l.levels[0].each = {};
         l.totals.pop_back();
         l.levels[0].by = "amount desc";
       },
       "missing-each: the total `spend` needs a level: which rows does it take together?"},
      {"total in where", [](Ladder& l) { l.where = "spend > 3"; },
       "wrong-stage: `spend` is a total: it is known after the rows are grouped, too late for rows.where"},
      {"sum in a figure",
       [](Ladder& l) {
         l.figures[0].formula = "sum(quantity)";
         l.totals[0].formula = "sum(quantity)";
       },
       "wrong-stage: `sum(...)` is a total: it is known after the rows are grouped, too late for figures"},
      {"place in by", [](Ladder& l) { l.levels[0].by = "rank desc"; },
       "wrong-stage: `rank` is a place: it is known at the very end, too late for rank.by"},
      {"circular",
       [](Ladder& l) {
         l.figures = {{"amount", "b"}, {"b", "amount + 1"}};
         l.totals.resize(1);
         l.totals[0].formula = "count(*)";
       },
       "circular: the figure `amount` needs itself"},
      {"taken name",
       [](Ladder& l) {
         l.figures[0].name = "quantity";
         l.totals[0].formula = "count(*)";
       },
       "name-taken: the figure `quantity` has the name of something that exists"},
      {"sum of text", [](Ladder& l) { l.totals[0].formula = "sum(status)"; },
       "wrong-type: `sum` takes numbers; `status` is text"},
      {"ambiguous",
       [](Ladder& l) {
         l.data.joins[0].on = {"quantity = shop_no"};
         l.levels[0].each = {"line_no"};
         l.levels[0].tiebreak = "shop_no";
       },
       "ambiguous-column: `shop_no` is in several tables"},
      {"double quotes", [](Ladder& l) { l.where = "status <> \"void\""; },
       "unknown-column: no column `void` in lines or shops"},
      {"syntax", [](Ladder& l) { l.where = "status <> 'void' adn quantity > 1"; },
       "syntax: expected a sign or the end, found `adn`; nearest: and"},
      {"several levels", [](Ladder& l) { l.levels.push_back(l.levels[0]); },
       "bad-value: level 2 repeats level 1: each entry would hold itself alone"},
      {"best without by", [](Ladder& l) { l.levels[0] = {.each = {"shop_no"}, .best = 3}; },
       "missing-key: nothing says what to rank by"},
      {"listed column",
       [](Ladder& l) {
         l.list.columns = {"rank", "shopp"};
       },
       "unknown-column: no column `shopp` in lines or shops; nearest: shop"},
      {"heading of nothing",
       [](Ladder& l) {
         l.list.headings = {{"spnd", "x"}};
       },
       "unknown-column: list.headings names a column that is not listed: `spnd`; nearest: spend"},
      {"no table", [](Ladder& l) { l.data.from = ""; }, "missing-key: the ladder names no table"},
      {"null alone", [](Ladder& l) { l.totals[0].formula = "null"; },
       "wrong-type: `spend` has no type that a column could have"},
      {"unknown qualifier", [](Ladder& l) { l.levels[0].tiebreak = "shps.shop"; },
       "unknown-table: no table is called `shps` here; nearest: shops"},
  };
  for (const auto& c : cases) EXPECT_EQ(with(c.change), Texts{c.problem}) << c.what;
}

TEST(Check, AllProblemsAtOnceNamesAndTypes) {
  const Texts found = with([](Ladder& l) {
    l.where = "status > 5";
    l.totals.push_back({"wrong", "sum(amont)"});
    l.levels[0].by = "spend";
    l.list.columns = {"shop", "vally"};
  });
  ASSERT_EQ(found.size(), 4u);
  EXPECT_EQ(found[0], "unknown-column: no column `amont` in lines or shops; nearest: amount");
  EXPECT_EQ(found[1].substr(0, 17), "missing-direction");
  EXPECT_EQ(found[2], "unknown-column: no column `vally` in lines or shops; nearest: valley");
  EXPECT_EQ(found[3].substr(0, 10), "wrong-type");
}

TEST(Check, ProblemsKnowTheirPlace) {
  Ladder ladder = good();
  ladder.figures[0].formula = "1 + quantty";
  const auto found = check(ladder, support::small_shop());
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].location.key, "figures.amount");
  EXPECT_EQ(found[0].location.offset, 4u);
  EXPECT_EQ(found[0].location.length, 7u);
  EXPECT_THROW(standings(ladder, support::small_shop()), Error);
}

TEST(Check, NamesMatchWithoutRegardToCaseWhereOneFits) {
  EXPECT_EQ(with([](Ladder& l) { l.figures[0].formula = "QUANTITY * Unit_Price"; }), Texts{});
  EXPECT_EQ(with([](Ladder& l) { l.figures[0].formula = "\"Quantity\" * unit_price"; }).size(), 1u);
  Catalog catalog;
  support::add(catalog, "t",
               {{"A", {support::number(1)}}, {"a", {support::number(2)}}, {"Order No", {support::number(3)}}});
  EXPECT_EQ(problems({.data = {.from = "t"}, .where = "\"A\" = 1 and a = 2 and \"Order No\" = 3"}, catalog), Texts{});
}
