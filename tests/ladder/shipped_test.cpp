// The shipped ladders, computed independently from the shipped files, straight from the questions' words.
#include <gtest/gtest.h>

#include <charconv>
#include <cmath>
#include <functional>

#include <map>
#include <set>

#include "support/plain.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using Texts = std::vector<std::string>;

namespace {

// Read without the locale, which is a decimal comma's in some runs.
double number_in(const std::string& text) {
  double number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  return error == std::errc() && end == text.data() + text.size() ? number : std::nan("");
}

struct Line {
  std::string order, day, shop, product, status;
  int quantity = 0;
  std::optional<long> price;  // pence
};

std::vector<Line> lines() {
  std::vector<Line> out;
  const auto rows = plain::read_csv(support::slurp(support::demo() / "order_lines.csv"));
  for (std::size_t r = 1; r < rows.size(); ++r) {
    const auto& f = rows[r];
    Line line{f[1], f[2], f[3], f[4], f[7], std::stoi(f[5]), std::nullopt};
    if (!f[6].empty()) {
      std::string digits = f[6];
      digits.erase(digits.find('.'), 1);
      line.price = std::stol(digits);
    }
    out.push_back(line);
  }
  return out;
}

// key -> the rest of the row
std::map<std::string, Texts> reference(const char* file) {
  std::map<std::string, Texts> out;
  const auto rows = plain::read_csv(support::slurp(support::demo() / file));
  for (std::size_t r = 1; r < rows.size(); ++r) out[rows[r][0]] = Texts(rows[r].begin() + 1, rows[r].end());
  return out;
}

Standings answer(const char* ladder) {
  return standings(read_ladder_file(support::demo() / ladder).ladder, TableFiles(support::demo()));
}

std::vector<Texts> rows_of(const Standings& s) {
  std::vector<Texts> out(s.rows());
  for (std::size_t r = 0; r < s.rows(); ++r)
    for (std::size_t c = 0; c < s.columns().size(); ++c) out[r].push_back(to_text(s.value(r, c)));
  return out;
}

struct Entry {
  std::string key;
  long spend = 0;
  bool any = false;
  long sold = 0;
  std::set<std::string> orders;
  std::string last;
};

std::map<std::string, Entry> totals(const std::function<bool(const Line&)>& counts,
                                    const std::function<std::string(const Line&)>& key) {
  std::map<std::string, Entry> out;
  for (const Line& line : lines()) {
    if (!counts(line)) continue;
    Entry& e = out[key(line)];
    e.key = key(line);
    e.sold += line.quantity;
    e.orders.insert(line.order);
    e.last = std::max(e.last, line.day);
    if (line.price) {
      e.spend += line.quantity * *line.price;
      e.any = true;
    }
  }
  return out;
}

std::string money(long pence) { return Decimal(pence, 2).text(); }
bool not_void(const Line& line) { return line.status != "void"; }

std::size_t ahead(const std::vector<Entry>& list, const Entry& e) {
  return static_cast<std::size_t>(
      std::count_if(list.begin(), list.end(), [&](const Entry& other) { return other.spend > e.spend; }));
}

}  // namespace

TEST(Shipped, TheGeneratorStillMakesTheFilesByteForByte) {
  const support::Scratch scratch;
  ASSERT_EQ(support::shell(std::string(LOFTY_GENERATOR) + " " + scratch.path().string()).status, 0);
  for (const char* file : {"order_lines.csv", "shops.csv", "products.csv"})
    EXPECT_EQ(support::slurp(scratch.path() / file), support::slurp(support::demo() / file)) << file;
}

TEST(Shipped, TheDataCarriesEveryTrap) {
  const auto all = lines();
  const auto shops = reference("shops.csv"), products = reference("products.csv");
  std::size_t no_price = 0, voids = 0, returned = 0, blank = 0, odd = 0, unknown = 0, no_valley = 0, accents = 0;
  std::set<std::string> seen;
  for (const Line& line : all) {
    no_price += !line.price;
    voids += line.status == "void";
    returned += line.status == "returned" && line.quantity < 0;
    blank += line.status.empty();
    odd += line.status == "Paid ";
    unknown += !shops.contains(line.shop);
    seen.insert(line.shop);
  }
  for (const auto& [number, shop] : shops) {
    no_valley += shop[1].empty();
    accents += std::any_of(shop[0].begin(), shop[0].end(), [](char c) { return (c & 0x80) != 0; });
  }
  EXPECT_NEAR(static_cast<double>(all.size()), 12'000, 100);
  EXPECT_TRUE(no_price > 0 && voids > 0 && returned > 0 && blank > 0 && odd > 0 && accents > 0);
  EXPECT_EQ(unknown, 1u);
  EXPECT_EQ(no_valley, 1u);
  EXPECT_LT(seen.size() - 1, shops.size());  // one of `seen` is the unknown shop
  std::set<std::string> names;
  for (const auto& [number, product] : products) names.insert(product[0]);
  EXPECT_TRUE(names.contains("Comb 2") && names.contains("Comb 10"));
}

TEST(Shipped, BestShops) {
  const auto shops = reference("shops.csv");
  std::vector<Entry> list;
  for (const auto& [key, e] : totals(not_void, [](const Line& l) { return l.shop; })) list.push_back(e);
  std::vector<std::multiset<Texts>> by_place(list.size() + 1);
  std::size_t expected = 0;
  for (const Entry& e : list)
    if (const std::size_t place = ahead(list, e) + 1; place <= 10) {
      const auto shop = shops.find(e.key);
      by_place[place].insert({std::to_string(place), shop == shops.end() ? "" : shop->second[0],
                              shop == shops.end() ? "" : shop->second[1], money(e.spend),
                              std::to_string(e.orders.size())});
      ++expected;
    }
  const Standings s = answer("best_shops.ladder.toml");
  ASSERT_EQ(s.rows(), expected);
  std::string last;
  for (const Texts& row : rows_of(s)) {
    auto& place = by_place[std::stoul(row[0])];
    ASSERT_TRUE(place.contains(row)) << row[1];
    place.erase(place.find(row));
  }
  // On purpose: two share the top to the penny, three share place 9, and the cut of 10 goes through them.
  EXPECT_EQ(support::column(s, "rank"), (Texts{"1", "1", "3", "4", "5", "6", "7", "8", "9", "9", "9"}));
  EXPECT_TRUE(support::says(s, "tie-at-cut", "3 shops share place 9"));
}

TEST(Shipped, BestProductsSmallestFirst) {
  const auto products = reference("products.csv");
  std::map<std::string, std::vector<Entry>> families;
  for (const auto& [key, e] : totals(not_void, [](const Line& l) { return l.product; }))
    families[products.at(key)[1]].push_back(e);
  std::vector<Texts> expected;
  for (auto& [family, list] : families) {
    std::sort(list.begin(), list.end(), [](const Entry& a, const Entry& b) { return a.spend < b.spend; });
    for (const Entry& e : list)
      if (const std::size_t place = ahead(list, e) + 1; place <= 3)
        expected.push_back(
            {family, std::to_string(place), products.at(e.key)[0], std::to_string(e.sold), money(e.spend)});
  }
  EXPECT_EQ(rows_of(answer("best_products.ladder.toml")), expected);
}

TEST(Shipped, TieRulesInTheOrderOfTheInput) {
  std::vector<std::pair<std::string, int>> counts;  // as the products first come
  for (const Line& line : lines()) {
    if (line.status != "returned") continue;
    const auto found =
        std::find_if(counts.begin(), counts.end(), [&](const auto& c) { return c.first == line.product; });
    if (found == counts.end())
      counts.emplace_back(line.product, 1);
    else
      ++found->second;
  }
  const auto place = [&](Ties ties, std::size_t i) {
    const auto all = plain::places(
        counts.size(), ties, [&](std::size_t a, std::size_t b) { return counts[a].second > counts[b].second; },
        [&](std::size_t a, std::size_t b) { return std::stoi(counts[a].first) < std::stoi(counts[b].first); },
        [](std::size_t) { return false; });
    return ties == Ties::fractional ? Decimal(static_cast<int128>(*all[i] * 10), 1).text()
                                    : std::to_string(static_cast<int>(*all[i]));
  };
  std::vector<Texts> expected;
  for (std::size_t i = 0; i < counts.size(); ++i)
    expected.push_back({place(Ties::competition, i), place(Ties::modified, i), place(Ties::dense, i),
                        place(Ties::ordinal, i), place(Ties::fractional, i), counts[i].first,
                        std::to_string(counts[i].second)});
  EXPECT_EQ(rows_of(answer("tie_rules.ladder.toml")), expected);
}

TEST(Shipped, BestShopsOfEachValley) {
  const auto shops = reference("shops.csv");
  const auto valley_of = [&](const std::string& shop) {
    return shops.contains(shop) ? shops.at(shop)[1] : std::string();
  };
  std::map<std::string, std::vector<Entry>> valleys;
  for (const auto& [key, e] : totals([](const Line& l) { return l.status != "void" && l.day >= "2025-03-01"; },
                                     [](const Line& l) { return l.shop; }))
    valleys[valley_of(key)].push_back(e);
  std::map<std::string, std::multiset<Texts>> expected;
  std::size_t count = 0;
  for (const auto& [valley, list] : valleys)
    for (const Entry& e : list)
      if (const std::size_t place = ahead(list, e) + 1; place <= 3) {
        expected[valley].insert({valley, std::to_string(place), shops.contains(e.key) ? shops.at(e.key)[0] : "",
                                 money(e.spend), std::to_string(e.orders.size()), e.last});
        ++count;
      }
  const auto rows = rows_of(answer("best_in_valley.ladder.toml"));
  ASSERT_EQ(rows.size(), count);
  for (const Texts& row : rows) EXPECT_TRUE(expected[row[0]].contains(row)) << row[0] << " " << row[2];
  EXPECT_EQ(rows.back()[0], "");  // the shop without a valley comes last
  for (std::size_t r = 1; r < rows.size(); ++r)
    if (rows[r][0] == rows[r - 1][0]) {
      EXPECT_LE(std::stoul(rows[r - 1][1]), std::stoul(rows[r][1]));
    }
}

TEST(Shipped, BothEndsAndTheirShares) {
  std::vector<Entry> all;
  double whole = 0;
  for (const auto& [key, e] :
       totals([](const Line& l) { return l.status != "void"; }, [](const Line& l) { return l.shop; })) {
    all.push_back(e);
    whole += static_cast<double>(e.spend);
  }
  const auto rows = rows_of(answer("both_ends.ladder.toml"));
  ASSERT_EQ(rows.size(), 8u);  // no tie at either cut
  std::size_t best = 0;
  for (const Texts& row : rows) {
    const auto entry = std::find_if(all.begin(), all.end(), [&](const Entry& e) { return money(e.spend) == row[3]; });
    ASSERT_NE(entry, all.end()) << row[3];
    double better = 0, worse = 0, sum = 0;
    for (const Entry& e : all) {
      better += e.spend > entry->spend;
      worse += e.spend < entry->spend;
      if (e.spend >= entry->spend) sum += static_cast<double>(e.spend);
    }
    EXPECT_EQ(number_in(row[0]), better + 1);
    EXPECT_EQ(number_in(row[4]), worse + 1);
    EXPECT_TRUE(better < 5 || worse < 3);
    best += better < 5;
    EXPECT_EQ(row[5], better < 5 ? "1" : "5");
    EXPECT_NEAR(number_in(row[6]), static_cast<double>(entry->spend) / whole, 1e-8);
    EXPECT_NEAR(number_in(row[7]), sum / whole, 1e-8);
    EXPECT_NEAR(number_in(row[8]), better / static_cast<double>(all.size() - 1), 1e-6);
  }
  EXPECT_EQ(best, 5u);
}

TEST(Shipped, ProductsInTheOrderOfThePriceList) {
  const auto rows = rows_of(answer("products_in_order.ladder.toml"));
  ASSERT_EQ(rows.size(), 48u);
  EXPECT_EQ(rows[0][0], "Honey");
  std::vector<std::string> families;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    if (r == 0 || rows[r][0] != rows[r - 1][0]) families.push_back(rows[r][0]);
    if (rows[r][0] == "Comb") {
      EXPECT_EQ(rows[r][2], "Comb " + rows[r][1]);
    }
  }
  EXPECT_EQ(families, (Texts{"Honey", "Comb", "Candles", "Gifts", "Mead", "Soap", "Wax"}));
}

TEST(Shipped, ValleysByTheirLastDaysBesideAllTheyEverSpent) {
  const auto shops = reference("shops.csv");
  struct Valley {
    long recent = 0, spend = 0;
    std::set<std::string> shops;
  };
  std::map<std::string, Valley> valleys;
  std::string latest;
  for (const Line& line : lines())
    if (not_void(line)) latest = std::max(latest, line.day);
  ASSERT_EQ(latest, "2026-02-28");
  for (const Line& line : lines()) {
    if (!not_void(line)) continue;
    const auto shop = shops.find(line.shop);
    Valley& valley = valleys[shop == shops.end() ? "" : shop->second[1]];
    const long worth = line.price ? line.quantity * *line.price : 0;
    valley.spend += worth;
    if (line.day < "2026-01-30") continue;  // thirty days, the last one included
    valley.recent += worth;
    valley.shops.insert(line.shop);
  }
  const auto rows = rows_of(answer("recent_valleys.ladder.toml"));
  ASSERT_EQ(rows.size(), valleys.size());
  for (const Texts& row : rows) {
    const Valley& valley = valleys.at(row[1]);
    EXPECT_EQ(row[2], money(valley.recent));
    EXPECT_EQ(row[3], std::to_string(valley.shops.size()));
    EXPECT_EQ(row[4], money(valley.spend));
    EXPECT_EQ(std::stol(row[0]), 1 + std::count_if(valleys.begin(), valleys.end(), [&](const auto& other) {
                                   return other.second.recent > valley.recent;
                                 }));
  }
}

TEST(Shipped, OpenAccountsWithEnoughOrders) {
  const auto shops = reference("shops.csv");
  std::map<std::string, std::vector<Entry>> open;  // by valley
  std::map<std::string, std::set<std::string>> closed;
  for (const auto& [key, e] : totals(not_void, [](const Line& l) { return l.shop; })) {
    if (e.orders.size() < 20) continue;
    const auto shop = shops.find(key);
    const std::string valley = shop == shops.end() ? "" : shop->second[1];
    if (shop != shops.end() && shop->second[3] == "closed")
      closed[valley].insert(shop->second[0]);
    else if (shop != shops.end() && !shop->second[3].empty())
      open[valley].push_back(e);
  }
  std::size_t expected = 0;
  for (const auto& valley : open) {
    const std::vector<Entry>& entries = valley.second;
    expected += static_cast<std::size_t>(
        std::count_if(entries.begin(), entries.end(), [&](const Entry& e) { return ahead(entries, e) < 2; }));
  }
  for (const auto& [valley, names] : closed) expected += names.size();
  const auto rows = rows_of(answer("open_accounts.ladder.toml"));
  EXPECT_EQ(rows.size(), expected);
  for (const Texts& row : rows) {
    if (row[3] == "closed") {
      EXPECT_EQ(row[1], "");
      EXPECT_TRUE(closed[row[0]].contains(row[2]));
      continue;
    }
    const auto& all = open[row[0]];
    const auto entry = std::find_if(all.begin(), all.end(), [&](const Entry& e) {
      return money(e.spend) == row[4] && shops.at(e.key)[0] == row[2];
    });
    ASSERT_NE(entry, all.end()) << row[2];
    EXPECT_EQ(row[1], std::to_string(ahead(all, *entry) + 1));
    EXPECT_EQ(row[5], std::to_string(entry->orders.size()));
  }
}

TEST(Shipped, BestMonthsOfTheBestShops) {
  std::vector<Entry> shops;
  for (const auto& [key, entry] : totals(not_void, [](const Line& line) { return line.shop; })) shops.push_back(entry);
  const auto of_month = totals(not_void, [](const Line& line) { return line.shop + " " + line.day.substr(0, 7); });
  // place of the shop, its spend, then place, month and spend of the month
  std::multiset<Texts> expected;
  for (const Entry& shop : shops) {
    if (ahead(shops, shop) >= 10) continue;
    std::vector<Entry> months;
    for (const auto& [key, month] : of_month)
      if (key.starts_with(shop.key + " ")) months.push_back(month);
    for (const Entry& month : months)
      if (const std::size_t place = ahead(months, month) + 1; place <= 3)
        expected.insert({std::to_string(ahead(shops, shop) + 1), money(shop.spend), std::to_string(place),
                         month.key.substr(month.key.find(' ') + 1) + "-01", money(month.spend)});
  }
  std::multiset<Texts> found;
  for (const Texts& row : rows_of(answer("best_shops_months.ladder.toml")))
    found.insert({row[0], row[5], row[2], row[3], row[4]});
  EXPECT_EQ(found, expected);
}

// Every line with the average of its family, all lines of which count that are worth something and not void.
TEST(Shipped, LinesAgainstTheirFamilysAverage) {
  const auto products = reference("products.csv");
  std::map<std::string, std::pair<long, long>> family;  // pence, lines
  for (const Line& line : lines())
    if (line.price && line.status != "void" && line.quantity > 0 && *line.price > 0) {
      auto& [sum, count] = family[products.at(line.product)[1]];
      sum += line.quantity * *line.price;
      ++count;
    }
  const Standings s = answer("against_family.ladder.toml");
  EXPECT_GE(s.rows(), 2 * family.size());
  for (const Texts& row : rows_of(s)) {
    const auto& [sum, count] = family.at(row[0]);
    // Half to even, eight decimals.
    const long scaled = sum * 1'000'000, rest = scaled % count, quotient = scaled / count;
    const long mean = quotient + (2 * rest > count || (2 * rest == count && quotient % 2 != 0) ? 1 : 0);
    EXPECT_EQ(row[6], Decimal(mean, 8).text()) << row[0];
  }
}

// The days of three shops: what came before each, the best until then, and the sum so far.
TEST(Shipped, RunningSpend) {
  const auto shops = reference("shops.csv");
  const std::set<std::string> three = {"Twin Pantry", "Merry Barrow", "Winter Wren"};
  std::map<std::string, std::map<std::string, long>> days;  // shop -> day -> pence
  for (const Line& line : lines()) {
    const auto shop = shops.find(line.shop);
    if (shop == shops.end() || !three.contains(shop->second[0]) || line.status == "void") continue;
    days[shop->second[0]][line.day] += line.quantity * line.price.value_or(0);
  }
  std::vector<Texts> expected;
  for (const auto& [shop, of_shop] : days) {
    long so_far = 0, best = -1;
    std::string previous;
    std::size_t n = 0;
    for (const auto& [day, pence] : of_shop) {
      so_far += pence;
      if (++n > of_shop.size() - 4)
        expected.push_back({shop, day, previous, money(pence), best < 0 ? "" : money(best), money(so_far)});
      best = std::max(best, pence);
      previous = day;
    }
  }
  std::vector<Texts> found;
  for (const Texts& row : rows_of(answer("running_spend.ladder.toml")))
    found.push_back({row[0], row[1], row[2], row[4], row[5], row[6]});
  EXPECT_EQ(found, expected);
}

// By days: a day without rows is not there, and the first week is short.
TEST(Shipped, WeekAverage) {
  std::map<std::string, long> days;
  for (const Line& line : lines())
    if (line.status != "void" && line.day >= "2025-06-01" && line.day <= "2025-06-30")
      days[line.day] += line.quantity * line.price.value_or(0);
  const auto rows = rows_of(answer("week_average.ladder.toml"));
  ASSERT_EQ(rows.size(), days.size());
  for (const Texts& row : rows) {
    const std::int32_t last = Date::parse(row[0])->days;
    std::vector<long> week;
    for (const auto& [day, pence] : days)
      if (const std::int32_t at = Date::parse(day)->days; at <= last && at > last - 7) week.push_back(pence);
    std::sort(week.begin(), week.end());
    long sum = 0;
    for (const long pence : week) sum += pence;
    EXPECT_EQ(row[2], money(days.at(row[0])));
    EXPECT_EQ(row[4], std::to_string(week.size()));
    EXPECT_NEAR(number_in(row[3]), static_cast<double>(sum) / 100 / static_cast<double>(week.size()), 1e-7);
    EXPECT_NEAR(number_in(row[5]), static_cast<double>(week[(week.size() - 1) / 2] + week[week.size() / 2]) / 200,
                1e-7);
  }
}

// Each frame by its own words: lines before and with this one; all lines up to and with this day; those of seven days.
TEST(Shipped, ThreeFrames) {
  const auto shops = reference("shops.csv");
  std::vector<Line> mine;
  for (const Line& line : lines())
    if (const auto shop = shops.find(line.shop); shop != shops.end() && shop->second[0] == "Twin Pantry" && line.price)
      mine.push_back(line);
  std::stable_sort(mine.begin(), mine.end(), [](const Line& a, const Line& b) { return a.day < b.day; });
  const auto rows = rows_of(answer("three_frames.ladder.toml"));
  ASSERT_EQ(rows.size(), mine.size());
  for (std::size_t i = 0; i < mine.size(); ++i) {
    const std::int32_t today = Date::parse(mine[i].day)->days;
    long by_row = 0, with_peers = 0, by_week = 0;
    for (std::size_t k = 0; k < mine.size(); ++k) {
      const long pence = mine[k].quantity * *mine[k].price;
      const std::int32_t day = Date::parse(mine[k].day)->days;
      by_row += k <= i ? pence : 0;
      with_peers += day <= today ? pence : 0;
      by_week += day <= today && day >= today - 6 ? pence : 0;
    }
    EXPECT_EQ((Texts{rows[i][3], rows[i][4], rows[i][5]}), (Texts{money(by_row), money(with_peers), money(by_week)}));
  }
}

TEST(Shipped, RunningShare) {
  std::vector<Entry> list;
  for (const auto& [key, e] : totals(not_void, [](const Line& l) { return l.shop; })) list.push_back(e);
  long all = 0;
  for (const Entry& e : list) all += e.spend;
  const auto share = [&](long pence) { return static_cast<double>(pence) / static_cast<double>(all); };
  std::size_t expected = 0;
  for (const Entry& e : list) {
    long so_far = 0;
    for (const Entry& other : list) so_far += other.spend >= e.spend ? other.spend : 0;
    expected += share(so_far) - share(e.spend) < 0.1;
  }
  const auto rows = rows_of(answer("running_share.ladder.toml"));
  EXPECT_EQ(rows.size(), expected);
  for (const Texts& row : rows) {
    long so_far = 0, spend = std::lround(number_in(row[2]) * 100), next = 0;
    for (const Entry& other : list) so_far += other.spend >= spend ? other.spend : 0;
    for (const Entry& other : list) next += other.spend > spend;
    EXPECT_NEAR(number_in(row[5]), share(so_far), 1e-7);
    EXPECT_NEAR(number_in(row[4]), share(spend), 1e-7);
    EXPECT_EQ(row[0], std::to_string(next + 1));
  }
}

// Every route gives the same rows: file, value, options, saved and read again.
TEST(Shipped, EveryRouteGivesTheSameRows) {
  const support::Scratch scratch;
  const std::string lines_file = (support::demo() / "order_lines.csv").string(),
                    shops_file = (support::demo() / "shops.csv").string();
  const auto from_file = support::lofty({"rank", (support::demo() / "best_shops.ladder.toml").string(), "--to", "csv"});
  ASSERT_EQ(from_file.status, 0) << from_file.err;
  const std::string saved = (scratch.path() / "kept.ladder.toml").string();
  const auto from_options = support::lofty({"rank",          lines_file,
                                            "--join",        shops_file + " on shop_no",
                                            "--figure",      "amount=quantity * unit_price",
                                            "--where",       "status <> 'void' or status is null",
                                            "--total",       "spend=sum(amount)",
                                            "--total",       "orders=count(distinct order_no)",
                                            "--each",        "shop_no",
                                            "--by",          "spend desc",
                                            "--tiebreak",    "shop",
                                            "--best",        "10",
                                            "--columns",     "rank,shop,valley,spend,orders",
                                            "--to",          "csv",
                                            "--save-ladder", saved});
  ASSERT_EQ(from_options.status, 0) << from_options.err;
  EXPECT_EQ(from_options.out, from_file.out);
  EXPECT_EQ(support::lofty({"rank", saved, "--to", "csv"}).out, from_file.out);
  EXPECT_EQ(written(answer("best_shops.ladder.toml"), Format::csv), from_file.out);
}
