// Settled meanings, one test a sentence.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support/tables.hpp"

using namespace lofty;
using support::column;
using support::says;
using Texts = std::vector<std::string>;

namespace {

Ladder by_shop() {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
          .figures = {{"amount", "quantity * unit_price"}},
          .where = "status <> 'void' or status is null",
          .totals = {{"spend", "sum(amount)"}, {"lines", "count(*)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc", .tiebreak = "shop"}}};
}

Error failure(const Ladder& ladder, const Catalog& catalog) {
  try {
    standings(ladder, catalog);
  } catch (const Error& error) {
    return error;
  }
  return Error(Problem{Code::stopped, "nothing failed", {}, {}, {}});
}

}  // namespace

TEST(Standings, TotalsPlacesAndWhoIsUnranked) {
  const Standings s = standings(by_shop(), support::small_shop());
  EXPECT_EQ(column(s, "shop_no"), (Texts{"2", "1", "3", "4"}));  // Älv Corner before Crumb
  EXPECT_EQ(column(s, "spend"), (Texts{"11.00", "11.00", "1.25", ""}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "1", "3", ""}));
  EXPECT_TRUE(s.tied(0) && s.tied(1) && !s.tied(2));
  EXPECT_FALSE(s.ranked(3));
  const Accounting& a = s.accounting();
  EXPECT_EQ(a.read, 7u);
  EXPECT_EQ(a.left_out, 1u);
  EXPECT_EQ(a.counted, 6u);
  EXPECT_EQ(a.entries, 4u);
  EXPECT_EQ(a.ranked, 3u);
  EXPECT_EQ(a.unranked, 1u);
  EXPECT_EQ(a.joins[0].unmatched, 1u);
  EXPECT_EQ(a.joins[0].without_rows, 1u);
  EXPECT_TRUE(says(s, "unranked", "1 shop has no place, because `spend` is null: shop_no 4; coalesce(..., 0)"));
  EXPECT_TRUE(says(s, "unmatched-rows", "1 line found no partner in shops: shop_no (4)"));
  EXPECT_TRUE(says(s, "entries-without-rows", "1 shop of shops has no lines: shop_no (5)"));
  EXPECT_TRUE(says(s, "rows-without-value", "1 line of 1 shop has no value for `quantity * unit_price`"));
  EXPECT_EQ(s.shown_of_total(), "4 shops, 6 lines");
}

// 7. Only true passes a condition; unknown rows are counted apart from the false ones.
TEST(Standings, UnknownConditionsAreCountedApart) {
  Ladder ladder = by_shop();
  ladder.where = "status <> 'void'";
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(s.accounting().left_out, 1u);
  EXPECT_EQ(s.accounting().unknown, 1u);
  EXPECT_EQ(s.accounting().counted, 5u);
  EXPECT_TRUE(says(s, "unknown-condition", "for 1 line the condition `status <> 'void'` is neither true nor false"));
}

// 4. One constant for the whole ladder over the rows that count; terms with it see what passed the others.
TEST(Standings, OverallConstantsSeeTheRowsThatPassTheOtherTerms) {
  Ladder ladder = by_shop();
  ladder.where = "ordered_on >= overall_max(ordered_on) - interval '4' day and status = 'open'";
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(s.accounting().counted, 1u);  // the latest open line, not the latest line
  EXPECT_NE(s.question().find("Overall_max(ordered_on) is 2025-03-31."), std::string::npos);
  ladder.where = "";
  ladder.totals = {{"late", "count(*) filter (where ordered_on = overall_max(ordered_on))"}};
  ladder.levels[0].by = "late desc";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "late"), (Texts{"1", "0", "0", "0"}));
}

// 13. / and avg have six decimals more, half to even.
TEST(Standings, MeansHaveSixDecimalsMore) {
  Ladder ladder = by_shop();
  ladder.totals = {{"mean", "avg(unit_price)"}, {"share", "count(*) / 3"}};
  ladder.levels[0].by = "mean desc";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "mean"),
            (Texts{"4.75000000", "1.75000000", "1.25000000", ""}));
}

// 14. Errors only for rows whose value is used, with the row.
TEST(Standings, DivisionByZeroNamesTheRow) {
  Ladder ladder = by_shop();
  ladder.figures[0].formula = "unit_price / (quantity - 5)";
  ladder.where = "";
  const Error error = failure(ladder, support::small_shop());
  EXPECT_EQ(error.code(), Code::division_by_zero);
  EXPECT_TRUE(error.data_fault());
  EXPECT_EQ(error.problems()[0].sentence, "division by zero: `quantity - 5` is 0, in row 4 of lines");
  EXPECT_EQ(error.problems()[0].location.key, "figures.amount");
  EXPECT_EQ(error.problems()[0].advice, "nullif(quantity - 5, 0) makes the result null there");
  ladder.where = "status <> 'void' or status is null";  // the row does not count, so its value is not used
  EXPECT_NO_THROW(standings(ladder, support::small_shop()));
  ladder.totals.push_back({"per", "spend / (lines - 2)"});
  EXPECT_EQ(failure(ladder, support::small_shop()).problems()[0].sentence,
            "division by zero: `lines - 2` is 0, for `Älv Corner`");
}

TEST(Standings, OverflowNamesTheRow) {
  Catalog catalog;
  support::add(catalog, "t", {{"a", {support::number(1), support::money("99999999999999999999999999999999999999")}}});
  const Error error = failure({.data = {.from = "t"}, .figures = {{"b", "a * 10"}}}, catalog);
  EXPECT_EQ(error.code(), Code::overflow);
  EXPECT_NE(error.problems()[0].sentence.find("in row 2 of t"), std::string::npos);
}

// 20. A row with several partners is an error naming two lines; null keys match nothing.
TEST(Standings, AJoinThatMultipliesIsRefused) {
  Catalog catalog = support::small_shop();
  support::add(catalog, "twice",
               {{"shop_no", {support::number(9), support::number(3), support::number(3), support::null()}}});
  Ladder ladder = by_shop();
  ladder.data.joins[0].with = "twice";
  ladder.levels[0].tiebreak = "";
  const Error error = failure(ladder, catalog);
  EXPECT_EQ(error.code(), Code::join_multiplies);
  EXPECT_EQ(
      error.problems()[0].sentence,
      "row 4 of lines has several partners in twice: row 2 and row 3; joining them would count it more than once");
  support::add(catalog, "unused",
               {{"shop_no", {support::number(9), support::number(9)}}});  // doubled, but nobody refers to it
  ladder.data.joins[0].with = "unused";
  EXPECT_EQ(standings(ladder, catalog).accounting().joins[0].unmatched, 7u);
}

TEST(Standings, JoinsBySeveralKeysAndThroughOtherJoins) {
  Catalog catalog = support::small_shop();
  const auto text = [](const char* t) { return Value(std::string(t)); };
  support::add(catalog, "discounts",
               {{"shop", {support::number(1), support::number(2), support::number(2)}},
                {"state", {text("paid"), text("paid"), text("open")}},
                {"off", {support::number(5), support::number(6), support::number(7)}}});
  support::add(catalog, "vans",
               {{"valley", {text("Ashwater"), text("High Moor")}}, {"driver", {text("Ada"), text("Bo")}}});
  const Ladder ladder{.data = {.from = "lines",
                               .joins = {{.with = "shops", .on = {"shop_no"}},
                                         {.with = "discounts", .on = {"shop_no = shop", "status = state"}},
                                         {.with = "vans", .on = {"shops.valley = valley"}}}},
                      .list = {.columns = {"line_no", "off", "driver"}}};
  const Standings s = standings(ladder, catalog);
  EXPECT_EQ(column(s, "off"), (Texts{"6", "5", "5", "", "7", "", ""}));
  EXPECT_EQ(column(s, "driver"), (Texts{"Ada", "Bo", "Bo", "", "Ada", "", ""}));
}

// A key of -1 was once taken for null.
TEST(Standings, JoinKeysMayBeNegativeLongOrOfOtherScale) {
  Catalog catalog;
  const auto wide = support::money("12345678901234567890123");
  support::add(catalog, "l",
               {{"k", {support::number(-1), support::number(-9'000'000'000'000'000'000), support::number(4)}},
                {"w", {wide, support::money("1"), support::null()}}});
  support::add(catalog, "r",
               {{"k", {support::number(9'000'000'000'000'000'000), support::number(-1)}},
                {"name", {Value(std::string("far")), Value(std::string("minus one"))}}});
  support::add(
      catalog, "s",
      {{"w", {support::money("1.00"), wide}}, {"other", {Value(std::string("one")), Value(std::string("wide"))}}});
  const Standings s =
      standings({.data = {.from = "l", .joins = {{.with = "r", .on = {"k"}}, {.with = "s", .on = {"w"}}}},
                 .list = {.columns = {"name", "other"}}},
                catalog);
  EXPECT_EQ(column(s, "name"), (Texts{"minus one", "", ""}));
  EXPECT_EQ(column(s, "other"), (Texts{"wide", "one", ""}));
}

TEST(Standings, KeysOfDifferentTypesAreAnErrorThatShowsBoth) {
  Catalog catalog = support::small_shop();
  support::add(catalog, "codes", {{"shop_no", {Value(std::string("007"))}}});
  Ladder ladder = by_shop();
  ladder.data.joins[0].with = "codes";
  ladder.levels[0].tiebreak = "";
  const Error error = failure(ladder, catalog);
  EXPECT_EQ(error.code(), Code::key_mismatch);
  EXPECT_NE(error.problems()[0].sentence.find("integer on one side (2) and text on the other ('007')"),
            std::string::npos);
}

// 22. A column with one value per entry comes along; several values are an error that shows two.
TEST(Standings, ColumnsWithOneValueComeAlong) {
  Ladder ladder = by_shop();
  ladder.list.columns = {"rank", "shop", "valley", "spend"};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "shop"), (Texts{"Älv Corner", "Crumb", "Barrow", ""}));
  ladder.list.columns = {"shop", "status"};
  const Error error = failure(ladder, support::small_shop());
  EXPECT_EQ(error.code(), Code::several_values);
  EXPECT_EQ(error.problems()[0].sentence,
            "`status` has several values in one entry: shop_no `2` has `paid` and `open`");
}

// 23. Nulls in group keys form one group, with its row count in a remark.
TEST(Standings, NullsFormOneGroup) {
  Ladder ladder = by_shop();
  ladder.levels[0] = {.each = {"valley"}, .by = "spend desc"};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "valley"), (Texts{"Ashwater", "High Moor", ""}));
  EXPECT_TRUE(says(s, "blank-group", "2 lines have no `valley`; together they are listed as (none)"));
}

// 24. Aggregates over no value are null, count is 0.
TEST(Standings, AggregatesOverNothingAreNull) {
  Ladder ladder = by_shop();
  ladder.totals = {{"n", "count(amount)"},
                   {"least", "min(amount)"},
                   {"paid", "sum(amount) filter (where status = 'void')"},
                   {"zero", "coalesce(sum(amount), 0)"}};
  ladder.levels[0].by = "zero desc";
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "n"), (Texts{"2", "2", "1", "0"}));
  EXPECT_EQ(column(s, "least"), (Texts{"1.00", "3.00", "1.25", ""}));
  EXPECT_EQ(column(s, "paid"), (Texts{"", "", "", ""}));
  EXPECT_EQ(column(s, "zero"), (Texts{"11.00", "11.00", "1.25", "0.00"}));
}

TEST(Standings, CountsOfDifferentValuesAndExtremesOfTextsAndDates) {
  Ladder ladder = by_shop();
  ladder.where = "";
  ladder.totals = {{"states", "count(distinct status)"},
                   {"days", "count(distinct ordered_on)"},
                   {"last", "max(ordered_on)"},
                   {"first_state", "min(status)"}};
  ladder.levels[0] = {.each = {"shop_no"}, .by = "last desc"};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "shop_no"), (Texts{"4", "3", "2", "1"}));
  EXPECT_EQ(column(s, "states"), (Texts{"1", "1", "2", "1"}));
  EXPECT_EQ(column(s, "days"), (Texts{"1", "2", "2", "1"}));
  EXPECT_EQ(column(s, "last"), (Texts{"2025-04-02", "2025-04-01", "2025-03-31", "2025-03-02"}));
  EXPECT_EQ(column(s, "first_state"), (Texts{"paid", "void", "open", "paid"}));
}

// 26. Tie-breakers order peers and never make a tie unequal; then the entry's own key decides.
TEST(Standings, EveryTieRuleSideBySide) {
  Ladder ladder = by_shop();
  ladder.levels[0].also = {{"modified", Ties::modified},
                           {"dense", Ties::dense},
                           {"ordinal", Ties::ordinal},
                           {"fractional", Ties::fractional}};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "1", "3", ""}));
  EXPECT_EQ(column(s, "modified"), (Texts{"2", "2", "3", ""}));
  EXPECT_EQ(column(s, "dense"), (Texts{"1", "1", "2", ""}));
  EXPECT_EQ(column(s, "ordinal"), (Texts{"1", "2", "3", ""}));
  EXPECT_EQ(column(s, "fractional"), (Texts{"1.5", "1.5", "3.0", ""}));
  EXPECT_EQ(column(s, "shop_no"), (Texts{"2", "1", "3", "4"}));
}

// 30. Ties at the cut stay in; a strict cut says whom it dropped and which key decided.
TEST(Standings, ACutThroughATieIsNeverSilent) {
  Ladder ladder = by_shop();
  ladder.levels[0].best = 1;
  const Standings loose = standings(ladder, support::small_shop());
  EXPECT_EQ(loose.rows(), 2u);
  EXPECT_TRUE(says(loose, "tie-at-cut",
                   "2 shops share place 1 (`spend` 11.00); the best 1 are kept, and all that tie are listed"));
  ladder.levels[0].cut = Cut::strict;
  ladder.list.columns = {"rank", "shop", "spend"};
  const Standings strict = standings(ladder, support::small_shop());
  EXPECT_EQ(column(strict, "shop"), Texts{"Älv Corner"});
  EXPECT_TRUE(
      says(strict, "tie-at-cut", "strictly: `Crumb` left out, `Älv Corner` kept, decided by the tie-breaker `shop`"));
  ladder.levels[0].tiebreak = "";
  EXPECT_TRUE(says(standings(ladder, support::small_shop()), "tie-at-cut",
                   "decided by `shop_no`, because nothing else tells them apart"));
  ladder.levels[0].best = 2;
  EXPECT_FALSE(says(standings(ladder, support::small_shop()), "tie-at-cut"));
}

// 30, F1. Both ends keep their true places, an entry in both is listed once, and either cut through a tie is said.
TEST(Standings, WorstMirrorsBest) {
  Ladder ladder = by_shop();
  ladder.levels[0].worst = 1;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), Texts{"3"});
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "rank"), Texts{"3"});
  ladder.levels[0].worst = 2;
  const Standings tied = standings(ladder, support::small_shop());
  EXPECT_EQ(tied.rows(), 3u);
  EXPECT_TRUE(says(tied, "tie-at-cut", "the worst 2 are kept, and all that tie are listed"));
  ladder.levels[0].cut = Cut::strict;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"1", "3"}));
  EXPECT_TRUE(
      says(standings(ladder, support::small_shop()), "tie-at-cut", "strictly: `Älv Corner` left out, `Crumb` kept"));
  ladder.levels[0].best = 2;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"2", "1", "3"}));
}

// C5. Lines without a price are said once, with all of them, however many totals there are.
TEST(Standings, TheTotalThatMeetsMostBlanksSpeaksForAll) {
  Ladder ladder = by_shop();
  ladder.totals = {{"late", "sum(amount) filter (where ordered_on < date '2025-04-01')"},
                   {"spend", "sum(amount)"},
                   {"mean", "avg(amount)"}};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_TRUE(says(s, "rows-without-value", "`sum(amount)` leaves it out"));
  EXPECT_EQ(std::count_if(s.remarks().begin(), s.remarks().end(),
                          [](const Remark& remark) { return remark.code == "rows-without-value"; }),
            1);
}

// 4. One constant for the whole ladder, wherever and however often it is written.
TEST(Standings, AnOverallConstantMayBeWrittenTwice) {
  Ladder ladder = by_shop();
  ladder.figures.push_back({"latest", "overall_max(ordered_on)"});
  ladder.totals = {{"a", "count(*) filter (where ordered_on = overall_max(ordered_on))"},
                   {"b", "count(*) filter (where ordered_on = overall_max(ordered_on)) + 0"},
                   {"c", "count(*) filter (where ordered_on = latest)"}};
  ladder.levels[0].by = "a desc, latest asc";
  ladder.levels[0].tiebreak = "latest";
  ladder.list.columns = {"shop_no", "a", "b", "c", "latest"};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "a"), (Texts{"1", "0", "0", "0"}));
  EXPECT_EQ(column(s, "b"), column(s, "a"));
  EXPECT_EQ(column(s, "c"), column(s, "a"));
  EXPECT_EQ(column(s, "latest")[3], "2025-04-02");
}

// 5. `having` drops entries before windows and places; only true passes, and unknown is counted apart from false.
TEST(Standings, HavingDropsEntriesBeforeThePlaces) {
  Ladder ladder = by_shop();
  ladder.levels[0].having = "spend < 11";
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "shop_no"), Texts{"3"});
  EXPECT_EQ(column(s, "rank"), Texts{"1"});
  EXPECT_EQ(s.accounting().entries, 4u);
  EXPECT_EQ(s.accounting().dropped, 2u);
  EXPECT_EQ(s.accounting().dropped_unknown, 1u);  // the shop without a price
  EXPECT_NE(s.question().find("shops take part where spend < 11"), std::string::npos) << s.question();
  ladder.levels[0].having = "count(*) > 100";  // a total without a name
  EXPECT_EQ(standings(ladder, support::small_shop()).rows(), 0u);
}

// 28. Entries that are not eligible stay listed without a place, the others are numbered as if they weren't there;
// false and unknown are counted apart. They stay in shares.
TEST(Standings, EligibilityTakesPlacesAwayNotEntries) {
  Ladder ladder = by_shop();
  ladder.levels[0].eligible = "shop_no <> 2";
  ladder.levels[0].also = {{.name = "part", .measure = Measure::share, .of = "spend"}};
  ladder.list.columns = {"rank", "shop_no", "part"};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "shop_no"), (Texts{"1", "3", "2", "4"}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "2", "", ""}));
  EXPECT_EQ(column(s, "part")[0], column(s, "part")[2]);  // the two that tied, one of them without a place
  EXPECT_EQ(s.accounting().ineligible, 1u);
  EXPECT_EQ(s.accounting().unranked, 2u);
  EXPECT_TRUE(says(s, "ineligible", "1 shop has no place, because `shop_no <> 2` is false: shop_no 2"));
  EXPECT_TRUE(says(s, "unranked", "1 shop has no place, because `spend` is null: shop_no 4"));
  ladder.levels[0].eligible = "spend > 0";
  const Standings unknown = standings(ladder, support::small_shop());
  EXPECT_EQ(unknown.accounting().eligibility_unknown, 1u);
  EXPECT_TRUE(says(unknown, "eligibility-unknown", "neither true nor false"));
  // 29. Places by other keys of rank.also follow the same rule.
  ladder.levels[0].eligible = "shop_no <> 2";
  ladder.levels[0].also = {{.name = "from_below", .by = "spend asc"}};
  ladder.list.columns = {"shop_no", "from_below"};
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "from_below"), (Texts{"2", "1", "", ""}));
}

// 5, 30, 31. keep.where may use places; best counts what it lets through; unranked entries are kept on request only.
TEST(Standings, KeepWhereComesBeforeTheEnds) {
  Ladder ladder = by_shop();
  ladder.levels[0].where = "rank <= 2";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"2", "1"}));
  EXPECT_EQ(standings(ladder, support::small_shop()).accounting().not_kept, 2u);
  ladder.levels[0].where = "shop_no <> 2";
  ladder.levels[0].best = 1;
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "shop_no"), Texts{"1"});  // its partner in the tie was not let through: nothing is cut
  EXPECT_FALSE(says(s, "tie-at-cut"));
  ladder.levels[0].best = 2;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "rank"), (Texts{"1", "3"}));
  ladder.levels[0].unranked = true;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "rank"), (Texts{"1", "3", ""}));
  ladder.levels[0].best = {};
  ladder.levels[0].unranked = false;
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "rank"), (Texts{"1", "3"}));
}

// 1. Places are known from keep.where on; eligibility and having come before them.
TEST(Standings, ConditionsKnowTheirStage) {
  Ladder ladder = by_shop();
  ladder.levels[0].having = "rank < 3";
  ladder.levels[0].eligible = "spend";
  const auto found = support::problems(ladder, support::small_shop());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[0], "wrong-stage: `rank` is a place: it is known at the very end, too late for rank.having");
  EXPECT_EQ(found[1], "wrong-type: rank.eligible needs a condition; `spend` is decimal");
  ladder = by_shop();
  ladder.levels[0].where = "rnk < 3";
  EXPECT_EQ(support::problems(ladder, support::small_shop()),
            Texts{"unknown-column: no column `rnk` in lines or shops; nearest: rank"});
}

// 29. Further columns next to the place.
TEST(Standings, FurtherColumns) {
  Ladder ladder = by_shop();
  ladder.totals.push_back({"weight", "cast(sum(quantity) as float)"});
  ladder.levels[0].also = {{.name = "from_below", .by = "spend asc"},
                           {.name = "half", .measure = Measure::tiers, .count = 2},
                           {.name = "part", .measure = Measure::share, .of = "lines"},
                           {.name = "running", .measure = Measure::running_share, .of = "spend"},
                           {.name = "heavy", .measure = Measure::share, .of = "weight"},
                           {.name = "upper", .measure = Measure::percent_rank},
                           {.name = "spread", .measure = Measure::cumulative_distribution}};
  const Standings s = standings(ladder, support::small_shop());
  ASSERT_EQ(column(s, "spend"), (Texts{"11.00", "11.00", "1.25", ""}));
  EXPECT_EQ(column(s, "from_below"), (Texts{"2", "2", "1", ""}));
  EXPECT_EQ(column(s, "half"), (Texts{"1", "1", "2", ""}));
  // A place by other keys has its own ties.
  ladder.levels[0].also = {{.name = "by_lines", .by = "lines asc"}};
  ladder.list.columns = {"rank", "by_lines", "lines"};
  const Standings own = standings(ladder, support::small_shop());
  EXPECT_EQ(column(own, "by_lines"), (Texts{"3", "3", "1", "1"}));
  EXPECT_TRUE(own.tied(2, 1) && !own.tied(2, 0) && !own.tied(2, 2));
  ladder.list.columns.clear();
  EXPECT_EQ(column(s, "part"), (Texts{"0.333333", "0.333333", "0.166667", "0.166667"}));  // unranked ones count in it
  EXPECT_EQ(column(s, "running"), (Texts{"0.94623656", "0.94623656", "1.00000000", ""}));
  EXPECT_EQ(column(s, "upper"), (Texts{"0.000000", "0.000000", "1.000000", ""}));
  EXPECT_EQ(column(s, "spread"), (Texts{"0.666667", "0.666667", "1.000000", ""}));
  EXPECT_EQ(column(s, "heavy")[2], to_text(1.0 / 11));
  ladder.levels[0].also = {{.name = "p", .measure = Measure::share, .of = "shop"}};
  EXPECT_EQ(support::problems(ladder, support::small_shop()),
            Texts{"wrong-type: a share is one of numbers; `shop` is text"});
  ladder.levels[0].also = {{.name = "p", .by = "spend"}};
  EXPECT_EQ(support::problems(ladder, support::small_shop()),
            Texts{"missing-direction: highest or lowest first? `spend` has no direction"});
}

// 34. Custom orders affect sorting, pins hold when the direction flips, and lists that do not fit the data are said.
TEST(Standings, CustomOrders) {
  Ladder ladder{.data = {.from = "shops"}, .levels = {{.by = "shop asc"}}, .list = {.columns = {"shop"}}};
  const auto shops = [&] { return column(standings(ladder, support::small_shop()), "shop"); };
  EXPECT_EQ(shops(), (Texts{"Älv Corner", "Barrow", "Crumb", "Never"}));
  ladder.data.locale = "sv";  // Ä behind Z
  EXPECT_EQ(shops(), (Texts{"Barrow", "Crumb", "Never", "Älv Corner"}));
  ladder.orderings = {{.column = "shop", .first = {std::string("Never")}, .last = {std::string("Barrow")}}};
  EXPECT_EQ(shops(), (Texts{"Never", "Crumb", "Älv Corner", "Barrow"}));
  ladder.levels[0].by = "shop desc";
  EXPECT_EQ(shops(), (Texts{"Never", "Älv Corner", "Crumb", "Barrow"}));
  ladder.orderings = {
      {.column = "shop", .sequence = {std::string("Crumb"), std::string("Closed"), std::string("Barrow")}}};
  ladder.levels[0].by = "shop asc";
  EXPECT_EQ(shops(), (Texts{"Crumb", "Barrow", "Never", "Älv Corner"}));
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_TRUE(says(s, "listed-value-absent", "orderings.shop lists `Closed`, which does not occur"));
  EXPECT_TRUE(says(s, "sequence-forgot", "does not name `Never` and `Älv Corner`; they follow the others"));
  ladder.orderings = {{.column = "shop", .text = TextOrder::code_point},
                      {.column = "valley", .text = TextOrder::natural}};
  EXPECT_EQ(shops(), (Texts{"Barrow", "Crumb", "Never", "Älv Corner"}));
  EXPECT_TRUE(says(standings(ladder, support::small_shop()), "unused-ordering", "orderings.valley changes nothing"));
  // Never the places of numbers.
  ladder.orderings = {{.column = "shop_no", .first = {support::number(5)}}};
  ladder.levels[0].by = "shop_no asc";
  EXPECT_EQ(shops(), (Texts{"Crumb", "Älv Corner", "Barrow", "Never"}));
  ladder.list.order = "shop_no";
  EXPECT_EQ(shops(), (Texts{"Never", "Crumb", "Älv Corner", "Barrow"}));
}

TEST(Standings, CustomOrdersThatCannotBe) {
  Ladder ladder{.data = {.from = "shops", .locale = "xx"}, .levels = {{.by = "shop asc"}}};
  EXPECT_EQ(support::problems(ladder, support::small_shop()), Texts{"bad-value: no language has the code `xx`"});
  ladder.data.locale = "";
  ladder.orderings = {{.column = "shopp"}};
  EXPECT_EQ(support::problems(ladder, support::small_shop())[0].substr(0, 14), "unknown-column");
  ladder.orderings = {
      {.column = "shop", .first = {support::number(3)}, .sequence = {std::string("a"), std::string("a")}}};
  EXPECT_EQ(support::problems(ladder, support::small_shop()).size(), 3u);
}

// E7. Which place a value that no entry has would take, in each group.
TEST(Standings, WhereAnAmountWouldStand) {
  Ladder ladder = by_shop();
  const auto all = standings(ladder, support::small_shop()).place_for("spend", support::money("11.00"));
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(all[0].standing.equal, 2u);
  EXPECT_EQ(all[0].standing.ranked, 3u);
  EXPECT_EQ(*all[0].behind, support::money("1.25"));
  EXPECT_FALSE(all[0].ahead);
  ladder.levels[0].within = {"valley"};
  const auto groups = standings(ladder, support::small_shop()).place_for("spend", support::money("5"));
  ASSERT_EQ(groups.size(), 3u);
  EXPECT_EQ(groups[0].group, std::vector<Value>{std::string("Ashwater")});
  EXPECT_EQ(groups[0].standing.place(Ties::competition), 2);
  EXPECT_EQ(groups[2].standing.place(Ties::competition), 1);
  EXPECT_THROW(standings(ladder, support::small_shop()).place_for("spent", support::number(1)), Error);
  EXPECT_THROW(standings(ladder, support::small_shop()).place_for("spend", std::string("much")), Error);
  EXPECT_THROW(standings({.data = {.from = "lines"}}, support::small_shop()).place_for("spend", support::number(1)),
               Error);
}

TEST(Standings, PlacesStartAnewInEveryGroup) {
  Ladder ladder = by_shop();
  ladder.levels[0].within = {"valley"};
  ladder.levels[0].best = 1;
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "valley"), (Texts{"Ashwater", "High Moor", ""}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "1", "1"}));
  EXPECT_TRUE(s.starts_group(0) && s.starts_group(1) && s.starts_group(2));
}

// F2, 35. Choosing and listing are separate; "input" lists an entry where its first row that counts is.
TEST(Standings, ListingOrderIsItsOwn) {
  Ladder ladder = by_shop();
  ladder.list.order = "input";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"2", "1", "3", "4"}));
  ladder.list.order = "rank desc, shop_no desc";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"3", "2", "1", "4"}));
  ladder.list.order = "spend asc nulls first";
  EXPECT_EQ(column(standings(ladder, support::small_shop()), "shop_no"), (Texts{"4", "3", "2", "1"}));
}

TEST(Standings, RowsAreEntriesWhereNothingElseIs) {
  const Ladder ladder{.data = {.from = "lines"},
                      .figures = {{"amount", "quantity * unit_price"}},
                      .levels = {{.by = "amount desc"}},
                      .list = {.columns = {"rank", "line_no", "amount"}}};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(column(s, "line_no"), (Texts{"1", "2", "4", "3", "6", "5", "7"}));
  EXPECT_EQ(column(s, "rank"), (Texts{"1", "2", "3", "4", "5", "6", ""}));
  const Ladder plain{.data = {.from = "lines"}, .where = "quantity > 1"};  // no places at all
  const Standings rows = standings(plain, support::small_shop());
  EXPECT_EQ(column(rows, "line_no"), (Texts{"1", "3", "4", "7"}));
  EXPECT_EQ(rows.columns().size(), 6u);
  const Ladder tied{.data = {.from = "lines"}, .levels = {{.by = "quantity desc"}}};
  EXPECT_TRUE(says(standings(tied, support::small_shop()), "input-decides",
                   "5 lines are equal to another on every key (row 3 and row 7 for two); their input order decides; "
                   "`line_no` as a tie-breaker would tell them apart"));
}

// Where the best are kept, it is said of those that are equal to one of them; how the others lie is not seen.
TEST(Standings, InputDecidesAboutWhatIsKept) {
  Ladder ladder{.data = {.from = "lines"}, .levels = {{.by = "quantity desc", .best = 1, .cut = Cut::strict}}};
  EXPECT_FALSE(says(standings(ladder, support::small_shop()), "input-decides"));
  ladder.levels.front().best = 3;
  EXPECT_TRUE(says(standings(ladder, support::small_shop()), "input-decides",
                   "2 lines are equal to another on every key (row 3 and row 7 for two); their input order decides; "
                   "`line_no` as a tie-breaker would tell them apart"));
}

TEST(Standings, EmptyTablesGiveEmptyAnswers) {
  Catalog catalog;
  support::add(catalog, "t", {{"a", {}}, {"b", {}}});
  const Standings s = standings(
      {.data = {.from = "t"}, .totals = {{"n", "count(*)"}}, .levels = {{.each = {"a"}, .by = "n desc", .best = 3}}},
      catalog);
  EXPECT_EQ(s.rows(), 0u);
  EXPECT_TRUE(says(s, "nothing-counts", "the table has no rows"));
}

// 17. A choice has the type of its value and must lie in range.
TEST(Standings, ChoicesAreTypedAndRanged) {
  Ladder ladder = by_shop();
  ladder.choices = {
      {.name = "least", .value = Decimal(1, 0), .unit = "lines", .least = Decimal(1, 0), .most = Decimal(9, 0)},
      {.name = "state", .value = std::string("paid"), .among = {std::string("paid"), std::string("open")}}};
  ladder.where = "quantity >= :least";
  choose(ladder, "least", "4");
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(s.accounting().counted, 2u);
  EXPECT_NE(s.question().find("Chosen: least = 4 lines"), std::string::npos);
  const std::pair<std::pair<const char*, const char*>, const char*> cases[] = {
      {{"least", "many"}, "the choice `least` is a whole number, not `many`"},
      {{"least", "2.5"}, "the choice `least` is a whole number, not `2.5`"},
      {{"least", "10"}, "the choice `least` has to be from 1 to 9"},
      {{"state", "pai"}, "the choice `state` has to be one of paid or open"},
      {{"leest", "4"}, "no choice is called `leest`"},
  };
  for (const auto& [call, sentence] : cases) {
    try {
      choose(ladder, call.first, call.second);
      ADD_FAILURE() << call.first;
    } catch (const Error& error) {
      EXPECT_EQ(error.problems()[0].sentence, sentence);
    }
  }
}

// 6. The answer says the question back.
TEST(Standings, SaysTheQuestionBack) {
  Ladder ladder = by_shop();
  ladder.levels[0].within = {"valley"};
  ladder.levels[0].best = 2;
  EXPECT_EQ(standings(ladder, support::small_shop()).question(),
            "Shops by spend, highest first, in each valley; lines count where status <> 'void' or status is null; "
            "competition places, ties told apart by shop; the best 2 of each, ties at the cut kept.");
}

TEST(Standings, FloatSumsDoNotDependOnOrder) {
  Catalog catalog;
  std::vector<std::int64_t> keys;
  std::vector<double> values;
  for (int i = 0; i < 999; ++i) {
    keys.push_back(1);
    values.push_back(i % 3 == 0 ? 1e16 : i % 3 == 1 ? 1.0 : -1e16);
  }
  catalog.add(TableBuilder("t").column("k", keys).column("v", values).build());
  const Ladder ladder{
      .data = {.from = "t"}, .totals = {{"s", "sum(v)"}, {"m", "avg(v)"}}, .levels = {{.each = {"k"}, .by = "s desc"}}};
  EXPECT_EQ(column(standings(ladder, catalog), "s"), Texts{"333"});
}

TEST(Standings, StopsWhenAsked) {
  std::stop_source source;
  source.request_stop();
  try {
    standings(by_shop(), support::small_shop(), {.stop = source.get_token()});
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::stopped);
  }
}

// 17. Titles and headings say which choices are in force; other colons are text.
TEST(Semantics, TitlesAndHeadingsNameTheirChoices) {
  Ladder ladder{.title = "Over :least at 10:30, :leasts and :other",
                .data = {.from = "lines"},
                .choices = {{"least", Decimal(25, 1)}},
                .where = "quantity >= :least",
                .list = {.columns = {"line_no", "quantity"}, .headings = {{"quantity", "of :least and more"}}}};
  const Standings s = standings(ladder, support::small_shop());
  EXPECT_EQ(s.title(), "Over 2.5 at 10:30, :leasts and :other");
  EXPECT_EQ(s.columns()[1].heading, "of 2.5 and more");
  EXPECT_EQ(s.columns()[1].name, "quantity");
  choose(ladder, "least", "4");
  EXPECT_EQ(standings(ladder, support::small_shop()).columns()[1].heading, "of 4 and more");
}
