// Thousands of whole ladders, put together by chance from parts that are written twice, against the plain reference.
// What fails is shrunk, and printed as the ladder file that asks it.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cstdlib>
#include <fstream>
#include <set>

#include "support/plain_ladder.hpp"
#include "support/stretched.hpp"

using namespace plain;
using lofty::Standings;

namespace {

Truth truth(bool value) { return value; }
Truth either(Truth a, Truth b) {
  if (a == Truth(true) || b == Truth(true)) return true;
  return a && b ? Truth(false) : std::nullopt;
}
Truth both(Truth a, Truth b) {
  if (a == Truth(false) || b == Truth(false)) return false;
  return a && b ? Truth(true) : std::nullopt;
}
template <class T, class Test>
Truth known(const std::optional<T>& value, const Test& test) {
  return value ? Truth(test(*value)) : std::nullopt;
}

std::vector<RowCondition> row_conditions() {
  return {
      {{""}, nullptr},
      {{"status <> 'void'"}, [](const Row& r) { return known(r.status, [](const auto& s) { return s != "void"; }); }},
      {{"amount > 0 or status is null"},
       [](const Row& r) { return either(known(r.amount, [](long a) { return a > 0; }), truth(!r.status)); }},
      {{"shop between 2 and 5 and not (status = 'open')"},
       [](const Row& r) {
         return both(known(r.shop, [](long s) { return s >= 2 && s <= 5; }),
                     known(r.status, [](const auto& s) { return s != "open"; }));
       }},
      {{"valley in ('a', 'b') or coalesce(amount, 0) = 0"},
       [](const Row& r) {
         return either(known(r.valley, [](const auto& v) { return v == "a" || v == "b"; }),
                       truth(r.amount.value_or(0) == 0));
       }},
      {{"nullif(order_no, 3) < 3"},
       [](const Row& r) { return r.order == 3 ? Truth() : known(r.order, [](long order) { return order < 3; }); }}};
}
// Of what a join brings.
std::vector<RowCondition> joined_conditions() {
  return {{{"size <> 'small'"}, [](const Row& r) { return known(r.size, [](const auto& s) { return s != "small"; }); }},
          {{"since is null or since > 2"},
           [](const Row& r) { return either(truth(!r.since), known(r.since, [](long s) { return s > 2; })); }},
          {{"amount is null or since < shop"}, [](const Row& r) {
             return either(truth(!r.amount), r.since && r.shop ? Truth(*r.since < *r.shop) : Truth());
           }}};
}

std::vector<Column> columns() {
  return {{"valley", [](const Row& r) { return Cell{.text = r.valley, .is_text = true}; }},
          {"status", [](const Row& r) { return Cell{.text = r.status, .is_text = true}; }},
          {"shop", [](const Row& r) { return Cell{.number = r.shop}; }},
          {"order_no", [](const Row& r) { return Cell{.number = r.order}; }}};
}
std::vector<Column> joined_columns() {
  return {{"size", [](const Row& r) { return Cell{.text = r.size, .is_text = true}; }},
          {"since", [](const Row& r) { return Cell{.number = r.since}; }}};
}

using Rows = std::vector<Row>;
template <class Fold>
std::optional<long> fold(const Rows& rows, const std::function<bool(const Row&)>& counts, const Fold& with) {
  std::optional<long> out;
  for (const Row& row : rows)
    if (row.amount && counts(row)) out = out ? with(*out, *row.amount) : *row.amount;
  return out;
}
bool any(const Row&) { return true; }
bool paid(const Row& row) { return row.status == "paid"; }
long plus(long a, long b) { return a + b; }

// Half to even, eight decimals, from hundredths.
std::optional<long> mean(const Rows& rows) {
  const auto sum = fold(rows, any, plus);
  if (!sum) return std::nullopt;
  long count = 0;
  for (const Row& row : rows) count += row.amount.has_value();
  const long scaled = *sum * 1'000'000;
  long quotient = scaled / count, rest = scaled % count;
  if (rest < 0) rest = -rest;
  if (2 * rest > count || (2 * rest == count && quotient % 2 != 0)) quotient += scaled < 0 ? -1 : 1;
  return static_cast<long>(quotient);
}

enum : std::size_t { spend, lines, orders, paid_spend, least };  // the first of the totals below
std::vector<Total> totals() {
  const auto money = [](std::optional<long> value) { return Cell{.number = value, .scale = 2}; };
  const auto count = [](long value) { return Cell{.number = value}; };
  const auto distinct = [](const Rows& rows) {
    std::set<long> orders_met;
    for (const Row& row : rows)
      if (row.order) orders_met.insert(*row.order);
    return static_cast<long>(orders_met.size());
  };
  return {{{"sum(amount)"}, "spend", [=](const Rows& r) { return money(fold(r, any, plus)); }},
          {{"count(*)"}, "lines", [=](const Rows& r) { return count(static_cast<long>(r.size())); }},
          {{"count(distinct order_no)"}, "orders", [=](const Rows& r) { return count(distinct(r)); }},
          {{"sum(amount) filter (where status = 'paid')"},
           "paid",
           [=](const Rows& r) { return money(fold(r, paid, plus)); }},
          {{"min(amount)"},
           "least",
           [=](const Rows& r) { return money(fold(r, any, [](long a, long b) { return std::min(a, b); })); }},
          {{"max(amount)"},
           "greatest",
           [=](const Rows& r) { return money(fold(r, any, [](long a, long b) { return std::max(a, b); })); }},
          {{"avg(amount)"}, "mean", [](const Rows& r) { return Cell{.number = mean(r), .scale = 8}; }},
          {{"count(amount) filter (where status = 'paid')"},
           "paid_lines",
           [=](const Rows& r) {
             return count(std::count_if(r.begin(), r.end(), [](const Row& row) { return paid(row) && row.amount; }));
           }},
          {{"lines * 2 - orders"}, "surplus", [=](const Rows& r) {
             return count(2 * static_cast<long>(r.size()) - distinct(r));
           }}};
}

Truth above(const Cell& cell, long value) {
  return known(cell.number, [&](long n) { return n > value; });
}
std::vector<EntryCondition> entry_conditions() {
  return {{{""}, nullptr},
          {{"spend > 0"}, [](const Entry& e) { return above(e.totals[spend], 0); }},
          {{"lines >= 2"}, [](const Entry& e) { return above(e.totals[lines], 1); }},
          {{"paid is null or orders > 1"},
           [](const Entry& e) { return either(truth(e.totals[paid_spend].null()), above(e.totals[orders], 1)); }},
          {{"not (least < 0)"},
           [](const Entry& e) { return known(e.totals[least].number, [](long n) { return n >= 0; }); }}};
}
std::vector<EntryCondition> keep_conditions() {
  std::vector<EntryCondition> out = entry_conditions();
  out.push_back({{"rank <= 2"}, [](const Entry& e) { return known(e.rank, [](long n) { return n <= 2; }); }});
  out.push_back({{"rank is null or lines >= 2"},
                 [](const Entry& e) { return either(truth(!e.rank), above(e.totals[lines], 1)); }});
  return out;
}

template <class T>
const T& one_of(const std::vector<T>& list) {
  return list[*rc::gen::inRange<std::size_t>(0, list.size())];
}
std::optional<long> maybe(int from, int to) {
  return *rc::gen::inRange(0, 6) == 0 ? std::nullopt : std::optional<long>(*rc::gen::inRange(from, to));
}
std::optional<std::string> word(const std::vector<std::string>& words) {
  const auto at = *rc::gen::inRange<std::size_t>(0, words.size() + 1);
  return at == words.size() ? std::nullopt : std::optional(words[at]);
}

std::vector<Row> any_rows() {
  std::vector<Row> rows(static_cast<std::size_t>(*rc::gen::inRange(0, 40)));
  for (Row& row : rows) {
    row.valley = word({"a", "b", "c"});
    row.status = word({"paid", "void", "open"});
    row.shop = maybe(0, 7);
    const auto amount = maybe(-3, 6);
    row.amount = amount ? std::optional<long>(*amount * 25) : std::nullopt;
    row.order = *rc::gen::inRange(0, 8);
    row.day = maybe(0, 40);
  }
  return rows;
}

std::vector<Shop> any_shops() {
  std::vector<Shop> shops;
  for (long shop = 1; shop < 9; ++shop)
    if (*rc::gen::inRange(0, 3) > 0) shops.push_back({shop, word({"small", "large"}), maybe(0, 6)});
  if (*rc::gen::arbitrary<bool>()) shops.push_back({std::nullopt, word({"small"}), maybe(0, 6)});  // matches nothing
  return shops;
}

std::vector<Key> any_keys(std::size_t least_count) {
  std::vector<Key> keys;
  const auto count = *rc::gen::inRange<std::size_t>(least_count, 3);
  while (keys.size() < count)
    keys.push_back({*rc::gen::inRange<std::size_t>(0, totals().size()), *rc::gen::arbitrary<bool>()});
  return keys;
}

// A level whose keys are taken out of `left`.
Level any_level(std::vector<Column>& left, bool groups) {
  Level level;
  const auto take = [&] {
    const auto at = *rc::gen::inRange<std::size_t>(0, left.size());
    const Column column = left[at];
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(at));
    return column;
  };
  for (auto n = groups ? *rc::gen::inRange(0, 3) : 0; n > 0; --n) level.within.push_back(take());
  for (auto n = groups ? *rc::gen::inRange(1, 3) : 1; n > 0; --n) level.each.push_back(take());
  level.having = one_of(entry_conditions());
  level.eligible = one_of(entry_conditions());
  level.keep = one_of(keep_conditions());
  level.by = any_keys(1);
  level.tiebreak = any_keys(0);
  if (*rc::gen::arbitrary<bool>()) level.best = *rc::gen::inRange<std::size_t>(1, 4);
  if (*rc::gen::arbitrary<bool>()) level.worst = *rc::gen::inRange<std::size_t>(1, 4);
  level.strict = *rc::gen::arbitrary<bool>();
  level.unranked = *rc::gen::arbitrary<bool>();
  return level;
}

Question any_question() {
  using lofty::JoinType;
  Question q;
  const auto kind = *rc::gen::inRange<std::size_t>(0, 6);  // two of them without a join
  if (kind < 4) q.join = std::vector{JoinType::left, JoinType::inner, JoinType::right, JoinType::full}[kind];
  q.where = one_of(row_conditions());
  if (q.join && *rc::gen::arbitrary<bool>()) q.where = one_of(joined_conditions());
  if (*rc::gen::inRange(0, 3) == 0) q.last_days = *rc::gen::inRange(1, 30);
  q.totals = totals();
  std::vector<Column> left = columns();
  if (q.join)
    for (Column& column : joined_columns()) left.push_back(std::move(column));
  const auto levels = *rc::gen::inRange(1, 4);
  for (int l = 0; l < levels; ++l) q.levels.push_back(any_level(left, levels == 1));
  return q;
}

std::vector<std::vector<std::string>> rows_of(const Standings& s) {
  std::vector<std::vector<std::string>> out(s.rows());
  for (std::size_t r = 0; r < s.rows(); ++r)
    for (std::size_t c = 0; c < s.columns().size(); ++c) out[r].push_back(lofty::to_text(s.value(r, c)));
  return out;
}

std::string text_of(const std::vector<std::vector<std::string>>& rows) {
  std::string out;
  for (const auto& row : rows) {
    for (const std::string& cell : row) out += cell + "|";
    out += "\n";
  }
  return out;
}
std::string tables_text(const lofty::Catalog& catalog) {
  std::string out;
  for (const char* name : {"lines", "shops"}) {
    const lofty::Table table = catalog.open(name, {})->read({}, {});
    std::vector<std::vector<std::string>> rows{table.headings()};
    for (std::size_t r = 0; r < table.rows(); ++r) {
      rows.emplace_back();
      for (std::size_t c = 0; c < table.headings().size(); ++c)
        rows.back().push_back(lofty::to_text(table.value(r, c)));
    }
    out += std::string(name) + "\n" + text_of(rows);
  }
  return out;
}

std::string everything_of(const Standings& answer) {
  return lofty::listing(answer) + lofty::accounting_text(answer) + lofty::written(answer, lofty::Format::csv) +
         lofty::written(answer, lofty::Format::json);
}

// With LOFTY_RECORD=FILE the answers are kept, to be compared with those of another build:
//   LOFTY_RECORD=before.txt RC_PARAMS="seed=1 max_success=1000" build/release/tests/whole_test
void record(const Standings& answer) {
  static const char* const file = std::getenv("LOFTY_RECORD");
  if (file == nullptr) return;
  std::ofstream out(file, std::ios::app);
  out << everything_of(answer) << "\n";
}

}  // namespace

TEST(Whole, LaddersAgreeWithThePlainReference) {
  std::size_t asked = 0, nested = 0, listed = 0, in_one_pass = 0;
  const bool agreed = rc::check("every generated ladder", [&] {
    const std::vector<Row> rows = any_rows();
    const std::vector<Shop> shops = any_shops();
    const Question question = any_question();
    const lofty::Ladder ladder = ladder_of(question);
    RC_LOG() << lofty::ladder_text(ladder);
    const lofty::Catalog catalog = catalog_of(rows, shops);
    if (has_several_values(question, rows, shops)) {
      try {
        static_cast<void>(lofty::standings(ladder, catalog));
        RC_FAIL("one of several values was taken");
      } catch (const lofty::Error& error) {
        RC_ASSERT(error.code() == lofty::Code::several_values);
      }
      return;
    }
    const auto expected = answer(question, rows, shops);
    const Standings standings = lofty::standings(ladder, catalog);
    const auto got = rows_of(standings);
    record(standings);
    if (got != expected)
      RC_LOG() << tables_text(catalog) << "expected\n" << text_of(expected) << "got\n" << text_of(got);
    RC_ASSERT(got == expected);
    // Saved and read again it is the same question.
    const lofty::Ladder again = lofty::read_ladder(lofty::ladder_text(ladder), "again").ladder;
    RC_ASSERT(rows_of(lofty::standings(again, catalog)) == expected);
    // And where rows are read a few at a time, and not kept.
    const support::Stretched stretched(catalog, 1 + rows.size() / 5);
    const std::string kept = everything_of(standings), not_kept = everything_of(lofty::standings(ladder, stretched));
    if (kept != not_kept) RC_LOG() << tables_text(catalog) << "kept\n" << kept << "not kept\n" << not_kept;
    RC_ASSERT(kept == not_kept);
    in_one_pass += stretched.read();
    ++asked;
    nested += question.levels.size() > 1;
    listed += expected.size();
  });
  EXPECT_TRUE(agreed);
  EXPECT_GT(5 * nested, asked);
  EXPECT_GT(50 * in_one_pass, asked);
  EXPECT_GT(5 * listed, asked);  // not all of them are about nothing
}
