// H2: "Why is this shop second?", on tables small enough to compute by hand.
#include <gtest/gtest.h>

#include <map>

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
  EXPECT_EQ(w.group[0].name, "valley");
  EXPECT_EQ(to_text(w.group[0].value), "High Moor");
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
}

// Every row is an entry: its place, its figures, and whether it counts.
TEST(Why, OfSingleRows) {
  Ladder ladder = by_shop();
  ladder.totals.clear();
  ladder.levels[0] = {.within = {"valley"}, .by = "amount desc", .best = 1};
  ladder.list = {};
  const Workings w = why(ladder, support::small_shop(), "line_no = 3");
  EXPECT_EQ(w.entry, "row 3 of lines");
  EXPECT_TRUE(w.keys.empty());
  EXPECT_EQ(to_text(w.place), "2");
  EXPECT_EQ(w.ranked, 2u);
  ASSERT_TRUE(w.ahead);
  EXPECT_EQ(w.ahead->entry, "row 2");
  EXPECT_EQ(to_text(*w.ahead->margin), "5.00");
  ASSERT_EQ(w.figures.size(), 1u);
  EXPECT_EQ(to_text(w.figures[0].value), "3.00");
  EXPECT_EQ(column(w.lines, "quantity"), Texts{"2"});
  EXPECT_EQ(problem_of(ladder, "amount > 2").sentence, "3 entries have amount > 2: row 1, row 2 and row 3");
  const Workings left_out = why(ladder, support::small_shop(), "line_no = 4");  // void
  EXPECT_EQ(left_out.entry, "row 4 of lines");
  EXPECT_EQ(left_out.without_place, "it does not count");
  ASSERT_EQ(left_out.left_out.size(), 2u);
  EXPECT_EQ(left_out.left_out[0].rows, 1u);
  EXPECT_EQ(left_out.left_out[1].rows, 0u);
  EXPECT_NE(workings_text(left_out, 5).find("`status <> 'void' or status is null` is false for it"), std::string::npos);
  ladder.levels.clear();  // a listing
  EXPECT_EQ(to_text(why(ladder, support::small_shop(), "line_no = 1").figures[0].value), "10.00");
}

// An entry whose rows are all left out still has a name.
TEST(Why, AnEntryNoneOfWhoseRowsCounts) {
  Ladder ladder = by_shop();
  ladder.where = "shop_no <> 3 and amount > 0";
  const Workings w = why(ladder, support::small_shop(), "shop_no = 3");
  EXPECT_EQ(w.without_place, "none of its rows counts");
  EXPECT_EQ(w.rows, 2u);
  EXPECT_EQ(w.left_out[0].rows, 2u);
  EXPECT_EQ(w.lines.rows(), 0u);
  EXPECT_EQ(problem_of(ladder, "spend = 5").code, Code::unknown_entry);  // without rows.where it would have as much
}

namespace {
// Counts how often each table is read.
class Counting : public Catalog {
 public:
  explicit Counting(Catalog inner) : inner_(std::move(inner)) {}
  std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions& options) const override {
    return std::make_shared<Source>(inner_.open(name, options), reads[name]);
  }
  mutable std::map<std::string, int> reads;

 private:
  struct Source : TableSource {
    Source(std::shared_ptr<const TableSource> of, int& count) : inner(std::move(of)), reads(count) {}
    const std::string& name() const override { return inner->name(); }
    const std::vector<std::string>& headings() const override { return inner->headings(); }
    Table read(std::span<const std::size_t> columns, const Run& run) const override {
      ++reads;
      return inner->read(columns, run);
    }
    std::shared_ptr<const TableSource> inner;
    int& reads;
  };
  Catalog inner_;
};
}  // namespace

TEST(Why, TablesAreReadOnce) {
  const Counting tables(support::small_shop());
  why(by_shop(), tables, "valley = 'High Moor'");
  EXPECT_EQ(tables.reads, (std::map<std::string, int>{{"lines", 1}, {"shops", 1}}));
  Ladder ladder = by_shop();
  ladder.levels.insert(ladder.levels.begin(), {.each = {"valley"}, .by = "spend desc"});
  tables.reads.clear();
  why(ladder, tables, "shop_no = 2");
  EXPECT_EQ(tables.reads, (std::map<std::string, int>{{"lines", 1}, {"shops", 1}}));
  // Nor more often for a crossed table, or for another choice.
  ladder.levels.erase(ladder.levels.begin());
  ladder.crossed = {.each = {"valley"}, .by = "spend desc", .cell = "spend"};
  ladder.choices = {{"more", Decimal(1, 0)}};
  ladder.where = "quantity >= :more";
  ladder.compare = {.choose = {{"more", Decimal(2, 0)}}};
  tables.reads.clear();
  standings(ladder, tables);
  EXPECT_EQ(tables.reads, (std::map<std::string, int>{{"lines", 1}, {"shops", 1}}));
}

// The shipped ladder, as its user sees it.
TEST(Why, OnThePage) {
  const auto ran =
      support::lofty({"why", (support::demo() / "best_shops.ladder.toml").string(), "shop_no = 157", "--lines", "1"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  for (const char* part : {"`tin Basket`  (shop_no 157)\n", "  place 3 of 214 ranked entries, by `spend` 6,779.55\n",
                           "  behind: place 4, `Østen's Wren`, has 6,607.15: 172.40 apart\n",
                           "  `spend` = sum(amount) = 6,779.55, from 106 rows; 1 other has no value for it\n",
                           "  111 rows belong to it, 107 count\n",
                           "  `status <> 'void' or status is null` leaves out 4 rows\n", "  (106 more rows)\n"})
    EXPECT_NE(ran.out.find(part), std::string::npos) << part << "\nis not in\n" << ran.out;
  EXPECT_EQ(support::lofty({"why", (support::demo() / "best_shops.ladder.toml").string(), "shop_no = 9999"}).status, 2);
}
