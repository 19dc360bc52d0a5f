// A ladder up to each of its stages, and parts of its rows.
#include "lofty/stage.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "lofty/lofty.hpp"
#include "support/tables.hpp"

using namespace lofty;
using support::column;
using Texts = std::vector<std::string>;

namespace {

Ladder best_shop() {
  return {.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
          .figures = {{"amount", "quantity * unit_price"}},
          .where = "status <> 'void'",
          .totals = {{"spend", "sum(amount)"}},
          .levels = {{.each = {"shop_no"}, .by = "spend desc", .having = "count(*) >= 1", .best = 1}},
          .list = {.columns = {"shop", "spend"}}};
}

Standings at(Stage stage, const Ladder& ladder = best_shop()) {
  const Catalog catalog = support::small_shop();
  return standings(up_to(ladder, stage, catalog), catalog);
}

Texts headings(const Standings& s) {
  Texts out;
  for (const StandingColumn& c : s.columns()) out.push_back(c.name);
  return out;
}

Catalog numbers(std::size_t count) {
  std::vector<std::int64_t> values(count);
  for (std::size_t i = 0; i < count; ++i) values[i] = static_cast<std::int64_t>(i);
  Catalog catalog;
  catalog.add(TableBuilder("numbers").column("n", values).build());
  return catalog;
}

Standings some(const Listing& list, std::size_t count) {
  return standings({.data = {.from = "numbers"}, .list = list}, numbers(count));
}

}  // namespace

TEST(Stages, HaveNames) {
  for (const Stage stage : stages()) EXPECT_EQ(from_string<Stage>(to_string(stage)), stage);
  EXPECT_EQ(from_string<Stage>("sorted"), std::nullopt);
  EXPECT_EQ(stages().size(), 6u);
}

TEST(Stages, EachShowsWhatIsKnownThere) {
  const Texts lines{"line_no", "shop_no", "quantity", "unit_price", "status", "ordered_on"};
  Texts joined = lines;
  joined.insert(joined.end(), {"shop", "valley"});  // the key of the join once
  EXPECT_EQ(headings(at(Stage::joined)), joined);
  EXPECT_EQ(at(Stage::joined).rows(), 7u);
  Texts figures = joined;
  figures.emplace_back("amount");
  EXPECT_EQ(headings(at(Stage::figures)), figures);
  EXPECT_EQ(column(at(Stage::figures), "amount"), (Texts{"10.00", "8.00", "3.00", "3.75", "1.00", "1.25", ""}));
  EXPECT_EQ(headings(at(Stage::counted)), figures);
  EXPECT_EQ(column(at(Stage::counted), "line_no"), (Texts{"1", "2", "3", "5", "7"}));  // not the void, not the blank
  EXPECT_EQ(headings(at(Stage::totalled)), (Texts{"shop_no", "spend"}));
  EXPECT_EQ(column(at(Stage::totalled), "shop_no"), (Texts{"2", "1", "4"}));
  EXPECT_EQ(headings(at(Stage::ranked)), (Texts{"rank", "shop_no", "spend"}));
  EXPECT_EQ(column(at(Stage::ranked), "rank"), (Texts{"1", "1", ""}));
  EXPECT_EQ(at(Stage::kept).rows(), 2u);  // both tie at the cut
}

TEST(Stages, NamesThatTwoTablesHaveAreQualified) {
  Catalog catalog;
  support::add(catalog, "a", {{"k", {support::number(1)}}, {"x", {support::number(2)}}});
  support::add(catalog, "b", {{"k", {support::number(1)}}, {"x", {support::number(3)}}});
  const Ladder ladder{.data = {.from = "a", .joins = {{.with = "b", .on = {"k"}}}}};
  const Standings s = standings(up_to(ladder, Stage::joined, catalog), catalog);
  EXPECT_EQ(headings(s), (Texts{"k", "a.x", "b.x"}));
  EXPECT_EQ(column(s, "b.x"), (Texts{"3"}));
}

TEST(Stages, OfNestedLevelsTotalledHasTheInnermostEntries) {
  Ladder ladder = best_shop();
  ladder.levels = {{.each = {"valley"}, .by = "spend desc", .best = 1}, {.each = {"shop_no"}, .by = "spend desc"}};
  EXPECT_EQ(headings(at(Stage::totalled, ladder)), (Texts{"valley", "shop_no", "spend"}));
  EXPECT_EQ(at(Stage::ranked, ladder).levels(), 2u);
  EXPECT_GT(at(Stage::ranked, ladder).rows(), at(Stage::kept, ladder).rows());
}

TEST(SomeRows, FirstLastAndBoth) {
  EXPECT_EQ(column(some({.first = 2}, 9), "n"), (Texts{"0", "1"}));
  EXPECT_EQ(column(some({.last = 2}, 9), "n"), (Texts{"7", "8"}));
  const Standings both = some({.first = 1, .last = 2}, 9);
  EXPECT_EQ(column(both, "n"), (Texts{"0", "7", "8"}));
  EXPECT_EQ(both.passed_over(1), 6u);
  EXPECT_EQ(both.shown_of_total(), "the first 1 and last 2 of 9 numbers");
  EXPECT_EQ(some({.first = 2}, 9).shown_of_total(), "the first 2 of 9 numbers");
  // They meet: every row once.
  EXPECT_EQ(some({.first = 6, .last = 6}, 9).rows(), 9u);
  EXPECT_EQ(some({.first = 20}, 9).shown_of_total(), "9 numbers");
  EXPECT_EQ(some({.first = 5}, 0).rows(), 0u);
}

TEST(SomeRows, ASampleIsTheSameForTheSameSeed) {
  const Standings one = some({.sample = 5}, 1000), again = some({.sample = 5}, 1000),
                  other = some({.sample = 5, .seed = 2}, 1000);
  EXPECT_EQ(column(one, "n"), column(again, "n"));
  EXPECT_NE(column(one, "n"), column(other, "n"));
  EXPECT_EQ(one.rows(), 5u);
  EXPECT_EQ(other.shown_of_total(), "a sample of 5 of 1,000 numbers (seed 2)");
  EXPECT_EQ(some({.sample = 50}, 7).rows(), 7u);
  EXPECT_EQ(some({.sample = 5}, 0).rows(), 0u);
}

TEST(SomeRows, EveryRowHasTheSameChance) {
  std::vector<int> drawn(20, 0);
  for (std::size_t seed = 1; seed <= 2000; ++seed)
    for (const std::string& n : column(some({.sample = 5, .seed = seed}, 20), "n")) ++drawn[std::stoul(n)];
  // 500 expected, standard deviation 19.4: five of them either way.
  EXPECT_GT(*std::min_element(drawn.begin(), drawn.end()), 403);
  EXPECT_LT(*std::max_element(drawn.begin(), drawn.end()), 597);
}

TEST(SomeRows, AreEitherSampledOrTheFirstOnes) {
  EXPECT_EQ(support::problems({.data = {.from = "numbers"}, .list = {.first = 1, .sample = 2}}, numbers(3)),
            (Texts{"bad-value: rows are either sampled, or the first or last ones"}));
  Ladder nested = best_shop();
  nested.levels = {{.each = {"valley"}, .by = "spend desc"}, {.each = {"shop_no"}, .by = "spend desc"}};
  nested.list = {.first = 3};
  EXPECT_EQ(support::problems(nested, support::small_shop()),
            (Texts{"bad-value: some of the rows would separate levels from their entries"}));
}
