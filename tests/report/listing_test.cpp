#include "lofty/listing.hpp"

#include <gtest/gtest.h>

#include "report/width.hpp"
#include "support/tables.hpp"

using namespace lofty;

TEST(Listing, AlignsByDisplayWidth) {
  EXPECT_EQ(report::display_width("abc"), 3);
  EXPECT_EQ(report::display_width("Été"), 3);
  EXPECT_EQ(report::display_width("E\u0301te\u0301"), 3);  // combining accents
  EXPECT_EQ(report::display_width("蜂蜜"), 4);
  EXPECT_EQ(report::padded("蜂", 4, true), "  蜂");
  EXPECT_EQ(report::printable("a\x1b[31mb\n\x7f"), "a␛[31mb␊␡");  // data cannot steer the terminal
}

TEST(Listing, ReadsAsAPersonExpects) {
  Catalog catalog = support::small_shop();
  const Ladder ladder{.title = "Shops",
                      .data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                      .figures = {{"amount", "quantity * unit_price * 1000"}},
                      .where = "status <> 'void' or status is null",
                      .totals = {{"spend", "sum(amount)"}, {"mean", "avg(amount)"}},
                      .levels = {{.each = {"shop_no"}, .by = "spend desc", .tiebreak = "shop"}},
                      .list = {.columns = {"rank", "shop", "spend", "mean"}}};
  EXPECT_EQ(listing(standings(ladder, catalog), {.width = 60}),
            "Shops\n"
            "Shops by spend, highest first; lines count where status <>\n"
            "'void' or status is null; competition places, ties told\n"
            "apart by shop.\n"
            "\n"
            "  rank   shop          spend ↓      mean\n"
            "  ─────  ──────────  ─────────  ────────\n"
            "     1=  Älv Corner  11,000.00  5,500.00\n"
            "     1=  Crumb       11,000.00  5,500.00\n"
            "     3   Barrow       1,250.00  1,250.00\n"
            "     –   (none)         (none)    (none)\n"
            "\n"
            "4 shops, 6 lines;  = shares its place\n");
}

TEST(Listing, BreaksBetweenGroupsAndNumbersSortKeys) {
  const Ladder ladder{.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                      .totals = {{"n", "count(*)"}},
                      .levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "n desc"}},
                      .list = {.order = "valley, n desc", .columns = {"valley", "rank", "shop_no", "n"}}};
  const std::string text = listing(standings(ladder, support::small_shop()));
  EXPECT_NE(text.find("  valley ↑1  rank  shop_no  n ↓2\n"), std::string::npos) << text;
  EXPECT_NE(text.find("  Ashwater      1        2     2\n\n  High Moor     1        1     2\n\n  (none)        1       "
                      " 3     2\n                2        4     1\n"),
            std::string::npos)
      << text;
}

TEST(Listing, SaysHowManyStandBetweenTheEnds) {
  Catalog catalog;
  std::vector<Value> keys;
  for (int k = 0; k < 1300; ++k) keys.push_back(support::number(k));
  support::add(catalog, "t", {{"k", keys}});
  Ladder ladder{.data = {.from = "t"},
                .totals = {{"v", "sum(k)"}},
                .levels = {{.each = {"k"}, .by = "v desc", .best = 1, .worst = 2}},
                .list = {.columns = {"rank", "k"}}};
  const auto text = [&] { return listing(standings(ladder, catalog)); };
  EXPECT_NE(text().find("     1  1299\n  \u22EE 1,297 in between\n  1299     1\n  1300     0\n"), std::string::npos)
      << text();
  ladder.levels[0].worst = 1299;  // they meet
  EXPECT_EQ(text().find("in between"), std::string::npos);
  ladder.levels[0].best = {};  // nothing stands above the worst
  ladder.levels[0].worst = 2;
  EXPECT_EQ(text().find("in between"), std::string::npos);
  ladder.levels[0].best = 1;
  ladder.list.order = "k";  // another order has no between
  EXPECT_EQ(text().find("in between"), std::string::npos);
}

TEST(Listing, ShowsEnoughDigitsToTellNeighboursApart) {
  Catalog catalog;
  support::add(catalog, "t",
               {{"k", {support::number(1), support::number(2), support::number(3)}},
                {"a", {support::number(10001), support::number(10002), support::number(7)}}});
  const Ladder ladder{
      .data = {.from = "t"}, .totals = {{"part", "sum(a) / 30000"}}, .levels = {{.each = {"k"}, .by = "part desc"}}};
  const std::string text = listing(standings(ladder, catalog));
  EXPECT_NE(text.find("0.33340\n"), std::string::npos) << text;
  EXPECT_NE(text.find("0.33337\n"), std::string::npos) << text;
}

TEST(Listing, FractionalPlacesLineUp) {
  Ladder ladder{.data = {.from = "lines"},
                .totals = {{"n", "count(*)"}},
                .levels = {{.each = {"shop_no"}, .by = "n desc", .ties = Ties::fractional}},
                .list = {.columns = {"rank", "n"}}};
  EXPECT_NE(listing(standings(ladder, support::small_shop())).find("   2=    2\n"),
            std::string::npos);                                          // no halves: whole
  ladder.totals[0].formula = "count(*) filter (where status = 'paid')";  // 2 1 1 0: halves
  const std::string text = listing(standings(ladder, support::small_shop()));
  EXPECT_NE(text.find("1.0     2\n"), std::string::npos) << text;
  EXPECT_NE(text.find("2.5=    1\n"), std::string::npos) << text;
}

TEST(Listing, ColoursAreNeverTheOnlySign) {
  const Ladder ladder{.data = {.from = "lines"}, .levels = {{.by = "quantity desc"}}};
  const Standings s = standings(ladder, support::small_shop());
  std::string coloured = listing(s, {.colour = true});
  EXPECT_NE(coloured.find("\033[1m"), std::string::npos);
  for (std::size_t at; (at = coloured.find("\033[")) != std::string::npos;)
    coloured.erase(at, coloured.find('m', at) - at + 1);
  EXPECT_EQ(coloured, listing(s, {.colour = false}));
}

TEST(Problems, MarkTheOffendingText) {
  Problem p{Code::unknown_column, "no column `quantty` in order_lines.csv", {}, "quantity", {}};
  p.place = {.file = "best.ladder.toml",
             .line = 14,
             .column = 16,
             .key = "figures.amount",
             .text = "2 * quantty",
             .offset = 4,
             .length = 7};
  EXPECT_EQ(problems_text({p}),
            "best.ladder.toml, line 14, column 16: no column `quantty` in order_lines.csv\n    2 * quantty\n        "
            "^^^^^^^\n  nearest: quantity\n");
  // Far to the right in a long text, wide characters in front.
  p.place.text = std::string(300, 'x') + "蜂quantty" + std::string(300, 'y');
  p.place.offset = 303;
  const std::string text = problems_text({p}, {.width = 80});
  EXPECT_NE(text.find("... "), std::string::npos);
  EXPECT_NE(text.find("^^^^^^^\n"), std::string::npos);
}
