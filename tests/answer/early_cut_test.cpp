// Best N of single rows, of which those that cannot be kept are left out before places are made: against the same
// question with an order of all rows.
#include "answer/early_cut.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <random>

#include "lofty/lofty.hpp"
#include "support/process.hpp"
#include "support/said.hpp"

using namespace lofty;

namespace {

// So many rows are put in order as they are, as long as it lives.
struct NotCut {
  explicit NotCut(std::size_t rows) { engine::least_rows_to_cut = rows; }
  NotCut(const NotCut&) = delete;
  NotCut& operator=(const NotCut&) = delete;
  ~NotCut() { engine::least_rows_to_cut = before_; }

 private:
  const std::size_t before_ = engine::least_rows_to_cut;
};
constexpr std::size_t never = 1 << 30;

// All that is said, the places of values, and the saved standings.
std::string told(const Ladder& ladder, const std::filesystem::path& folder, std::size_t rows) {
  const NotCut few(rows);
  std::string out = support::ask(ladder, folder).text;
  try {
    const Standings s = standings(ladder, TableFiles(folder));
    save(s, [&](std::string_view part) { out += part; });
    for (int value = -2; value < 12; ++value)
      for (const WouldStand& one : s.place_for("amount", Decimal(value, 0)))
        out += std::to_string(one.standing.better) + " " + std::to_string(one.standing.better_values) + " " +
               std::to_string(one.standing.equal) + " " + std::to_string(one.standing.ranked) +
               (one.ahead ? to_text(*one.ahead) : "-") + (one.behind ? to_text(*one.behind) : "-") + "\n";
  } catch (const Error& error) {
    out += error.problems().front().sentence;
  }
  return out;
}

}  // namespace

RC_GTEST_PROP(EarlyCutProperty, GivesWhatAnOrderOfAllRowsGives, ()) {
  std::mt19937 random(*rc::gen::arbitrary<std::uint32_t>());
  const auto one_of = [&](std::uint32_t n) { return random() % n; };
  const std::uint32_t amounts = 1 + one_of(60), nulls = one_of(3) == 0 ? 5 : 1000;
  std::string text = "amount,weight,name,part\n";
  for (std::size_t r = 0, rows = one_of(400); r < rows; ++r) {
    text += (one_of(nulls) == 0 ? "" : std::to_string(one_of(amounts))) + ",";
    text += (one_of(nulls) == 0 ? "" : std::to_string(one_of(9)) + ".5") + ",";
    text += (one_of(nulls) == 0 ? "" : "name " + std::to_string(one_of(30))) + ",";
    text += (one_of(nulls) == 0 ? "" : std::to_string(one_of(3))) + "\n";
  }
  const support::Scratch scratch;
  scratch.file("lines.csv", text);

  scratch.file("parts.csv", "part,label\n0,zero\n2,two\n3,three\n");

  Ladder ladder{.data = {.from = "lines.csv"}};
  if (one_of(3) == 0) ladder.data.joins = {{.with = "parts.csv", .on = {"part"}}};
  if (one_of(3) == 0) ladder.figures = {{"row", "row_number() over (order by weight)"}, {"twice", "2 * amount"}};
  if (one_of(2) == 0) {
    ladder.list.columns = {"part", "amount", "rank", "name"};
    if (!ladder.data.joins.empty()) ladder.list.columns.push_back("label");
    for (const NamedFormula& figure : ladder.figures) ladder.list.columns.push_back(figure.name);
  }
  Level& level = ladder.levels.emplace_back();
  const char* const by[] = {"amount desc",
                            "amount asc",
                            "amount desc, weight asc",
                            "amount asc nulls first",
                            "round(amount / 7) desc",
                            "name desc",
                            "amount desc, name asc, weight desc",
                            "amount / weight desc",
                            "amount / 7000001 desc"};  // some tie as they are rounded
  level.by = by[one_of(std::size(by))];
  level.best = 1 + one_of(20);
  level.ties = std::array{Ties::competition, Ties::dense, Ties::ordinal, Ties::fractional, Ties::modified}[one_of(5)];
  if (one_of(3) == 0) level.within = {"part"};
  if (one_of(2) == 0) level.cut = Cut::strict;
  if (one_of(2) == 0) level.tiebreak = one_of(2) == 0 ? "name" : "weight desc";
  if (one_of(4) == 0) ladder.where = "weight > 2 or weight is null";
  if (one_of(4) == 0) level.having = "amount <> 5";
  if (one_of(4) == 0) level.unranked = true;
  if (one_of(4) == 0) ladder.list.order = one_of(2) == 0 ? "input" : "name asc, amount desc";
  if (one_of(5) == 0) ladder.list.first = 3;

  // What is looked at beyond the rows that are kept.
  switch (one_of(14)) {
    case 0: level.worst = 2; break;
    case 1: level.within = {"name"}; break;  // many groups
    case 2: level.windows = {{"before", "lag(amount) over (order by amount)"}}; break;
    case 3: level.eligible = "weight > 3"; break;
    case 4: level.where = "rank < 4"; break;
    case 5: level.also = {{.name = "share", .measure = Measure::percent_rank}}; break;
    case 6: level.best = {}, level.best_percent = Decimal(5, 0); break;
    case 7: ladder.levels.insert(ladder.levels.begin(), {.each = {"name"}}); break;
    default: break;
  }
  const std::string cut = told(ladder, scratch.path(), 0);
  RC_CLASSIFY(support::ask(ladder, scratch.path()).answered, "an answer");
  RC_ASSERT(cut == told(ladder, scratch.path(), never));
}

// It is made where it can be, and not where few would go.
TEST(EarlyCut, LeavesFewRows) {
  std::string text = "amount,name\n";
  for (int r = 0; r < 1000; ++r) text += std::to_string(r % 250) + ",n" + std::to_string(r) + "\n";
  const support::Scratch scratch;
  scratch.file("lines.csv", text);
  Ladder ladder{.data = {.from = "lines.csv"}, .levels = {{.by = "amount desc", .best = 10}}};
  const auto peers = [&](std::size_t rows) {
    const NotCut few(rows);
    const Standings s = standings(ladder, TableFiles(scratch.path()));
    EXPECT_EQ(1000U, s.accounting().ranked);
    EXPECT_EQ(12U, s.rows());
    EXPECT_EQ(1000U, s.accounting().entries);
    return s.place_for("amount", Decimal(100, 0)).front().standing.better;
  };
  EXPECT_EQ(596U, peers(0));
  EXPECT_EQ(596U, peers(never));
  ladder.levels.clear();  // a listing
  EXPECT_EQ(told(ladder, scratch.path(), 0), told(ladder, scratch.path(), never));
  ladder.levels = {{.by = "amount desc", .best = 10}};
  ladder.levels.front().by = "amount - amount desc";  // all tie
  EXPECT_EQ(told(ladder, scratch.path(), 0), told(ladder, scratch.path(), never));
}
