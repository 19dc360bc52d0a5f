#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>

#include "support/stretched.hpp"
#include "support/tables.hpp"

using namespace lofty;

namespace {

const std::filesystem::path demo = std::filesystem::path(LOFTY_SOURCE) / "demo";

std::vector<std::string> steps(const Cost& cost) {
  std::vector<std::string> out;
  for (const CostStep& step : cost.steps)
    out.push_back(std::string(to_string(step.step)) + ": " + step.purpose + (step.by.empty() ? "" : " by " + step.by));
  return out;
}

// A line for each.
std::string decisions(const Cost& cost) {
  std::string out;
  for (const Decision& one : cost.decisions) out += one.what + ": " + one.why + one.instead + "\n";
  return out;
}

// The same steps before and after, for every demo ladder; rows as they were met.
TEST(Cost, PlansAndAnswersHaveTheSameSteps) {
  const TableFiles tables(demo);
  std::size_t ladders = 0;
  for (const auto& entry : std::filesystem::directory_iterator(demo)) {
    if (!entry.path().string().ends_with(".ladder.toml")) continue;
    const Ladder ladder = read_ladder_file(entry.path()).ladder;
    const Cost before = plan(ladder, tables), after = standings(ladder, tables).cost();
    EXPECT_EQ(steps(before), steps(after)) << entry.path();
    EXPECT_FALSE(before.measured());
    ASSERT_TRUE(after.measured()) << entry.path();
    for (const CostStep& step : after.steps) {
      // Every planned step was timed, and what looks at rows took some time.
      ASSERT_TRUE(step.measured) << entry.path() << " " << to_string(step.step) << " " << step.purpose;
      EXPECT_GE(*step.measured, 0);
      if (step.step == StepKind::total || step.step == StepKind::list) {
        EXPECT_GT(*step.measured, 0) << entry.path();
      }
    }
    EXPECT_GT(before.estimated(), 0);
    ASSERT_EQ(after.steps.front().step, StepKind::read);
    if (after.steps.front().purpose == "order_lines.csv") {
      EXPECT_EQ(after.steps.front().rows, 12'004);
      EXPECT_NEAR(*before.steps.front().rows, 12'004, 120);  // from samples of the file
    }
    // Side by side: the plan's estimates, and the answer's times and rows.
    const Cost both = with_measured(before, after);
    ASSERT_EQ(both.steps.size(), after.steps.size());
    for (std::size_t s = 0; s < both.steps.size(); ++s) {
      EXPECT_EQ(both.steps[s].estimated, before.steps[s].estimated);
      EXPECT_EQ(both.steps[s].measured, after.steps[s].measured);
      EXPECT_EQ(both.steps[s].rows, after.steps[s].rows);
    }
    ++ladders;
  }
  EXPECT_GE(ladders, 17u);
}

// Rows that are totalled as they are read take the memory of those that are there at a time.
TEST(Cost, OnePassIsSaid) {
  const TableFiles tables(demo);
  const Ladder ladder = read_ladder_file(demo / "best_shops.ladder.toml").ladder;
  const Cost kept = plan(ladder, tables);
  EXPECT_EQ(kept.rows_kept, RowsKept::all);
  EXPECT_EQ(decisions(kept), "all rows of order_lines.csv are kept: it is read in one piece\n");
  const support::Stretching apart(8192, 4);
  const Cost before = plan(ladder, tables), after = standings(ladder, tables).cost();
  EXPECT_EQ(before.rows_kept, RowsKept::none);
  EXPECT_EQ(decisions(before),
            "rows of order_lines.csv are totalled as they are read, and not kept: only totals need them\n");
  EXPECT_EQ(decisions(after), decisions(before));
  // Two stretches are there at a time: one that is totalled, and the next one.
  EXPECT_NEAR(before.steps.front().bytes / kept.steps.front().bytes,
              2.0 * 4 * 8192 / static_cast<double>(std::filesystem::file_size(demo / "order_lines.csv")), 0.001);
  EXPECT_EQ(steps(before), steps(after));
  for (const CostStep& step : after.steps) EXPECT_GE(step.measured.value_or(-1), 0) << to_string(step.step);
  EXPECT_FALSE(before.read_twice);
  EXPECT_NE(
      cost_text(before, {.width = 200})
          .find("\nRows of order_lines.csv are totalled as they are read, and not kept: only totals need them.\n"),
      std::string::npos);
  EXPECT_NE(plan(read_ladder_file(demo / "three_frames.ladder.toml").ladder, tables).rows_kept, RowsKept::none);
}

// Rows that do not count need not be kept, where they are most.
TEST(Cost, SiftingIsSaid) {
  const TableFiles tables(demo);
  Ladder ladder = read_ladder_file(demo / "three_frames.ladder.toml").ladder;
  EXPECT_EQ(plan(ladder, tables).rows_kept, RowsKept::all);
  const support::Stretching apart(8192, 4);
  const Cost before = plan(ladder, tables), after = standings(ladder, tables).cost();
  EXPECT_EQ(before.rows_kept, RowsKept::counting);
  EXPECT_EQ(after.rows_kept, RowsKept::counting);
  EXPECT_EQ(steps(before), steps(after));
  EXPECT_GT(before.steps.front().bytes, 10 * after.steps.front().bytes);
  EXPECT_EQ(decisions(with_measured(before, after)),
            "rows of order_lines.csv that count are kept, and the others are not: each row is an entry, and nothing "
            "needs the others\n");

  // Most rows count.
  ladder.where = "amount is not null";
  EXPECT_EQ(plan(ladder, tables).rows_kept, RowsKept::counting);
  const Cost kept = with_measured(plan(ladder, tables), standings(ladder, tables).cost());
  EXPECT_EQ(kept.rows_kept, RowsKept::all);
  EXPECT_NE(cost_text(kept, {.width = 300})
                .find("It did not hold: all rows of order_lines.csv were kept: too many of the first rows count."),
            std::string::npos);
}

// Constants over all rows have to be known first: rows that do not fit the memory are read twice for them, others kept.
TEST(Cost, TwoPassesAreSaidWhereRowsDoNotFit) {
  const TableFiles tables(demo);
  const Ladder ladder = read_ladder_file(demo / "valley_weeks.ladder.toml").ladder;
  const support::Stretching apart(8192, 4);
  const Cost twice = plan(ladder, tables), after = standings(ladder, tables).cost();
  EXPECT_TRUE(twice.read_twice);
  EXPECT_TRUE(after.read_twice);
  EXPECT_EQ(steps(twice), steps(after));
  EXPECT_NE(decisions(twice).find(
                "the table order_lines.csv is read twice: constants over all rows have to be known before the "
                "first row is totalled\n"),
            std::string::npos);
  engine::most_kept_share = engine::usual_kept_share;
  const Cost kept = plan(ladder, tables), tight = plan(ladder, tables, {}, {.memory = 100'000});
  EXPECT_FALSE(kept.read_twice);
  EXPECT_EQ(decisions(kept),
            "all rows of order_lines.csv are kept: they fit into memory, and constants over all rows would need a "
            "second reading\n");
  EXPECT_LT(kept.steps.front().estimated, twice.steps.front().estimated);
  EXPECT_TRUE(tight.read_twice);
}

// [crossed] asks for the rows of a table that nothing else names.
TEST(Cost, AJoinThatCrossesIsNeeded) {
  const Cost cost = plan(read_ladder_file(demo / "families_by_valley.ladder.toml").ladder, TableFiles(demo));
  EXPECT_TRUE(cost.advice.empty()) << cost.advice.front().sentence;
}

// Three frames over one named window are three windows on one sort.
TEST(Cost, WindowsThatShareASortAreNamedTogether) {
  const Ladder ladder = read_ladder_file(demo / "three_frames.ladder.toml").ladder;
  const Cost cost = plan(ladder, TableFiles(demo));
  EXPECT_EQ(cost.sorts(), 1u);
  EXPECT_EQ(steps(cost)[4], "sort: by_row, with_peers, by_week by shop_no, ordered_on");
}

// A window in a condition goes by the key that holds it.
TEST(Cost, WindowsWithoutANameGoByTheirKey) {
  const Ladder ladder = read_ladder_file(demo / "running_spend.ladder.toml").ladder;
  const std::vector<std::string> all = steps(plan(ladder, TableFiles(demo)));
  const auto has = [&](const char* step) { return std::find(all.begin(), all.end(), step) != all.end(); };
  EXPECT_TRUE(has("sort: so_far, previous, best_yet by shop, ordered_on"));
  EXPECT_TRUE(has("sort: keep.where by in shop: ordered_on desc"));
}

Catalog lines() {
  Catalog catalog;
  using support::number;
  support::add(catalog, "t",
               {{"a", {number(1), number(2)}}, {"b", {number(1), number(2)}}, {"c", {number(1), number(2)}}});
  support::add(catalog, "u", {{"a", {number(1), number(2)}}, {"d", {number(1), number(2)}}});
  return catalog;
}

// Advice names the change, and says whether the answer stays.
TEST(Cost, AdviceSavesASort) {
  Ladder ladder{.data = {.from = "t"},
                .figures = {{"n", "row_number() over (order by a)"}, {"s", "sum(c) over (order by a, b)"}}};
  ladder.list.columns = {"n", "s"};
  Cost cost = plan(ladder, lines());
  EXPECT_EQ(cost.sorts(), 2u);
  ASSERT_EQ(cost.advice.size(), 1u);
  EXPECT_EQ(cost.advice[0].sentence, "`n` could order by b too, as `s` does: they would share a sort");
  EXPECT_FALSE(cost.advice[0].changes.empty());
  // Taken, it saves what it said.
  ladder.figures[0].formula = "row_number() over (order by a, b)";
  cost = plan(ladder, lines());
  EXPECT_EQ(cost.sorts(), 1u);
  EXPECT_TRUE(cost.advice.empty());
  ladder.figures = {{"n", "rank() over (order by a nulls first)"}, {"s", "sum(c) over (order by a)"}};
  cost = plan(ladder, lines());
  ASSERT_EQ(cost.advice.size(), 1u);
  EXPECT_NE(cost.advice[0].sentence.find("differ in where nulls sort"), std::string::npos);
}

// A table that nothing names: the answer is the same without it.
TEST(Cost, AdviceLeavesOutATable) {
  Ladder ladder{.data = {.from = "t", .joins = {{.with = "u", .on = {"a"}}}},
                .totals = {{"s", "sum(c)"}},
                .levels = {{.each = {"b"}, .by = "s desc"}}};
  const Cost cost = plan(ladder, lines());
  ASSERT_EQ(cost.advice.size(), 1u);
  EXPECT_TRUE(cost.advice[0].changes.empty());
  EXPECT_NE(cost.advice[0].sentence.find("nothing names a column of u"), std::string::npos);
  ladder.totals[0].formula = "sum(d)";
  EXPECT_TRUE(plan(ladder, lines()).advice.empty());
}

TEST(Cost, SpeedsAreKeptAsText) {
  const Speeds speeds{1.5, 0.5, 2, 3.25, 1, 0.75};
  EXPECT_EQ(speeds_from(speeds_text(speeds)), speeds);
  EXPECT_FALSE(speeds_from("lofty-ladder speeds 2\nread 1\n"));
  EXPECT_FALSE(speeds_from("lofty-ladder speeds 1\nread x\n"));
  EXPECT_FALSE(speeds_from(""));
}

// A slower machine is told by its factors alone.
TEST(Cost, SpeedsScaleTheirSteps) {
  const Ladder ladder = read_ladder_file(demo / "best_shops.ladder.toml").ladder;
  const TableFiles tables(demo);
  const Cost one = plan(ladder, tables), ten = plan(ladder, tables, {.read = 10});
  ASSERT_EQ(one.steps.size(), ten.steps.size());
  for (std::size_t s = 0; s < one.steps.size(); ++s) {
    // A step has a fixed part, which is small: nine times it is missing from ten times the whole.
    const double fixed = 30e-6, expected = one.steps[s].step == StepKind::read
                                               ? 10 * (one.steps[s].estimated - fixed) + fixed
                                               : one.steps[s].estimated;
    EXPECT_NEAR(ten.steps[s].estimated, expected, 1e-9) << to_string(one.steps[s].step);
  }
  // The columns that are read, and the greatest step.
  double columns = 0, greatest = 0;
  for (const CostStep& step : one.steps)
    (step.step == StepKind::read ? columns : greatest) =
        step.step == StepKind::read ? columns + step.bytes : std::max(greatest, step.bytes);
  EXPECT_GT(columns, 12'004 * 5);  // five columns of the lines, at a byte at least
  EXPECT_EQ(one.bytes(), columns + greatest);
}

// A table whose size is not known before it is read is said to be so.
TEST(Cost, UnknownSizesAreSaid) {
  struct Unsized : TableSource {
    std::string called = "t";
    std::vector<std::string> columns{"a"};
    const std::string& name() const override { return called; }
    const std::vector<std::string>& headings() const override { return columns; }
    Table read(std::span<const std::size_t>, const lofty::Run&) const override { return TableBuilder("t").build(); }
  };
  struct One : Catalog {
    std::shared_ptr<const TableSource> open(const std::string&, const ReadOptions&) const override {
      return std::make_shared<Unsized>();
    }
  };
  const Cost cost = plan({.data = {.from = "t"}}, One());
  EXPECT_FALSE(cost.rows_known);
  EXPECT_FALSE(cost.steps.front().rows);
}

TEST(Cost, WrongNamesAreProblems) { EXPECT_THROW(plan({.data = {.from = "t"}, .where = "nope > 1"}, lines()), Error); }

}  // namespace
