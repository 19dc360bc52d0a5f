// Rows that are dealt out over partitions, because they have more entries than a table is quick with: against the same
// question with one table.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <random>

#include "base/mix.hpp"
#include "lofty/lofty.hpp"
#include "relation/dealt_rows.hpp"
#include "relation/dealt_totals.hpp"
#include "support/process.hpp"
#include "support/said.hpp"
#include "support/stretched.hpp"

using namespace lofty;
using support::ask;
using support::Said;

namespace {

// Rows of more entries than these are dealt out, as long as it lives.
struct Together {
  explicit Together(std::size_t entries) {
    engine::most_entries_together = entries;
    engine::least_taken_bytes = 0;
  }
  Together(const Together&) = delete;
  Together& operator=(const Together&) = delete;
  ~Together() {
    engine::most_entries_together = before_;
    engine::least_taken_bytes = engine::usual_taken_bytes;
  }

 private:
  const std::size_t before_ = engine::most_entries_together;
};
constexpr std::size_t one_table = 1 << 30;

// The same answer with one table and dealt out, with rows that are kept and with such as come in stretches. Is it an
// answer?
bool agrees(const Ladder& ladder, const std::filesystem::path& folder, std::size_t entries, int threads = 0) {
  bool answered = true;
  for (const std::size_t chunk : {engine::usual_chunk_bytes + 0, std::size_t{300}}) {
    const support::Stretching apart(chunk, 4);
    const auto told = [&](std::size_t together) {
      const Together few(together);
      const Said said = ask(ladder, folder, threads);
      answered = answered && said.answered;
      return said.text;
    };
    EXPECT_EQ(told(one_table), told(entries)) << "chunks of " << chunk;
  }
  return answered;
}

class DealtTotals : public ::testing::Test {
 protected:
  DealtTotals() {
    std::string shops = "shop,name,rate\n";
    for (int s = 0; s < 60; ++s)
      if (s % 7 != 3) shops += std::to_string(s) + ",shop " + std::to_string(s % 50) + "," + std::to_string(s) + ".5\n";
    scratch_.file("shops.csv", shops);
  }
  template <class Line>
  void write(std::size_t rows, const Line& line) {
    std::string text = "shop,order_no,amount,weight,status\n";
    for (std::size_t r = 0; r < rows; ++r) text += line(r) + "\n";
    scratch_.file("lines.csv", text);
  }
  static std::string plain(std::size_t r) {
    return std::to_string(r * 31 % 60) + "," + std::to_string(100 + r * 17 % 90) + "," + std::to_string(r % 7) +
           ".50," + std::to_string(r % 5) + "e-1," +
           (r % 11 == 0  ? ""
            : r % 3 == 0 ? "paid"
                         : "void");
  }
  static Ladder totals() {
    return {.data = {.from = "lines.csv", .joins = {{.with = "shops.csv", .on = {"shop"}}}},
            .totals = {{"spend", "sum(amount)"},
                       {"mean", "avg(amount)"},
                       {"n", "count(*)"},
                       {"known", "count(status)"},
                       {"orders", "count(distinct order_no)"},
                       {"states", "count(distinct status)"},
                       {"paid", "count(*) filter (where status = 'paid')"},
                       {"paid_sum", "sum(amount) filter (where status = 'paid')"},
                       {"heaviest", "max(weight)"},
                       {"weights", "sum(weight)"},
                       {"first_status", "min(status)"},
                       {"last_status", "max(upper(status))"},
                       {"large", "sum(amount * 1000000000000000000000)"}},
            .levels = {{.each = {"shop"}, .by = "spend desc, orders asc"}},
            .list = {.columns = {"rank", "shop", "name", "rate", "spend", "mean", "n", "known", "orders", "states",
                                 "paid", "paid_sum", "heaviest", "weights", "first_status", "last_status", "large"}}};
  }
  const support::Scratch scratch_;
};

}  // namespace

// Each record is in its partition, whole, after those that were dealt before it.
RC_GTEST_PROP(DealtRows, KeepWhatTheyGet, ()) {
  const std::size_t cells = *rc::gen::inRange<std::size_t>(0, 7), rows = *rc::gen::inRange(0, 8'000);
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint32_t>());
  const std::uint64_t kinds = *rc::gen::element(1, 3, 300);
  struct Record {
    std::uint32_t row;
    std::vector<engine::Cell> cells;
  };
  std::vector<std::vector<Record>> expected(engine::DealtRows::partitions);
  engine::DealtRows dealt(cells);
  for (std::size_t begin = 0; begin < rows; begin += 1000) {
    const std::size_t count = std::min<std::size_t>(1000, rows - begin);
    dealt.begin(count);
    std::vector<std::uint64_t> hashes;
    for (std::size_t i = 0; i < count; ++i) {
      Record record{static_cast<std::uint32_t>(random()), {}};
      for (std::size_t c = 0; c < cells; ++c)
        record.cells.push_back({random(), static_cast<std::uint8_t>(random() % 256)});
      dealt.put_row(i, record.row);
      for (std::size_t c = 0; c < cells; ++c) dealt.put(i, c, record.cells[c]);
      hashes.push_back(engine::mix(random() % kinds));
      expected[engine::DealtRows::partition_of(hashes.back())].push_back(record);
    }
    dealt.deal(hashes);
  }
  dealt.finish();
  for (std::size_t p = 0; p < expected.size(); ++p) {
    RC_ASSERT(dealt.records(p) == expected[p].size());
    std::size_t at = 0;
    dealt.each_batch(p, 700, [&](const engine::DealtRows::Records& records) {
      RC_ASSERT(records.count > 0 && records.count <= 700);
      for (std::size_t i = 0; i < records.count; ++i, ++at) {
        RC_ASSERT(records.row(i) == expected[p][at].row);
        for (std::size_t c = 0; c < cells; ++c) RC_ASSERT(records.cell(i, c) == expected[p][at].cells[c]);
      }
    });
    RC_ASSERT(at == expected[p].size());
    dealt.forget(p);
    RC_ASSERT(dealt.records(p) == 0);
  }
}

// Every kind of total and of key; entries that were there before rows were dealt out, and such as came later.
RC_GTEST_PROP(DealtTotalsProperty, AreThoseOfOneTable, ()) {
  std::mt19937 random(*rc::gen::arbitrary<std::uint32_t>());
  const auto one_of = [&](std::uint32_t n) { return random() % n; };
  const std::uint32_t shops = 1 + one_of(80), numbers = 1 + one_of(300), wide = one_of(3);
  std::string text = "shop,order_no,amount,weight,status\n";
  for (std::size_t r = 0, rows = one_of(700); r < rows; ++r) {
    text += (one_of(20) == 0 ? "" : std::to_string(one_of(shops))) + ",";
    text += (one_of(20) == 0 ? "" : std::to_string(one_of(numbers))) + ",";
    text +=
        (one_of(9) == 0 ? ""
                        : std::to_string(one_of(90)) + (wide == 0 && r % 5 == 0 ? "00000000000000000000" : "") + ".5") +
        ",";
    text += (one_of(9) == 0 ? "" : std::to_string(one_of(30)) + "e-1") + ",";
    text += one_of(9) == 0 ? "\n" : "state " + std::to_string(one_of(12)) + "\n";
  }
  const support::Scratch scratch;
  scratch.file("lines.csv", text);
  scratch.file("shops.csv",
               "shop,name\n1,Amber Lantern\n2,Brass Larder\n3,Clover Pantry\n4,Drowsy Kettle\n17,Amber Lantern\n");
  Ladder ladder{.data = {.from = "lines.csv", .joins = {{.with = "shops.csv", .on = {"shop"}}}},
                .totals = {{"spend", "sum(amount)"}}};
  const char* const further[] = {"avg(amount)",
                                 "count(*)",
                                 "count(distinct order_no)",
                                 "count(distinct status)",
                                 "count(distinct amount)",
                                 "sum(weight)",
                                 "avg(weight)",
                                 "max(weight)",
                                 "min(status)",
                                 "max(status || '!')",
                                 "min(amount)",
                                 "count(weight)",
                                 "count(*) filter (where weight > 1)",
                                 "sum(amount) filter (where status is not null)",
                                 "count(distinct weight) filter (where amount > 20)",
                                 "sum(distinct order_no)",
                                 "min(name)",
                                 "count(distinct name)",
                                 "bool_or(weight > 2)"};
  for (std::uint32_t i = 0, count = one_of(5); i < count; ++i)
    ladder.totals.push_back({"t" + std::to_string(i), further[one_of(std::size(further))]});
  Level& level = ladder.levels.emplace_back();
  level.by = "spend desc";
  switch (one_of(7)) {
    case 0: level.each = {"order_no"}; break;
    case 1: level.each = {"status"}; break;
    case 2: level.each = {"shop", "status"}; break;
    case 3: level.each = {"status", "order_no"}; break;
    case 4: level.each = {"weight"}; break;
    case 5: level.each = {"name", "amount"}; break;
    default: level.each = {"shop"}; ladder.list.columns = {"rank", "shop", "name", "spend"};
  }
  if (one_of(4) == 0) ladder.where = "status <> 'state 3'";
  if (one_of(4) == 0) level.best = 1 + one_of(9);
  if (one_of(5) == 0) level.having = "spend > 10";
  RC_CLASSIFY(agrees(ladder, scratch.path(), 1 + one_of(40), std::array{0, 1, 2, 8}[one_of(4)]), "an answer");
  RC_ASSERT(!::testing::Test::HasFailure());
}

TEST_F(DealtTotals, KeepEveryKindOfTotal) {
  write(2000, plain);
  for (const std::size_t entries : {1, 20, 55, 59}) EXPECT_TRUE(agrees(totals(), scratch_.path(), entries));
  Ladder ladder = totals();
  ladder.levels.front().each = {"status", "shop", "weight"};
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 5));
  ladder.where = "amount > 100";  // no row counts
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 1));
}

// What every entry has one value of, as it was listed, and what has two: the row that shows it first is told of.
TEST_F(DealtTotals, TellOfTheFirstEntryWithSeveralValues) {
  write(3000, [](std::size_t r) { return plain(r % 60) + (r == 2301 || r == 2500 || r == 2999 ? " or not" : ""); });
  Ladder ladder = totals();
  ladder.list.columns = {"rank", "shop", "amount", "spend"};
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 3));
  ladder.list.columns.insert(ladder.list.columns.begin() + 2, "status");
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 3));
  const Together few(3);
  const std::string text = ask(ladder, scratch_.path()).text;
  EXPECT_NE(text.find("`status` has several values in one entry: shop `51`"), std::string::npos) << text;
}

TEST_F(DealtTotals, FailWhereOneTableFails) {
  write(2000, [](std::size_t r) { return plain(r); });
  Ladder ladder = totals();
  ladder.totals[0].formula = "sum(10 / (amount - 6.5 * (order_no - 100)))";
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 3));
  ladder.totals[0].formula = "sum(amount * 10000000000000000000000000000000000)";
  EXPECT_FALSE(agrees(ladder, scratch_.path(), 3));
}

// What dealing out does not go with: totals by an order, and entries that are taken together.
TEST_F(DealtTotals, LeaveOtherQuestionsToOneTable) {
  write(900, plain);
  Ladder ladder = totals();
  ladder.levels.front().best = 3;
  ladder.levels.front().others = true;
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 3));
  ladder.levels.front().others = false;
  ladder.totals.push_back({"middle", "median(amount)"});
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 3));
  ladder.levels.push_back({.each = {"status"}, .by = "spend desc", .best = 1});
  ladder.totals.pop_back();
  ladder.list = {};
  EXPECT_TRUE(agrees(ladder, scratch_.path(), 3));
}
