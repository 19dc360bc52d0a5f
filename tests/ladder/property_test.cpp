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
  const auto maybe = [](auto gen) { return *rc::gen::weightedOneOf<std::optional<int>>({{1, rc::gen::just(std::optional<int>())}, {6, rc::gen::map(gen, [](int v) { return std::optional<int>(v); })}}); };
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
  return {.data = {.from = "lines"}, .where = "status <> 'void' and status <> 'never'", .totals = {{"spend", "sum(amount)"}, {"orders", "count(distinct order_no)"}}, .levels = {{.each = {"shop"}, .by = "spend desc", .ties = ties}}};
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
  std::map<int, Entry> entries;  // 1000 stands for null, which comes last
  for (const Line& line : lines) {
    if (!line.status || *line.status == "void") continue;
    Entry& entry = entries[line.shop.value_or(1000)];
    entry.orders.insert(line.order);
    if (line.quantity) entry.spend = entry.spend.value_or(0) + *line.quantity * 25;
  }
  std::vector<std::pair<int, Entry>> list(entries.begin(), entries.end());
  const auto better = [&](std::size_t a, std::size_t b) { return *list[a].second.spend > *list[b].second.spend; };
  const auto places = plain::places(list.size(), ties, better, [](std::size_t a, std::size_t b) { return a < b; }, [&](std::size_t a) { return !list[a].second.spend; });
  std::vector<std::size_t> order(list.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    if (!list[a].second.spend || !list[b].second.spend) return list[a].second.spend && !list[b].second.spend;
    return better(a, b);
  });
  RC_ASSERT(s.rows() == list.size());
  const auto shop = support::column(s, "shop"), spend = support::column(s, "spend"), orders = support::column(s, "orders"), rank = support::column(s, "rank");
  for (std::size_t r = 0; r < order.size(); ++r) {
    const auto& [key, entry] = list[order[r]];
    RC_ASSERT(shop[r] == (key == 1000 ? "" : std::to_string(key)));
    RC_ASSERT(spend[r] == (entry.spend ? Decimal(*entry.spend, 2).text() : ""));
    RC_ASSERT(orders[r] == std::to_string(entry.orders.size()));
    const auto place = places[order[r]];
    const std::string expected = !place ? "" : ties == Ties::fractional ? Decimal(static_cast<int128>(*place * 10), 1).text() : std::to_string(static_cast<int>(*place));
    RC_ASSERT(rank[r] == expected);
  }
}

RC_GTEST_PROP(LadderProperty, ShuffledLinesGiveTheSameStandings, ()) {
  std::vector<Line> lines = any_lines();
  const std::string before = written(standings(question(Ties::ordinal), catalog_of(lines)), Format::csv);
  for (std::size_t i = lines.size(); i > 1; --i) std::swap(lines[i - 1], lines[static_cast<std::size_t>(*rc::gen::inRange<int>(0, static_cast<int>(i)))]);
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
  catalog.add(TableBuilder("t").column("shop", shop).column("order_no", order).column("weight", weight).column("label", label).build());
  const Ladder ladder{.data = {.from = "t"},
                      .where = "mod(shop, 7) <> 3",
                      .totals = {{"w", "sum(weight)"}, {"orders", "count(distinct order_no)"}, {"names", "count(distinct label || 'x')"}, {"m", "avg(order_no)"}, {"least", "min(label)"}},
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
  for (std::size_t r = 0; r < shops.size(); ++r) ASSERT_EQ(orders[r], std::to_string(expected[std::stoll(shops[r])].size()));
}
