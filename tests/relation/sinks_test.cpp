// Sinks, driven directly: rows in stretches against the same rows at once.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <random>

#include "lofty/lofty.hpp"
#include "question/resolve.hpp"
#include "relation/row_pass.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"
#include "relation/totals.hpp"
#include "support/stretched.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

// Lines with ties, blanks, and numbers that ascend.
Table lines(std::size_t rows, std::uint32_t seed) {
  std::mt19937 random(seed);
  std::vector<Value> shop, amount, status, number;
  for (std::size_t r = 0; r < rows; ++r) {
    shop.push_back(random() % 9 == 0 ? Value{} : Value(Decimal(random() % 5, 0)));
    amount.push_back(random() % 7 == 0 ? Value{} : Value(Decimal(random() % 400, 2)));
    status.push_back(random() % 6 == 0 ? Value{} : Value(std::string(random() % 4 == 0 ? "void" : "paid")));
    number.push_back(Value(Decimal(static_cast<std::int64_t>(r / 2), 0)));
  }
  TableBuilder table("lines");
  table.column("shop", shop).column("amount", amount).column("status", status).column("number", number);
  return table.build();
}

// A ladder of one level, resolved with the types of its table.
struct Resolved {
  explicit Resolved(Ladder of, const Table& table) : ladder(std::move(of)), tables{{table}} {
    Catalog catalog;
    catalog.add(table);
    const Resolution names(ladder, catalog);
    typed = names.with_types(tables);
    for (const Problem& p : typed.problems) ADD_FAILURE() << p.sentence;
  }
  const Question& question() const { return typed.questions.front(); }

  const Ladder ladder;
  const Tables tables;
  Resolution::Typed typed;
};

Ladder totals() {
  return {.data = {.from = "lines"},
          .where = "status <> 'void'",
          .totals = {{"spend", "sum(amount)"}, {"n", "count(*)"}, {"numbers", "count(distinct number)"}},
          .levels = {{.each = {"shop"}, .by = "spend desc"}}};
}

// Calls work(tables, rows before) for each stretch of so many rows, then done(the table without columns).
template <class Work, class Done>
void each_stretch(const Table& table, std::size_t rows, const Work& work, const Done& done) {
  Catalog inner;
  inner.add(table);
  const support::Stretched catalog(inner, rows);
  const auto source = catalog.open("lines", {});
  const std::vector<std::size_t> all{0, 1, 2, 3};
  const Run run;
  const auto stretches = source->stretches(all, run);
  std::size_t before = 0;
  while (const std::optional<Table> stretch = stretches->next()) {
    work(Tables{{*stretch}}, before);
    before += stretch->rows();
  }
  done(Tables{{stretches->whole()}});
}

std::string text_of(const Entries& entries) {
  std::string out = std::to_string(entries.rows.read) + " " + std::to_string(entries.rows.left_out) + " " +
                    std::to_string(entries.rows.unknown) + " " + std::to_string(entries.rows.counted) + " " +
                    std::to_string(entries.rows.unknown_example) + "\n";
  for (std::size_t e = 0; e < entries.count; ++e) {
    out += std::to_string(entries.first_rows[e]) + ":";
    for (const ColumnPtr& column : entries.columns)
      if (column) out += " " + to_text(column->value(e));
    out += "\n";
  }
  return out;
}

// What became of the totals of a table that comes in stretches.
Outcome totalled(const Resolved& of, const LevelPlan& plan, std::size_t rows, TotalledRows& out) {
  const Run run;
  StretchJoins joins;
  StretchTotals sink(of.question(), plan, false, {}, joins, run);
  Outcome outcome = Outcome::held;
  each_stretch(
      of.tables.first(), rows,
      [&](const Tables& tables, std::size_t before) {
        if (outcome == Outcome::held) outcome = sink.add(tables, before);
        joins.next();
      },
      [&](const Tables& whole) {
        if (outcome == Outcome::held) outcome = sink.finish(whole, out);
      });
  return outcome;
}

}  // namespace

RC_GTEST_PROP(SinksProperty, TotalsOfStretchesAreThoseOfAllRows, ()) {
  const auto seed = *rc::gen::arbitrary<std::uint32_t>();
  const Resolved of(totals(), lines(1 + seed % 300, seed));
  const Run run;
  JoinedRows rows(of.question(), of.tables, run);
  const Entries kept = run_rows(of.question(), {}, rows, nullptr, run);
  EXPECT_EQ(kept.rows.read, kept.rows.left_out + kept.rows.unknown + kept.rows.counted);
  TotalledRows out;
  RC_ASSERT(totalled(of, {}, 1 + seed % 37, out) == Outcome::held);
  RC_ASSERT(text_of(out.entries) == text_of(kept));
}

RC_GTEST_PROP(SinksProperty, TheSieveKeepsTheRowsThatCount, ()) {
  const auto seed = *rc::gen::arbitrary<std::uint32_t>();
  Ladder ladder = totals();
  ladder.where = "status = 'void' and amount > 0.5";
  const Resolved of(ladder, lines(40 + seed % 300, seed));
  const Run run;
  const JoinedRows all(of.question(), of.tables, run);
  const RowsThatCount expected = RowPass(of.question(), all, nullptr, run).counted();

  StretchJoins joins;
  RowSieve sieve(of.question(), of.tables.first(), joins, run);
  Outcome outcome = Outcome::held;
  std::optional<SiftedRows> sifted;
  each_stretch(
      of.tables.first(), 20 + seed % 37,
      [&](const Tables& tables, std::size_t before) {
        if (outcome == Outcome::held) outcome = sieve.add(tables, before);
        joins.next();
      },
      [&](const Tables& whole) {
        if (outcome == Outcome::held) sifted = sieve.finish(whole);
      });
  RC_PRE(outcome != Outcome::many_count);  // else too many of the first rows count
  RC_ASSERT(outcome == Outcome::held);
  EXPECT_EQ(sifted->rows.read, of.tables.first().rows());
  EXPECT_EQ(sifted->rows.left_out, expected.counts.left_out);
  EXPECT_EQ(sifted->rows.unknown, expected.counts.unknown);

  // The rows that count, and the first that is unknown; each knows its number in the file.
  std::set<std::size_t> kept(expected.rows.begin(), expected.rows.end());
  if (expected.counts.unknown > 0) kept.insert(expected.counts.unknown_example);
  RC_ASSERT(sifted->table.rows() == kept.size());
  std::size_t at = 0;
  for (const std::size_t row : kept) {
    EXPECT_EQ(Access::data(sifted->table).number_of(at), row + 1);
    for (const std::size_t column : {0u, 1u, 2u, 3u})
      EXPECT_EQ(sifted->table.value(at, column), of.tables.first().value(row, column));
    ++at;
  }
}

// Each reason for which totals of stretches give up.
TEST(Sinks, WhyAPlanDoesNotHold) {
  TotalledRows out;
  const Resolved of(totals(), lines(200, 7));
  EXPECT_EQ(totalled(of, {.most_entries = 2}, 50, out), Outcome::many_entries);
  EXPECT_EQ(totalled(of, {.most_entries = 100}, 50, out), Outcome::held);

  // A column that is carried has one value in each entry.
  Ladder ladder = totals();
  ladder.list.columns = {"shop", "amount", "spend"};
  EXPECT_EQ(totalled(Resolved(ladder, lines(200, 7)), {}, 50, out), Outcome::several_values);

  // Numbers that ascend over many rows, and then come again.
  std::vector<std::int64_t> shop(400, 1), number;
  for (std::int64_t r = 0; r < 400; ++r) number.push_back(r < 390 ? r : r - 380);
  const std::vector<std::string> status(400, "paid");
  const Table again = TableBuilder("lines")
                          .column("shop", shop)
                          .column("amount", shop)
                          .column("status", status)
                          .column("number", number)
                          .build();
  EXPECT_EQ(totalled(Resolved(totals(), again), {}, 100, out), Outcome::numbers_descended);

  // Most of the first rows count.
  const Resolved many(totals(), lines(200, 7));
  const lofty::Run run;
  StretchJoins joins;
  EXPECT_EQ(RowSieve(many.question(), many.tables.first(), joins, run).add(many.tables, 0), Outcome::many_count);
}
