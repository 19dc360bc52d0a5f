// Remarks on questions that may not ask what was meant; each where it belongs, and not where nothing is doubtful.
#include <gtest/gtest.h>

#include <regex>
#include <set>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::money;
using support::null;
using support::number;
using support::says;

namespace {

Value n(long value) { return number(value); }
Value t(const char* text) { return std::string(text); }

Catalog tables() {
  Catalog catalog;
  support::add(
      catalog, "lines",
      {{"order_no", {n(1), n(2), n(3), n(4), n(5), n(6)}},
       {"shop_no", {n(1), n(1), n(2), n(3), n(3), n(4)}},
       {"quantity", {n(1), n(2), n(3), n(4), n(5), n(6)}},
       {"unit_price", {money("1.00"), money("2.00"), money("1.50"), money("3.00"), money("0.50"), money("2.50")}},
       {"net", {n(5), n(4), n(-3), n(2), n(1), n(6)}}});
  support::add(catalog, "shops",
               {{"shop_no", {n(1), n(2), n(3), n(4), n(5), n(6), n(7)}},
                {"shop", {t("Crumb"), t("Crumb"), t("Barrow"), t("Kettle"), t("Spoon"), t("Wren"), null()}},
                {"valley", {t("a"), t("a"), t("a"), t("b"), t("b"), t("b"), t("b")}}});
  return catalog;
}

Ladder by(const std::string& total, const std::string& order = "desc") {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
          .totals = {{"total", total}},
          .levels = {{.each = {"shop_no"}, .by = "total " + order}}};
}

Standings ask(const Ladder& ladder) { return standings(ladder, tables()); }

}  // namespace

TEST(Doubtful, AnIdIsSummed) {
  EXPECT_TRUE(says(ask(by("sum(order_no)")), "id-summed", "`sum(order_no)`"));
  EXPECT_TRUE(says(ask(by("avg(order_no)")), "id-summed"));
  EXPECT_FALSE(says(ask(by("count(distinct order_no)")), "id-summed"));
  EXPECT_FALSE(says(ask(by("sum(quantity)")), "id-summed"));
  EXPECT_FALSE(says(ask(by("max(order_no)")), "id-summed"));
}

TEST(Doubtful, PricesOfOneAreSummed) {
  EXPECT_TRUE(says(ask(by("sum(unit_price)")), "unit-price-summed", "sum(quantity * unit_price) is their total"));
  EXPECT_FALSE(says(ask(by("sum(quantity * unit_price)")), "unit-price-summed"));
  EXPECT_FALSE(says(ask(by("avg(unit_price)")), "unit-price-summed"));
}

TEST(Doubtful, ALabelThatStandsForSeveral) {
  Ladder ladder = by("sum(quantity)");
  ladder.levels[0].each = {"shop"};
  EXPECT_TRUE(says(ask(ladder), "label-not-id",
                   "1 value of `shop` belongs to more than one `shop_no` (`Crumb` is shop_no 1 and 2)"));
  ladder.levels[0].each = {"valley"};  // a class of shops, and meant so
  EXPECT_FALSE(says(ask(ladder), "label-not-id"));
  ladder.levels[0].each = {"shop", "shop_no"};
  EXPECT_FALSE(says(ask(ladder), "label-not-id"));

  // Towns of customers: one of four has two, and towns are what is ranked.
  Catalog catalog = tables();
  support::add(catalog, "customers",
               {{"customer_no", {n(1), n(2), n(3), n(4), n(5), n(6), n(7)}},
                {"town", {t("Ash"), t("Ash"), t("Beck"), t("Cleeve"), t("Dell"), t("Elm"), t("Firth")}}});
  const Ladder towns{.data = {.from = "lines", .joins = {{.with = "customers", .on = {"shop_no = customer_no"}}}},
                     .totals = {{"total", "sum(quantity)"}},
                     .levels = {{.each = {"town"}, .by = "total desc"}}};
  EXPECT_FALSE(says(standings(towns, catalog), "label-not-id"));
}

TEST(Doubtful, KeysToSpare) {
  Ladder ladder = by("sum(quantity)");
  ladder.levels[0].each = {"shop_no", "shop"};
  EXPECT_TRUE(
      says(ask(ladder), "keys-to-spare", "`shop_no` alone tells the entries apart; in rank.each `shop` adds nothing"));
  ladder.levels[0].each = {"valley", "quantity"};
  EXPECT_TRUE(says(ask(ladder), "keys-to-spare", "`quantity` alone"));
  ladder.levels[0].each = {"shop_no"};
  EXPECT_FALSE(says(ask(ladder), "keys-to-spare"));
}

TEST(Doubtful, AFewEntriesInSeveralGroups) {
  Catalog catalog;
  support::add(catalog, "sales",
               {{"shop_no", {n(1), n(2), n(3), n(3), n(4)}},
                {"valley", {t("a"), t("a"), t("a"), t("b"), null()}},
                {"sold", {n(5), n(4), n(3), n(2), n(1)}}});
  Ladder ladder{.data = {.from = "sales"},
                .totals = {{"total", "sum(sold)"}},
                .levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "total desc"}}};
  EXPECT_TRUE(says(standings(ladder, catalog), "entry-in-several-groups",
                   "1 shop of 4 is in more than one group (shop_no 3 in `a` and `b`)"));
  ladder.levels[0].within = {"sold"};
  ladder.where = "shop_no = 3";  // all of them: that is how it is meant
  EXPECT_FALSE(says(standings(ladder, catalog), "entry-in-several-groups"));
}

TEST(Doubtful, TheLastDayMayNotBeOver) {
  Catalog catalog;
  std::vector<Value> days;
  for (int day = 1; day <= 10; ++day)
    for (int i = 0; i < (day == 10 ? 1 : 8); ++i)
      days.emplace_back(*Date::from_parts(2025, 3, static_cast<unsigned>(day)));
  support::add(catalog, "visits", {{"day", days}});
  Ladder ladder{.data = {.from = "visits"},
                .periods = {{.name = "recent", .on = "day", .last = "10"}},
                .totals = {{"visits", "count(*) filter (where recent)"}},
                .levels = {{.each = {"day"}, .by = "visits desc"}}};
  EXPECT_TRUE(says(standings(ladder, catalog), "last-day-incomplete",
                   "2025-03-10, the last day of `recent` with any, has 1 row; the other days have 8 on average") ||
              says(standings(ladder, catalog), "last-day-incomplete", "has 1 visit; the other days have 8 on average"));
  ladder.where = "day < date '2025-03-10'";
  EXPECT_FALSE(says(standings(ladder, catalog), "last-day-incomplete"));
}

TEST(Doubtful, TheBestWithTheLeast) {
  Ladder ladder = by("sum(quantity)", "asc");
  EXPECT_FALSE(says(ask(ladder), "least-first"));
  ladder.levels[0].best = 2;
  EXPECT_TRUE(says(ask(ladder), "least-first", "the best 2 are those with the least `total`"));
  ladder.levels[0].by = "total desc";
  EXPECT_FALSE(says(ask(ladder), "least-first"));
  ladder = by("min(unit_price)", "asc");  // the cheapest may well be best
  ladder.levels[0].best = 2;
  EXPECT_FALSE(says(ask(ladder), "least-first"));
}

TEST(Doubtful, NegativeTotalsBendShares) {
  Ladder ladder = by("sum(net)");
  ladder.levels[0].also = {{.name = "part", .measure = Measure::share, .of = "total"}};
  EXPECT_TRUE(says(ask(ladder), "negative-in-share", "1 shop has a negative `total` (shop_no 2: -3)"));
  ladder.totals[0].formula = "sum(quantity)";
  EXPECT_FALSE(says(ask(ladder), "negative-in-share"));
}

TEST(Doubtful, TiesOfRoundedQuotients) {
  Catalog catalog;
  // 1 / 3000001 and 1 / 3000002 differ beyond the sixth decimal; 2 / 4 and 1 / 2 do not differ.
  support::add(catalog, "parts",
               {{"shop_no", {n(1), n(2), n(3), n(4)}},
                {"some", {n(1), n(1), n(2), n(1)}},
                {"whole", {n(3000001), n(3000002), n(4), n(2)}}});
  Ladder ladder{.data = {.from = "parts"},
                .totals = {{"part", "sum(some) / sum(whole)"}},
                .levels = {{.each = {"shop_no"}, .by = "part desc"}}};
  const Standings quotients = standings(ladder, catalog);
  EXPECT_TRUE(says(quotients, "rounded-tie",
                   "shop_no 1 and shop_no 2 share place 3 only because `part` is rounded to 6 decimals"));
  ladder.where = "shop_no > 2";
  EXPECT_FALSE(says(standings(ladder, catalog), "rounded-tie"));

  // Places 3 and 4 are rounded to one, which matters where one of them is kept.
  ladder.where = "";
  ladder.levels.front().tiebreak = "shop_no";
  ladder.levels.front().cut = Cut::strict;
  for (const std::size_t best : {2, 3, 4}) {
    ladder.levels.front().best = best;
    EXPECT_EQ(best > 2, says(standings(ladder, catalog), "rounded-tie")) << best;
  }
  ladder.levels.front().best = {};
  ladder.levels.front().worst = 1;
  EXPECT_TRUE(says(standings(ladder, catalog), "rounded-tie"));
}

TEST(Doubtful, MeansThatTieOnlyWhenRounded) {
  // A mean keeps 38 decimals at most: a third and a fourth of the last of them are both rounded to nothing.
  Catalog catalog;
  const Value tiny = money("0.00000000000000000000000000000000000001"), zero = n(0);
  support::add(catalog, "m",
               {{"k", {n(1), n(1), n(1), n(2), n(2), n(2), n(2)}}, {"v", {tiny, zero, zero, tiny, zero, zero, zero}}});
  const Ladder ladder{
      .data = {.from = "m"}, .totals = {{"mean", "avg(v)"}}, .levels = {{.each = {"k"}, .by = "mean desc"}}};
  EXPECT_TRUE(
      says(standings(ladder, catalog), "rounded-tie", "share place 1 only because `mean` is rounded to 38 decimals"));
}

// docs/remarks.md has a page for every code that the sources can say.
TEST(Doubtful, EveryRemarkHasAPage) {
  const std::filesystem::path source = LOFTY_SOURCE;
  const std::string pages = support::slurp(source / "docs/remarks.md");
  std::set<std::string> codes;
  for (const char* file :
       {"remark/remarks.cpp", "remark/window_remarks.cpp", "remark/doubtful.cpp", "derived/profile.cpp"}) {
    const std::string text = support::slurp(source / "src" / file);
    const std::regex said("(?:say|unranked)\\(\\s*\"([a-z-]+)\"");
    for (std::sregex_iterator at(text.begin(), text.end(), said), end; at != end; ++at) codes.insert((*at)[1]);
  }
  EXPECT_GE(codes.size(), 35u);
  for (const std::string& code : codes) EXPECT_NE(pages.find("## `" + code + "`\n"), std::string::npos) << code;
}

TEST(Doubtful, NothingToSayIsNotSaid) {
  Ladder ladder = by("sum(quantity * unit_price)");
  ladder.levels[0].best = 2;
  const Standings answer = ask(ladder);
  for (const Remark& remark : answer.remarks()) EXPECT_EQ(remark.code, "entries-without-rows") << remark.sentence;
}
