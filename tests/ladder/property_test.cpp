// Invariants of whole ladders over generated tables.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>
#include <set>

#include "support/plain.hpp"
#include "support/tables.hpp"

using namespace lofty;

namespace {

struct Line {
  std::optional<int> shop;
  int order;
  std::optional<int> quantity;  // of 0.25
  std::optional<std::string> status;
};

std::vector<Line> any_lines() {
  const auto maybe = [](auto gen) {
    return *rc::gen::weightedOneOf<std::optional<int>>(
        {{1, rc::gen::just(std::optional<int>())},
         {6, rc::gen::map(gen, [](int v) { return std::optional<int>(v); })}});
  };
  std::vector<Line> lines(static_cast<std::size_t>(*rc::gen::inRange(0, 60)));
  for (Line& line : lines) {
    line.shop = maybe(rc::gen::inRange(0, 8));
    line.order = *rc::gen::inRange(0, 10);
    line.quantity = maybe(rc::gen::inRange(-3, 4));
    line.status = *rc::gen::element<std::optional<std::string>>("paid", "void", "open", std::nullopt);
  }
  return lines;
}

Catalog catalog_of(const std::vector<Line>& lines) {
  std::vector<Value> shop, order, amount, status;
  for (const Line& line : lines) {
    shop.push_back(line.shop ? Value(Decimal(*line.shop, 0)) : Value{});
    order.push_back(Decimal(line.order, 0));
    amount.push_back(line.quantity ? Value(Decimal(*line.quantity * 25, 2)) : Value{});
    status.push_back(line.status ? Value(*line.status) : Value{});
  }
  Catalog catalog;
  // A first row keeps the types when everything else is null; it never counts.
  shop.insert(shop.begin(), Value(Decimal(99, 0)));
  order.insert(order.begin(), Value(Decimal(0, 0)));
  amount.insert(amount.begin(), Value(Decimal(1, 2)));
  status.insert(status.begin(), Value(std::string("never")));
  support::add(catalog, "lines", {{"shop", shop}, {"order_no", order}, {"amount", amount}, {"status", status}});
  return catalog;
}

Ladder question(Ties ties) {
  return {.data = {.from = "lines"},
          .where = "status <> 'void' and status <> 'never'",
          .totals = {{"spend", "sum(amount)"}, {"orders", "count(distinct order_no)"}},
          .levels = {{.each = {"shop"}, .by = "spend desc", .ties = ties}}};
}

std::string bytes(const Standings& s) {
  std::string out = written(s, Format::json);
  return out;
}

}  // namespace

// Against a reference that knows nothing of batches, dictionaries or codes.
RC_GTEST_PROP(LadderProperty, AgreesWithThePlainReference, ()) {
  const std::vector<Line> lines = any_lines();
  const Ties ties = *rc::gen::element(Ties::competition, Ties::modified, Ties::dense, Ties::ordinal, Ties::fractional);
  const Standings s = standings(question(ties), catalog_of(lines));
  struct Entry {
    std::optional<int> spend;
    std::set<int> orders;
  };
  std::map<int, Entry> entries;  // 1000 means null, which comes last
  for (const Line& line : lines) {
    if (!line.status || *line.status == "void") continue;
    Entry& entry = entries[line.shop.value_or(1000)];
    entry.orders.insert(line.order);
    if (line.quantity) entry.spend = entry.spend.value_or(0) + *line.quantity * 25;
  }
  std::vector<std::pair<int, Entry>> list(entries.begin(), entries.end());
  const auto better = [&](std::size_t a, std::size_t b) { return *list[a].second.spend > *list[b].second.spend; };
  const auto places = plain::places(
      list.size(), ties, better, [](std::size_t a, std::size_t b) { return a < b; },
      [&](std::size_t a) { return !list[a].second.spend; });
  std::vector<std::size_t> order(list.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    if (!list[a].second.spend || !list[b].second.spend) return list[a].second.spend && !list[b].second.spend;
    return better(a, b);
  });
  RC_ASSERT(s.rows() == list.size());
  const auto shop = support::column(s, "shop"), spend = support::column(s, "spend"),
             orders = support::column(s, "orders"), rank = support::column(s, "rank");
  for (std::size_t r = 0; r < order.size(); ++r) {
    const auto& [key, entry] = list[order[r]];
    RC_ASSERT(shop[r] == (key == 1000 ? "" : std::to_string(key)));
    RC_ASSERT(spend[r] == (entry.spend ? Decimal(*entry.spend, 2).text() : ""));
    RC_ASSERT(orders[r] == std::to_string(entry.orders.size()));
    const auto place = places[order[r]];
    const std::string expected = !place                     ? ""
                                 : ties == Ties::fractional ? Decimal(static_cast<int128>(*place * 10), 1).text()
                                                            : std::to_string(static_cast<int>(*place));
    RC_ASSERT(rank[r] == expected);
  }
}

RC_GTEST_PROP(LadderProperty, ShuffledLinesGiveTheSameStandings, ()) {
  std::vector<Line> lines = any_lines();
  const std::string before = written(standings(question(Ties::ordinal), catalog_of(lines)), Format::csv);
  for (std::size_t i = lines.size(); i > 1; --i)
    std::swap(lines[i - 1], lines[static_cast<std::size_t>(*rc::gen::inRange<int>(0, static_cast<int>(i)))]);
  RC_ASSERT(written(standings(question(Ties::ordinal), catalog_of(lines)), Format::csv) == before);
}

// Large enough for many batches and several pieces.
TEST(LadderProperty, OneThreadAndEightGiveTheSameBytes) {
  std::vector<std::int64_t> shop, order;
  std::vector<double> weight;
  std::vector<std::string> label;
  std::uint64_t state = 12345;
  const auto next = [&] { return (state = state * 6364136223846793005ULL + 1442695040888963407ULL) >> 33; };
  for (int i = 0; i < 1'200'000; ++i) {
    shop.push_back(static_cast<std::int64_t>(next() % 500));
    order.push_back(i < 600'000 ? i / 3 : static_cast<std::int64_t>(next() % 300'000));
    weight.push_back(static_cast<double>(next() % 1000) * 1e-3 * (next() % 2 == 0 ? 1e10 : 1));
    label.push_back("s" + std::to_string(shop.back()));
  }
  Catalog catalog;
  catalog.add(TableBuilder("t")
                  .column("shop", shop)
                  .column("order_no", order)
                  .column("weight", weight)
                  .column("label", label)
                  .build());
  const Ladder ladder{.data = {.from = "t"},
                      .where = "mod(shop, 7) <> 3",
                      .totals = {{"w", "sum(weight)"},
                                 {"orders", "count(distinct order_no)"},
                                 {"names", "count(distinct label || 'x')"},
                                 {"m", "avg(order_no)"},
                                 {"least", "min(label)"}},
                      .levels = {{.each = {"shop"}, .by = "w desc"}},
                      .list = {.columns = {"rank", "shop", "label", "w", "orders", "names", "m", "least"}}};
  const std::string one = bytes(standings(ladder, catalog, {.threads = 1}));
  EXPECT_EQ(one, bytes(standings(ladder, catalog, {.threads = 8})));
  EXPECT_EQ(one, bytes(standings(ladder, catalog, {.threads = 2})));
  // Distinct orders against a set: the halves of the table are in order and out of order.
  std::map<std::int64_t, std::set<std::int64_t>> expected;
  for (std::size_t i = 0; i < shop.size(); ++i)
    if (shop[i] % 7 != 3) expected[shop[i]].insert(order[i]);
  const Standings s = standings(ladder, catalog);
  const auto shops = support::column(s, "shop"), orders = support::column(s, "orders");
  ASSERT_EQ(shops.size(), expected.size());
  for (std::size_t r = 0; r < shops.size(); ++r)
    ASSERT_EQ(orders[r], std::to_string(expected[std::stoll(shops[r])].size()));
}

// Groups by two keys, one of them text, met in different orders by the pieces of a large table; and dates told apart.
TEST(LadderProperty, GroupsOfSeveralKeysMeetAcrossPieces) {
  std::vector<std::string> valley;
  std::vector<std::int64_t> shop, amount;
  std::vector<Date> day;
  std::uint64_t state = 99;
  const auto next = [&] { return (state = state * 6364136223846793005ULL + 1442695040888963407ULL) >> 33; };
  for (int i = 0; i < 1'100'000; ++i) {
    valley.push_back("valley " + std::to_string((next() + static_cast<std::uint64_t>(i) / 100'000) % 12));
    shop.push_back(static_cast<std::int64_t>(next() % 90) - 45);
    amount.push_back(static_cast<std::int64_t>(next() % 1000));
    day.push_back(Date{static_cast<std::int32_t>(20'000 + next() % 40)});
  }
  Catalog catalog;
  catalog.add(TableBuilder("t")
                  .column("valley", valley)
                  .column("shop", shop)
                  .column("amount", amount)
                  .column("day", day)
                  .build());
  const Ladder ladder{.data = {.from = "t"},
                      .where = "amount <> 5",
                      .totals = {{"spend", "sum(amount)"}, {"days", "count(distinct day)"}, {"lines", "count(*)"}},
                      .levels = {{.each = {"valley", "shop"}, .by = "spend desc"}}};
  struct Entry {
    std::int64_t spend = 0, lines = 0;
    std::set<std::int32_t> days;
  };
  std::map<std::pair<std::string, std::int64_t>, Entry> expected;
  for (std::size_t i = 0; i < shop.size(); ++i) {
    if (amount[i] == 5) continue;
    Entry& entry = expected[{valley[i], shop[i]}];
    entry.spend += amount[i];
    ++entry.lines;
    entry.days.insert(day[i].days);
  }
  const Standings s = standings(ladder, catalog);
  const auto valleys = support::column(s, "valley"), shops = support::column(s, "shop"),
             spend = support::column(s, "spend"), days = support::column(s, "days"),
             lines = support::column(s, "lines");
  ASSERT_EQ(valleys.size(), expected.size());
  for (std::size_t r = 0; r < valleys.size(); ++r) {
    const Entry& entry = expected[{valleys[r], std::stoll(shops[r])}];
    ASSERT_EQ(spend[r], std::to_string(entry.spend));
    ASSERT_EQ(days[r], std::to_string(entry.days.size()));
    ASSERT_EQ(lines[r], std::to_string(entry.lines));
    ASSERT_GE(std::stoll(spend[r == 0 ? 0 : r - 1]), std::stoll(spend[r]));
  }
}

// Places anew in every group, the best N of each, with ties and strictly, and who was said to be left out.
RC_GTEST_PROP(LadderProperty, TheBestOfEachGroupAreThoseOfTheReference, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 40));
  const auto group = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 4));
  const auto value = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 6));
  const auto breaker = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  const auto best = static_cast<std::size_t>(*rc::gen::inRange(1, 5));
  const bool strict = *rc::gen::arbitrary<bool>();
  std::vector<Value> ids, groups, values, breakers;
  for (std::size_t i = 0; i < size; ++i) {
    ids.push_back(Decimal(static_cast<int>(i), 0));
    groups.push_back(Decimal(group[i], 0));
    values.push_back(Decimal(value[i] * 5, 1));
    breakers.push_back(Decimal(breaker[i], 0));
  }
  Catalog catalog;
  support::add(catalog, "t", {{"id", ids}, {"g", groups}, {"v", values}, {"b", breakers}});
  const Ladder ladder{.data = {.from = "t"},
                      .totals = {{"s", "sum(v)"}},
                      .levels = {{.each = {"id"},
                                  .within = {"g"},
                                  .by = "s desc",
                                  .tiebreak = "b desc",
                                  .best = best,
                                  .cut = strict ? Cut::strict : Cut::with_ties}},
                      .list = {.columns = {"g", "rank", "id", "s"}}};
  const Standings s = standings(ladder, catalog);
  // The definition: in each group, keep who has fewer than N others ahead (with ties), or is among the first N by
  // value, tie-breaker and own key (strictly).
  std::vector<std::tuple<int, int, int, std::size_t>> expected;  // group, -value, -breaker, id
  bool cut_through = false;
  for (std::size_t i = 0; i < size; ++i) {
    std::size_t ahead = 0, sooner = 0;
    for (std::size_t k = 0; k < size; ++k) {
      if (group[k] != group[i]) continue;
      ahead += value[k] > value[i];
      sooner += std::tuple(-value[k], -breaker[k], k) < std::tuple(-value[i], -breaker[i], i);
    }
    if (strict ? sooner < best : ahead < best) expected.emplace_back(group[i], -value[i], -breaker[i], i);
    cut_through = cut_through || (ahead < best && sooner >= best);
  }
  std::sort(expected.begin(), expected.end());
  RC_ASSERT(s.rows() == expected.size());
  const auto id = support::column(s, "id");
  for (std::size_t r = 0; r < expected.size(); ++r) RC_ASSERT(id[r] == std::to_string(std::get<3>(expected[r])));
  RC_ASSERT(support::says(s, "tie-at-cut") == cut_through);
}

// A join brings what a loop over both tables would, and counts what it would count.
RC_GTEST_PROP(LadderProperty, JoinsBringWhatALoopWould, ()) {
  const auto left = *rc::gen::container<std::vector<int>>(rc::gen::inRange(-2, 12));
  const auto keys = *rc::gen::unique<std::vector<int>>(rc::gen::inRange(-2, 12));
  RC_PRE(!left.empty() && !keys.empty());
  const bool text = *rc::gen::arbitrary<bool>();
  const auto value = [&](int key) -> Value {
    if (key < -1) return {};
    return text ? Value(std::string("k") + std::to_string(key)) : Value(Decimal(key, 0));
  };
  std::vector<Value> a, b, c;
  for (const int key : left) a.push_back(value(key));
  for (const int key : keys) {
    b.push_back(value(key));
    c.push_back(Decimal(key * 10, 0));
  }
  a.push_back(value(50));  // keeps the type when all else is null
  b.push_back(value(51));
  c.push_back(Decimal(510, 0));
  Catalog catalog;
  support::add(catalog, "l", {{"k", a}});
  support::add(catalog, "r", {{"k", b}, {"ten", c}});
  const Ladder ladder{.data = {.from = "l", .joins = {{.with = "r", .on = {"k"}}}}, .list = {.columns = {"k", "ten"}}};
  const Standings s = standings(ladder, catalog);
  std::size_t unmatched = 1, unused = 1;
  const auto ten = support::column(s, "ten");
  for (std::size_t i = 0; i < left.size(); ++i) {
    const bool found = left[i] >= -1 && std::find(keys.begin(), keys.end(), left[i]) != keys.end();
    unmatched += !found;
    RC_ASSERT(ten[i] == (found ? std::to_string(left[i] * 10) : ""));
  }
  for (const int key : keys) unused += key < -1 || std::find(left.begin(), left.end(), key) == left.end();
  RC_ASSERT(s.accounting().joins[0].unmatched == unmatched);
  RC_ASSERT(s.accounting().joins[0].without_rows == unused);
}
