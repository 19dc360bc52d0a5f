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
  EXPECT_NE(text().find("     1  1299\n  (1,297 not shown)\n  1299     1\n  1300     0\n"), std::string::npos)
      << text();
  ladder.levels[0].worst = 1299;  // they meet
  EXPECT_EQ(text().find("in between"), std::string::npos);
  ladder.levels[0].best = {};  // nothing is above the worst
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
  p.location = {.file = "best.ladder.toml",
                .line = 14,
                .column = 16,
                .key = "figures.amount",
                .text = "2 * quantty",
                .offset = 4,
                .length = 7};
  EXPECT_EQ(problems_text({p}),
            "best.ladder.toml, line 14, column 16: no column `quantty` in order_lines.csv\n    2 * quantty\n        "
            "\u203E\u203E\u203E\u203E\u203E\u203E\u203E\n  nearest: quantity\n");
  // Far to the right in a long text, wide characters in front.
  p.location.text = std::string(300, 'x') + "蜂quantty" + std::string(300, 'y');
  p.location.offset = 303;
  const std::string text = problems_text({p}, {.width = 80});
  EXPECT_NE(text.find("... "), std::string::npos);
  EXPECT_NE(text.find("\u203E\u203E\u203E\u203E\u203E\u203E\u203E\n"), std::string::npos);
}

namespace {

// `tied` entries on one place after `ahead` better ones, each with its own name.
Catalog long_tie(int ahead, int tied) {
  Catalog catalog;
  std::vector<Value> names, amounts;
  for (int i = 0; i < ahead + tied; ++i) {
    names.push_back("shop " + std::to_string(1000 + i));
    amounts.push_back(support::number(i < ahead ? 1000 - i : 7));
  }
  support::add(catalog, "t", {{"name", names}, {"a", amounts}});
  return catalog;
}

std::size_t count_of(const std::string& text, const std::string& part) {
  std::size_t count = 0;
  for (std::size_t at = 0; (at = text.find(part, at)) != std::string::npos; at += part.size()) ++count;
  return count;
}

}  // namespace

TEST(Listing, LongTiesAtTheCutAreShortenedForTheEyeAlone) {
  Ladder ladder{
      .data = {.from = "t"}, .totals = {{"v", "sum(a)"}}, .levels = {{.each = {"name"}, .by = "v desc", .best = 3}}};
  const Standings answer = standings(ladder, long_tie(2, 30));
  ASSERT_EQ(answer.rows(), 32u);
  const std::string text =
      listing(answer, {.fold_ties = true, .fold_advice = "`--cut strict` leaves them out, `--all` lists them"});
  EXPECT_EQ(count_of(text, "shop 10"), 7u) << text;  // two ahead, five of the tie
  EXPECT_NE(text.find("\n  (25 more share place 3; `--cut strict` leaves them out, `--all` lists them)\n"),
            std::string::npos)
      << text;
  EXPECT_NE(listing(answer, {.fold_ties = true}).find("\n  (25 more share place 3)\n"), std::string::npos);
  EXPECT_EQ(count_of(listing(answer), "shop 10"), 32u);
  EXPECT_EQ(count_of(written(answer, Format::csv), "shop 10"), 32u);
  EXPECT_EQ(count_of(written(answer, Format::markdown), "| shop 10"), 7u);
  EXPECT_NE(written(answer, Format::markdown).find("(25 more share place 3"), std::string::npos);
  EXPECT_EQ(count_of(written(answer, Format::markdown, {.whole_ties = true}), "| shop 10"), 32u);
  EXPECT_EQ(written(answer, Format::markdown).find("--cut"), std::string::npos);  // its readers give no commands
  // Lines that follow a row which is not shown are there all the same, in each group.
  Ladder grouped = ladder;
  grouped.levels[0].others = true;
  const Standings with_others = standings(grouped, long_tie(2, 30));
  for (const bool whole : {false, true}) {
    const std::string markdown = written(with_others, Format::markdown, {.whole_ties = whole});
    EXPECT_EQ(count_of(markdown, "*all 32 names*"), 1u) << markdown;
  }
  EXPECT_EQ(count_of(listing(with_others, {.fold_ties = true}), "all 32 names"), 1u);
  // Twenty beyond the cut are not long.
  EXPECT_EQ(count_of(listing(standings(ladder, long_tie(2, 21)), {.fold_ties = true}), "shop 10"), 23u);
  EXPECT_EQ(count_of(listing(standings(ladder, long_tie(2, 22)), {.fold_ties = true}), "shop 10"), 7u);
  // A cut within the tie: what N alone would list stays.
  ladder.levels[0].best = 12;
  EXPECT_EQ(count_of(listing(standings(ladder, long_tie(2, 50)), {.fold_ties = true}), "shop 10"), 12u);
  // The worst, whose tie begins above them; another order of the listing; one that is whole.
  ladder.levels[0].best = {};
  ladder.levels[0].worst = 4;
  const std::string worst = listing(standings(ladder, long_tie(2, 50)), {.fold_ties = true});
  EXPECT_EQ(count_of(worst, "shop 10"), 5u) << worst;
  EXPECT_NE(worst.find("(45 more share place 3"), std::string::npos) << worst;
  ladder.list.order = "name desc";
  EXPECT_EQ(count_of(listing(standings(ladder, long_tie(2, 50)), {.fold_ties = true}), "shop 10"), 50u);
}

TEST(Listing, FitsTheWidthAndSaysWhatItDid) {
  Catalog catalog;
  support::add(
      catalog, "t",
      {{"name", {std::string("The Quite Unusually Long Name of a Shop in the High Moor"), std::string("Crumb")}},
       {"remark", {std::string("a text that nobody needs to read to its end"), std::string("short")}},
       {"a", {support::number(123456789), support::number(12)}},
       {"b", {support::number(1), support::number(2)}}});
  const Ladder ladder{.data = {.from = "t"},
                      .totals = {{"spend", "sum(a)"}, {"orders", "sum(b)"}},
                      .levels = {{.each = {"name"}, .by = "spend desc"}},
                      .list = {.columns = {"rank", "name", "remark", "spend", "orders"},
                               .headings = {{"orders", "the number of orders in all"}}}};
  const Standings answer = standings(ladder, catalog);
  const auto widest = [](const std::string& text) {
    int width = 0;
    const std::size_t table = text.find("\n\n");
    for (std::size_t at = table + 2; at < text.size();) {
      const std::size_t end = std::min(text.find('\n', at), text.size());
      width = std::max(width, report::display_width(text.substr(at, end - at)));
      at = end + 1;
    }
    return width;
  };
  for (int width = 40; width <= 200; ++width) {
    const std::string text = listing(answer, {.width = width, .table_width = width});
    EXPECT_LE(widest(text), width) << text;
    EXPECT_NE(text.find("123,456,789"), std::string::npos) << text;  // what places go by stays whole
    EXPECT_NE(text.find("rank"), std::string::npos);
    const bool whole = text.find("High Moor") != std::string::npos && text.find("to its end") != std::string::npos &&
                       text.find(" 1\n") != std::string::npos;
    EXPECT_EQ(text.find("to fit") == std::string::npos, whole) << text;
  }
  const std::string narrow = listing(answer, {.width = 60, .table_width = 60});
  EXPECT_NE(narrow.find("\u2026"), std::string::npos) << narrow;
  EXPECT_NE(narrow.find("to fit 60 columns: "), std::string::npos) << narrow;
  EXPECT_NE(listing(answer).find("to its end"), std::string::npos);  // without a width all is there
}

TEST(Listing, ShowsBarsNextToNumbers) {
  Catalog catalog;
  support::add(catalog, "t",
               {{"k", {support::number(1), support::number(2), support::number(3), support::number(4)}},
                {"a", {support::number(100), support::number(50), support::number(-100), support::null()}}});
  Ladder ladder{.data = {.from = "t"},
                .totals = {{"v", "sum(a)"}},
                .levels = {{.each = {"k"}, .by = "v desc"}},
                .list = {.bars = {"v"}}};
  const std::string text = listing(standings(ladder, catalog));
  const std::string full =
      "\u2588\u2588\u2588\u2588\u2588\u2588\u2588\u2588";  // eight columns for 100, of sixteen for -100 to 100
  EXPECT_NE(text.find("  100          " + full + "\n"), std::string::npos) << text;
  EXPECT_NE(text.find("   50          \u2588\u2588\u2588\u2588\n"), std::string::npos) << text;
  EXPECT_NE(text.find(" -100  \u2592\u2592\u2592\u2592\u2592\u2592\u2592\u2592\n"), std::string::npos) << text;
  EXPECT_NE(text.find("(none)\n"), std::string::npos) << text;
  ladder.list.bars = {"k", "nothing"};
  EXPECT_EQ(support::problems(ladder, catalog),
            std::vector<std::string>{"unknown-column: list.bars names a column that is not listed: `nothing`"});
}

TEST(Listing, FollowsFormatsUnlessTheyHideADifference) {
  Catalog catalog;
  support::add(
      catalog, "t",
      {{"k", {support::number(1), support::number(2), support::number(3)}},
       {"a", {support::money("1234.54"), support::money("1234.46"), support::money("-7")}},
       {"d",
        {Value(*Date::parse("2025-12-31")), Value(*Date::parse("2026-01-02")), Value(*Date::parse("2026-01-03"))}}});
  Ladder ladder{
      .data = {.from = "t"},
      .totals = {{"v", "sum(a)"}, {"part", "sum(a) / 2000"}, {"last", "max(d)"}},
      .levels = {{.each = {"k"}, .by = "v desc"}},
      .list = {
          .formats = {{"v", "1.234,5 \u20AC = 1234.5"}, {"part", "12 % = 0.12"}, {"last", "31/12/25 = 2025-12-31"}}}};
  const Standings answer = standings(ladder, catalog);
  const std::string text = listing(answer);
  EXPECT_NE(text.find("1.234,54 \u20AC  61.73 %  31/12/25\n"), std::string::npos) << text;
  EXPECT_NE(text.find("1.234,46 \u20AC  61.72 %  02/01/26\n"), std::string::npos)
      << text;  // more decimals than the examples have
  EXPECT_NE(written(answer, Format::markdown).find("| 1.234,54 \u20AC |"), std::string::npos);
  EXPECT_NE(written(answer, Format::csv).find("1234.54,"), std::string::npos);  // files for programs never
  EXPECT_EQ(written(answer, Format::json).find("\u20AC"), std::string::npos);
  ladder.list.formats = {{"v", "31/12/25 = 2025-12-31"}, {"part", "1.234 k = 1234"}, {"lost", "12 = 12"}};
  EXPECT_EQ(support::problems(ladder, catalog),
            (std::vector<std::string>{
                "bad-value: `1.234 k` can mean 1234 in two ways: `.` may be in front of decimals, or between thousands",
                "unknown-column: list.formats names a column that is not listed: `lost`; nearest: last",
                "wrong-type: `v` holds values of type decimal, which the example does not show"}));
}

TEST(Listing, HasGapsOnlyWhereGroupsHaveSeveralRows) {
  Ladder ladder{.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                .totals = {{"n", "count(*)"}},
                .levels = {{.each = {"shop_no"}, .within = {"valley"}, .by = "n desc", .best = 1, .cut = Cut::strict}},
                .list = {.columns = {"valley", "rank", "shop_no", "n"}}};
  const auto rows = [&] {
    const std::string text = listing(standings(ladder, support::small_shop()));
    const std::size_t rule = text.rfind("\u2500\n");
    return text.substr(rule, text.rfind("\n\n") - rule);
  };
  EXPECT_EQ(rows().find("\n\n"), std::string::npos) << rows();
  ladder.levels[0].best = 2;
  EXPECT_NE(rows().find("\n\n"), std::string::npos) << rows();
}

TEST(Remarks, OfManyGroupsAreOne) {
  Catalog catalog;
  std::vector<Value> groups, names, amounts;
  for (int g = 0; g < 12; ++g)
    for (int i = 0; i < 3; ++i) {
      groups.push_back("valley " + std::to_string(100 + g));
      names.push_back("shop " + std::to_string(100 + 10 * g + i));
      amounts.push_back(support::number(5));
    }
  support::add(catalog, "t", {{"g", groups}, {"name", names}, {"a", amounts}});
  const Ladder ladder{.data = {.from = "t"},
                      .totals = {{"v", "sum(a)"}},
                      .levels = {{.each = {"name"}, .within = {"g"}, .by = "v desc", .best = 1}}};
  const Standings answer = standings(ladder, catalog);
  std::size_t cuts = 0;
  for (const Remark& remark : answer.remarks()) cuts += remark.code == "tie-at-cut";
  EXPECT_EQ(cuts, 1u);
  EXPECT_TRUE(support::says(answer, "tie-at-cut", "3 names share place 1 in valley 100"));
  EXPECT_TRUE(
      support::says(answer, "tie-at-cut",
                    "; the same in 11 other groups: valley 101, valley 102, valley 103, valley 104 and 7 others"));
}

// The best and the worst are two cuts: a group that is named for one is none of the others of the other.
TEST(Remarks, OfManyGroupsAreOneForTheBestAndOneForTheWorst) {
  Catalog catalog;
  std::vector<Value> groups, names, amounts;
  for (int g = 0; g < 4; ++g)
    for (int i = 0; i < 6; ++i) {
      groups.push_back("valley " + std::to_string(100 + g));
      names.push_back("shop " + std::to_string(100 + 10 * g + i));
      amounts.push_back(support::number(i < 3 ? 5 : 1));
    }
  support::add(catalog, "t", {{"g", groups}, {"name", names}, {"a", amounts}});
  const Ladder ladder{
      .data = {.from = "t"},
      .totals = {{"v", "sum(a)"}},
      .levels = {{.each = {"name"}, .within = {"g"}, .by = "v desc", .best = 1, .worst = 1, .cut = Cut::strict}}};
  std::vector<std::string> cuts;
  const Standings answer = standings(ladder, catalog);
  for (const Remark& remark : answer.remarks())
    if (remark.code == "tie-at-cut") cuts.push_back(remark.sentence);
  ASSERT_EQ(cuts.size(), 2u);
  for (const std::string& cut : cuts) EXPECT_NE(cut.find("in valley 100"), std::string::npos) << cut;
  for (const std::string& cut : cuts)
    EXPECT_NE(cut.find("; the same in 3 other groups: valley 101, valley 102 and valley 103"), std::string::npos)
        << cut;
  EXPECT_NE(cuts[0].find("the best 1"), std::string::npos) << cuts[0];
  EXPECT_NE(cuts[1].find("the worst 1"), std::string::npos) << cuts[1];
}
