// Plans of questions over tables that have headings and sizes, and no rows.
#include "plan/plan.hpp"

#include <gtest/gtest.h>

#include "lofty/lofty.hpp"
#include "question/resolve.hpp"

using namespace lofty;
using engine::Means;
using engine::Outcome;
using engine::Plan;
using engine::Sizes;

namespace {

// Headings alone: to read it is a failure.
class Headings final : public TableSource {
 public:
  Headings(std::string name, std::vector<std::string> headings)
      : name_(std::move(name)), headings_(std::move(headings)) {}
  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  Table read(std::span<const std::size_t>, const Run&) const override {
    ADD_FAILURE() << name_ << " is read";
    return {};
  }

 private:
  std::string name_;
  std::vector<std::string> headings_;
};

class Tables final : public Catalog {
 public:
  std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions&) const override {
    if (name == "shops")
      return std::make_shared<Headings>(name, std::vector<std::string>{"shop", "name", "valley", "street"});
    return std::make_shared<Headings>(name, std::vector<std::string>{"shop", "ordered_on", "amount", "status", "no"});
  }
};

constexpr double rows = 10'000'000;

// The first table comes in stretches of 20 MB, the second one whole.
Sizes large(std::size_t tables) {
  Sizes sizes{.tables = {}, .rows = rows, .counted = rows, .entries = {200}};
  sizes.tables.push_back({rows, 500e6, 20e6});
  if (tables > 1) sizes.tables.push_back({200, 9000});
  return sizes;
}

Plan plan_of(const Ladder& ladder, const Sizes& sizes, const Means& means = {8e9, 0.5}) {
  const Tables tables;
  const engine::Resolution names(ladder, tables);
  for (const Problem& p : names.problems()) ADD_FAILURE() << p.sentence;
  const engine::Asked asked{ladder, names.questions()};
  return make_plan({&asked, 1}, sizes, means);
}

Ladder totals_by_shop() {
  return {.data = {.from = "lines"},
          .totals = {{"spend", "sum(amount)"}},
          .levels = {{.each = {"shop"}, .by = "spend desc"}}};
}
Ladder largest_lines() {
  return {
      .data = {.from = "lines"}, .levels = {{.by = "amount desc", .best = 10}}, .list = {.columns = {"no", "rank"}}};
}

// How the rows of a question come, and the reason; a row of the table below.
struct Expected {
  const char* question;
  Ladder ladder;
  RowsKept rows;
  const char* why;
};

Ladder changed(Ladder ladder, const std::function<void(Ladder&)>& change) {
  change(ladder);
  return ladder;
}

std::vector<Expected> questions() {
  const Ladder totals = totals_by_shop();
  const auto joined = [](JoinType type) {
    return changed(totals_by_shop(),
                   [&](Ladder& l) { l.data.joins = {{.with = "shops", .on = {"shop"}, .type = type}}; });
  };
  const auto with_total = [](const char* formula) {
    return changed(totals_by_shop(), [&](Ladder& l) { l.totals.push_back({"other", formula}); });
  };
  const auto two_levels = [](const Ladder& of) {
    return changed(of, [](Ladder& l) {
      l.levels = {{.each = {"status"}, .by = "spend desc"}, {.each = {"shop"}, .by = "spend desc", .best = 3}};
    });
  };
  const auto where = [](Ladder of, const char* condition) {
    of.where = condition;
    return of;
  };
  const auto figure = [](Ladder of) {
    of.figures = {{"before", "lag(amount) over (partition by shop order by ordered_on)"}};
    of.totals.push_back({"most", "max(before)"});
    return of;
  };
  return {
      {"totals", totals, RowsKept::none, "only totals need them"},
      {"a condition", where(totals, "status = 'paid'"), RowsKept::none, "only totals need them"},
      {"left join", joined(JoinType::left), RowsKept::none, "only totals need them"},
      {"inner join", joined(JoinType::inner), RowsKept::none, "only totals need them"},
      {"full join", joined(JoinType::full), RowsKept::all,
       "the join with shops adds rows that have no partner, and all of them count"},
      {"right join and a condition", where(joined(JoinType::right), "amount > 3"), RowsKept::all,
       "the join with shops adds rows that have no partner, and joins add rows that have no partner"},
      {"distinct count", with_total("count(distinct no)"), RowsKept::none, "only totals need them"},
      {"median", with_total("median(amount)"), RowsKept::all,
       "`median(amount)` goes by an order of the rows, and all of them count"},
      {"median of few", where(with_total("median(amount)"), "status = 'paid'"), RowsKept::counting,
       "`median(amount)` goes by an order of the rows, and nothing needs the others"},
      {"single rows", largest_lines(), RowsKept::all, "each row is an entry, and all of them count"},
      {"some single rows", where(largest_lines(), "status = 'paid'"), RowsKept::counting,
       "each row is an entry, and nothing needs the others"},
      {"windows over rows", figure(totals), RowsKept::all,
       "windows over rows look at them together, and all of them count"},
      {"windows over some rows", where(figure(totals), "status = 'paid'"), RowsKept::counting,
       "windows over rows look at them together, and nothing needs the others"},
      {"levels", two_levels(totals), RowsKept::all,
       "they fit into memory, and inner levels look at what is listed alone"},
      {"a constant", where(totals, "ordered_on = overall_max(ordered_on)"), RowsKept::all,
       "they fit into memory, and constants over all rows would need a second reading"},
  };
}

}  // namespace

TEST(MakePlan, HowRowsCome) {
  for (const Expected& one : questions()) {
    const Plan plan = plan_of(one.ladder, large(1 + one.ladder.data.joins.size()));
    EXPECT_EQ(plan.rows, one.rows) << one.question;
    ASSERT_FALSE(plan.decisions.empty()) << one.question;
    EXPECT_EQ(plan.decisions.front().why, one.why) << one.question;
    EXPECT_FALSE(plan.first_look) << one.question;
  }
}

// What comes in one piece is kept whatever is asked; so is everything in the next plan.
TEST(MakePlan, ATableInOnePieceIsKept) {
  for (const Expected& one : questions()) {
    Sizes sizes = large(1 + one.ladder.data.joins.size());
    EXPECT_EQ(plan_of(one.ladder, sizes).next().rows, RowsKept::all) << one.question;
    sizes.tables.front().stretch_bytes = 0;
    const Plan plan = plan_of(one.ladder, sizes);
    EXPECT_EQ(plan.rows, RowsKept::all) << one.question;
    EXPECT_EQ(plan.decisions.front().what, "all rows of lines are kept");
    EXPECT_EQ(plan.decisions.front().why, "it is read in one piece");
  }
}

// Ten million rows of three columns take 150 MB, and may take half of the memory.
TEST(MakePlan, ConstantsOverAllRowsAreFoundFirstWhereRowsDoNotFit) {
  Ladder ladder = totals_by_shop();
  ladder.where = "ordered_on = overall_max(ordered_on)";
  EXPECT_EQ(plan_of(ladder, large(1), {301e6, 0.5}).rows, RowsKept::all);
  const Plan tight = plan_of(ladder, large(1), {299e6, 0.5});
  EXPECT_EQ(tight.rows, RowsKept::none);
  EXPECT_EQ(tight.first_look, (std::set<std::size_t>{1}));
  ASSERT_EQ(tight.decisions.size(), 2u);
  EXPECT_EQ(tight.decisions[1].what, "the table lines is read twice");
  EXPECT_FALSE(tight.next().first_look);

  // Of no column.
  ladder.where = "amount < overall_max(50)";
  const Plan of_none = plan_of(ladder, large(1), {199e6, 0.5});
  ASSERT_TRUE(of_none.first_look);
  EXPECT_TRUE(of_none.first_look->empty());
}

// Inner levels give up early: they total all rows.
TEST(MakePlan, EntriesThatArePlannedFor) {
  Ladder ladder = totals_by_shop();
  EXPECT_EQ(plan_of(ladder, large(1)).levels.front().front().most_entries, rows / 8);
  Sizes few = large(1);
  few.tables.front().rows = 900'000;
  EXPECT_EQ(plan_of(ladder, few).levels.front().front().most_entries, ~std::size_t{0});
  ladder.levels = {{.each = {"status"}, .by = "spend desc"}, {.each = {"shop"}, .by = "spend desc"}};
  EXPECT_EQ(plan_of(ladder, large(1)).levels.front()[1].most_entries, static_cast<std::size_t>(rows / 64));
  EXPECT_EQ(plan_of(ladder, few).levels.front()[1].most_entries, 900'000u / 64);
}

TEST(MakePlan, WhenTheBestRowsAreCutEarly) {
  const auto reason = [](const std::function<void(Ladder&)>& change) {
    const Plan plan = plan_of(changed(largest_lines(), change), large(1));
    return std::pair(plan.levels.front().front().cuts_early, plan.decisions.back().why);
  };
  using Reason = std::pair<bool, std::string>;
  EXPECT_EQ(reason([](Ladder&) {}), Reason(true, "nothing looks at the other rows"));
  EXPECT_EQ(reason([](Ladder& l) { l.levels.front().worst = 3; }),
            Reason(false, "keep.worst counts from the other end"));
  EXPECT_EQ(reason([](Ladder& l) { l.levels.front().where = "rank > 2"; }),
            Reason(false, "a condition looks at places"));
  EXPECT_EQ(reason([](Ladder& l) { l.levels.front().eligible = "amount > 2"; }),
            Reason(false, "rank.eligible decides who has a place"));
  EXPECT_EQ(reason([](Ladder& l) { l.orderings = {{.column = "status", .first = {"paid"}}}; }),
            Reason(false, "there are custom orders"));

  // Columns that places do not go by are made for the rows that are left.
  Ladder ladder = largest_lines();
  ladder.list.columns = {"no", "amount", "rank"};
  const Plan plan = plan_of(ladder, large(1));
  const std::vector<bool>& late = plan.levels.front().front().made_late;
  EXPECT_EQ(std::count(late.begin(), late.end(), true), 1);
}

TEST(MakePlan, WhenPlacesComeBeforeTheWindows) {
  Ladder ladder = totals_by_shop();
  ladder.levels.front().windows = {{"so_far", "sum(spend) over (order by spend desc)"}};
  const Plan first = plan_of(ladder, large(1));
  EXPECT_TRUE(first.levels.front().front().places_first);
  EXPECT_EQ(first.decisions.back().why, "places do not depend on them");
  ladder.levels.front().by = "so_far desc";
  const Plan after = plan_of(ladder, large(1));
  EXPECT_FALSE(after.levels.front().front().places_first);
  EXPECT_EQ(after.decisions.back().why, "`so_far` comes from a window");
}

// Windows share sorts, and take the order of places or give the order of the listing where these are the same.
TEST(MakePlan, WhichSortServesWhichWindow) {
  Ladder ladder = totals_by_shop();
  ladder.levels.front().windows = {{"so_far", "sum(spend) over (order by spend desc)"},
                                   {"next", "lead(spend) over (order by spend desc)"},
                                   {"by_shop", "row_number() over (order by shop)"}};
  const auto sorts = plan_of(ladder, large(1)).levels.front().front().entry_sorts;
  ASSERT_EQ(sorts.size(), 2u);
  EXPECT_EQ(sorts[0].serves, (std::vector<std::size_t>{0, 2}));  // items are windows, each with its formula behind it
  EXPECT_TRUE(sorts[0].also_needed);
  EXPECT_EQ(sorts[1].serves, std::vector<std::size_t>{4});
  EXPECT_FALSE(sorts[1].also_needed);
  ladder.levels.front().by = "so_far desc";
  EXPECT_FALSE(plan_of(ladder, large(1)).levels.front().front().entry_sorts[0].also_needed);

  ladder = {.data = {.from = "lines"},
            .figures = {{"so_far", "sum(amount) over (partition by shop order by no)"}},
            .list = {.order = "shop, no", .columns = {"shop", "no", "so_far"}}};
  EXPECT_TRUE(plan_of(ladder, large(1)).levels.front().front().row_sorts.at(0).also_needed);
  ladder.list.order = "no, shop";
  EXPECT_FALSE(plan_of(ladder, large(1)).levels.front().front().row_sorts.at(0).also_needed);
}

// Rows are dealt out over partitions where nothing else needs an entry's states.
TEST(MakePlan, WhenRowsMayBeDealtOut) {
  EXPECT_TRUE(plan_of(totals_by_shop(), large(1)).levels.front().front().may_deal);
  Ladder ladder = totals_by_shop();
  ladder.totals.push_back({"middle", "median(amount)"});
  EXPECT_FALSE(plan_of(ladder, large(1)).levels.front().front().may_deal);
  EXPECT_FALSE(plan_of(largest_lines(), large(1)).levels.front().front().may_deal);
}

// Each outcome but the good one has its words.
TEST(MakePlan, WhatBecameOfIt) {
  EXPECT_STREQ(reason(Outcome::held), "");
  for (int o = 1; o <= static_cast<int>(Outcome::many_rows); ++o)
    EXPECT_STRNE(reason(static_cast<Outcome>(o)), "") << o;
}
