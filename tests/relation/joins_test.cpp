// Settled meanings 20 and 21: the four kinds of join against nested loops over the same rows.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "support/tables.hpp"

using namespace lofty;
using support::column;
using support::says;
using Texts = std::vector<std::string>;

namespace {

using Key = std::optional<int>;  // null keys match nothing

Value value(const Key& key, bool text) {
  if (!key) return {};
  return text ? Value("k" + std::to_string(*key)) : Value(Decimal(*key, 0));
}

struct Row {
  std::string left, key, right;
  friend bool operator==(const Row&, const Row&) = default;
  friend std::ostream& operator<<(std::ostream& out, const Row& row) {
    return out << row.left << "/" << row.key << "/" << row.right;
  }
};

// Straight from the standard's words. None: the join has to be refused.
std::optional<std::vector<Row>> nested_loops(const std::vector<Key>& left, const std::vector<Key>& right, JoinType kind,
                                             bool many, bool text) {
  std::vector<Row> out;
  std::vector<bool> used(right.size(), false);
  for (std::size_t l = 0; l < left.size(); ++l) {
    std::vector<std::size_t> partners;
    for (std::size_t r = 0; r < right.size(); ++r)
      if (left[l] && right[r] && *left[l] == *right[r]) partners.push_back(r);
    if (partners.size() > 1 && !many) return std::nullopt;
    for (const std::size_t r : partners) {
      used[r] = true;
      out.push_back({std::to_string(l), to_text(value(left[l], text)), std::to_string(r)});
    }
    if (partners.empty() && (kind == JoinType::left || kind == JoinType::full))
      out.push_back({std::to_string(l), to_text(value(left[l], text)), ""});
  }
  for (std::size_t r = 0; r < right.size(); ++r)
    if (!used[r] && (kind == JoinType::right || kind == JoinType::full))
      out.push_back({"", to_text(value(right[r], text)), std::to_string(r)});
  return out;
}

Catalog tables(const std::vector<Key>& left, const std::vector<Key>& right, bool text) {
  const auto keys = [&](const std::vector<Key>& of) {
    std::vector<Value> out;
    for (const Key& key : of) out.push_back(value(key, text));
    return out;
  };
  const auto numbers = [](std::size_t count) {
    std::vector<Value> out;
    for (std::size_t i = 0; i < count; ++i) out.push_back(Decimal(static_cast<int128>(i), 0));
    return out;
  };
  Catalog catalog;
  support::add(catalog, "left", {{"l", numbers(left.size())}, {"k", keys(left)}});
  support::add(catalog, "right", {{"k", keys(right)}, {"r", numbers(right.size())}});
  return catalog;
}

std::vector<Key> any_keys() {
  const auto size = *rc::gen::inRange<std::size_t>(0, 12);
  std::vector<Key> out;
  for (std::size_t i = 0; i < size; ++i) {
    const int key = *rc::gen::inRange(-1, 7);
    out.push_back(key < 0 ? Key() : Key(key));
  }
  return out;
}

}  // namespace

RC_GTEST_PROP(JoinsProperty, EveryKindIsWhatNestedLoopsMake, ()) {
  auto left = any_keys(), right = any_keys();
  // A column of nothing but nulls is text, whatever its partner is.
  left.push_back(1);
  right.push_back(*rc::gen::inRange(1, 7));
  const bool many = *rc::gen::arbitrary<bool>(), text = *rc::gen::arbitrary<bool>();
  const JoinType kind = *rc::gen::element(JoinType::left, JoinType::inner, JoinType::right, JoinType::full);
  const Ladder ladder{.data = {.from = "left", .joins = {{.with = "right", .on = {"k"}, .type = kind, .many = many}}},
                      .list = {.order = "input", .columns = {"l", "k", "r"}}};
  const auto expected = nested_loops(left, right, kind, many, text);
  const Catalog catalog = tables(left, right, text);
  if (!expected) {
    RC_ASSERT_THROWS_AS(standings(ladder, catalog), Error);
    return;
  }
  const Standings s = standings(ladder, catalog);
  std::vector<Row> got;
  for (std::size_t row = 0; row < s.rows(); ++row)
    got.push_back({to_text(s.value(row, 0)), to_text(s.value(row, 1)), to_text(s.value(row, 2))});
  RC_ASSERT(got == *expected);
  const Accounting& a = s.accounting();
  RC_ASSERT(a.read - a.joins[0].left_out + a.joins[0].more + a.joins[0].added == a.counted);
}

// A further join goes by keys that an earlier one brought, for rows that were repeated and let in too.
TEST(Joins, ChainsGoOnFromWhatTheFirstOneMade) {
  Catalog catalog;
  using support::number;
  support::add(catalog, "a", {{"k", {number(1), number(2)}}});
  support::add(catalog, "b", {{"k", {number(1), number(1), number(3)}}, {"m", {number(7), number(8), number(9)}}});
  support::add(catalog, "c",
               {{"m", {number(7), number(9)}}, {"name", {Value(std::string("seven")), Value(std::string("nine"))}}});
  const Ladder ladder{
      .data = {.from = "a",
               .joins = {{.with = "b", .on = {"k"}, .type = JoinType::full, .many = true}, {.with = "c", .on = {"m"}}}},
      .list = {.order = "input", .columns = {"k", "m", "name"}}};
  const Standings s = standings(ladder, catalog);
  EXPECT_EQ(column(s, "k"), (Texts{"1", "1", "2", "3"}));
  EXPECT_EQ(column(s, "m"), (Texts{"7", "8", "", "9"}));
  EXPECT_EQ(column(s, "name"), (Texts{"seven", "", "", "nine"}));
}

// A key that a full or right join has merged is what a further join goes by, for the rows that were let in too.
TEST(Joins, AMergedKeyLeadsOn) {
  Catalog catalog;
  using support::number;
  const auto text = [](const char* t) { return Value(std::string(t)); };
  support::add(catalog, "a", {{"k", {number(1), number(2)}}});
  support::add(catalog, "b", {{"k", {number(2), number(3)}}, {"m", {number(7), number(8)}}});
  support::add(catalog, "c",
               {{"k", {number(3), number(1), number(4)}}, {"name", {text("three"), text("one"), text("four")}}});
  Ladder ladder{
      .data = {.from = "a", .joins = {{.with = "b", .on = {"k"}, .type = JoinType::full}, {.with = "c", .on = {"k"}}}},
      .list = {.order = "input", .columns = {"k", "m", "name"}}};
  const Standings s = standings(ladder, catalog);
  EXPECT_EQ(column(s, "k"), (Texts{"1", "2", "3"}));
  EXPECT_EQ(column(s, "m"), (Texts{"", "7", "8"}));
  EXPECT_EQ(column(s, "name"), (Texts{"one", "", "three"}));
  EXPECT_EQ(s.accounting().joins[1].unmatched, 1u);
  EXPECT_EQ(s.accounting().joins[1].without_rows, 1u);
  ladder.data.joins[1].type = JoinType::full;  // and is merged again
  const Standings all = standings(ladder, catalog);
  EXPECT_EQ(column(all, "k"), (Texts{"1", "2", "3", "4"}));
  EXPECT_EQ(column(all, "name"), (Texts{"one", "", "three", "four"}));
  ladder.data.joins[1].type = JoinType::inner;  // the rows that are left keep their merged keys
  EXPECT_EQ(column(standings(ladder, catalog), "k"), (Texts{"1", "3"}));
}

// Rows without a key on either side are no partners, and fall into one entry all the same: it has two values then.
TEST(Joins, AnEntryWithoutAKeyMayHoldRowsOfBothSides) {
  Catalog catalog;
  using support::null;
  using support::number;
  support::add(catalog, "a", {{"k", {number(1), null()}}});
  support::add(catalog, "b", {{"k", {number(1), null()}}, {"m", {number(7), number(8)}}});
  Ladder ladder{.data = {.from = "a", .joins = {{.with = "b", .on = {"k"}}}},
                .totals = {{"n", "count(*)"}},
                .levels = {{.each = {"k"}, .by = "n desc"}},
                .list = {.columns = {"k", "m"}}};
  EXPECT_EQ(column(standings(ladder, catalog), "m"), (Texts{"7", ""}));
  ladder.data.joins[0].type = JoinType::full;
  try {
    standings(ladder, catalog);
    FAIL() << "one of two values was taken for both";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::several_values);
    EXPECT_NE(error.problems().front().sentence.find("blank and `8`"), std::string::npos);
  }
}

TEST(Joins, SayWhomTheyLeftOutLetInAndRepeated) {
  Catalog catalog = support::small_shop();
  Ladder ladder{.data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}, .type = JoinType::inner}}},
                .totals = {{"n", "count(line_no)"}},
                .levels = {{.each = {"shop_no"}, .by = "n desc"}}};
  EXPECT_TRUE(says(standings(ladder, catalog), "unmatched-rows",
                   "1 line found no partner in shops: shop_no (4); it is left out"));
  ladder.data.joins[0].type = JoinType::right;
  const Standings never = standings(ladder, catalog);
  EXPECT_TRUE(says(never, "entries-without-rows", "shop_no (5); it is a separate row"));
  EXPECT_EQ(column(never, "shop_no"), (Texts{"1", "2", "3", "5"}));
  EXPECT_EQ(column(never, "n"), (Texts{"2", "2", "2", "0"}));  // who never ordered?
  Ladder turned{.data = {.from = "shops", .joins = {{.with = "lines", .on = {"shop_no"}, .many = true}}},
                .totals = {{"n", "count(line_no)"}},
                .levels = {{.each = {"shop_no"}, .by = "n desc"}}};
  EXPECT_TRUE(says(standings(turned, catalog), "rows-multiplied",
                   "3 shops found several partners in lines, and count with each: there are 3 shops more"));
  turned.data.joins[0].many = false;
  try {
    standings(turned, catalog);
    FAIL() << "a join that multiplies was let through";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Code::join_multiplies);
    EXPECT_NE(error.problems().front().advice.find("many = true"), std::string::npos);
  }
}
