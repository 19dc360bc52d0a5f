// The kernels over plain arrays, each next to what an engineer would write or take instead: baseline and ratio in one
// run, as the table of docs/performance.md. Every answer is verified before it is timed.
//
//   kernels [ROWS] [RUNS] [PART]
//
// 10,000,000 and 5 when left out, and no fewer than 3,000,000 ROWS, so that each of 100,000 groups has three; with
// 10,000,000 growth is shown to 100,000,000. PART is one of order, shapes,
// keys, places, best, sums, windows, sharing, growth.
#include <hwy/contrib/sort/vqsort.h>
#include <malloc.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <boost/sort/block_indirect_sort/block_indirect_sort.hpp>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <numeric>
#include <random>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/access.hpp"
#include "formula/parser.hpp"
#include "lofty/lofty.hpp"
#include "order/codes.hpp"
#include "order/sort.hpp"
#include "table/table_data.hpp"
#include "window/binder.hpp"
#include "window/work.hpp"

namespace {

using Numbers = std::vector<std::int64_t>;
std::size_t runs = 5;

// A figure of /proc/self/status, in MiB; 0 where the system does not tell.
double status_mib(const std::string& name) {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with(name + ":")) return std::stod(line.substr(name.size() + 1)) / 1024;
  return 0;
}

// Of the last measurement:
double taken = 0;     // MiB at its peak, in addition to what was there before it
double shortest = 1;  // the time of its shortest call, as a share of the median

// Median seconds of `runs` calls; `prepare` is not timed.
double seconds(
    const std::function<void()>& work, const std::function<void()>& prepare = [] {}) {
  std::vector<double> all;
#ifdef __GLIBC__
  malloc_trim(0);  // what was given back is not there any more
#endif
  const double before = status_mib("VmRSS");
  std::ofstream("/proc/self/clear_refs") << "5";  // the peak is remembered from here on
  for (std::size_t i = 0; i < runs; ++i) {
    prepare();
    const auto start = std::chrono::steady_clock::now();
    work();
    all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  taken = std::max(0.0, status_mib("VmHWM") - before);
  std::sort(all.begin(), all.end());
  const double median = all[all.size() / 2];
  shortest = all.front() / median;
  return median;
}

void require(bool right, const std::string& what) {
  if (right) return;
  std::fprintf(stderr, "kernels: wrong answer: %s\n", what.c_str());
  std::exit(1);
}

void heading(const char* what) {
  std::printf("\n| %s | ns a row | at the least | ratio to it | MiB taken |\n|---|---|---|---|---|\n", what);
  std::fflush(stdout);
}

// Says what was measured last.
void row(const std::string& name, double nanoseconds, double own) {
  std::printf("| %s | %.1f | %.1f | %s | %.0f |\n", name.c_str(), nanoseconds, nanoseconds * shortest,
              own > 0 ? (std::to_string(nanoseconds / own).substr(0, 4) + "x").c_str() : "", taken);
  std::fflush(stdout);
}

Numbers numbers(std::size_t rows, int bits) {
  std::mt19937_64 random(42);
  Numbers out(rows);
  for (auto& one : out) one = static_cast<std::int64_t>(random() >> (64 - bits));
  return out;
}

void require_order(const lofty::Order& order, const Numbers& keys, const char* what) {
  const auto rows = order.rows();
  bool right = rows.size() == keys.size();
  for (std::size_t i = 1; i < rows.size() && right; ++i)
    right = keys[rows[i - 1]] < keys[rows[i]] || (keys[rows[i - 1]] == keys[rows[i]] && rows[i - 1] < rows[i]);
  require(right, what);
}

double order_ns(const Numbers& keys, const char* what) {
  require_order(lofty::order({lofty::ascending(keys)}), keys, what);
  return seconds([&] { lofty::order({lofty::ascending(keys)}); }) * 1e9 / static_cast<double>(keys.size());
}

void one_column(std::size_t rows) {
  const Numbers keys = numbers(rows, 30);
  const double per = 1e9 / static_cast<double>(rows);
  heading(("order " + std::to_string(rows) + " rows by one 30-bit column, encoding and permutation included").c_str());
  const double own = order_ns(keys, "order by one column");
  row("`lofty::order`, all threads", own, 0);
  const double alone = seconds([&] { lofty::order({lofty::ascending(keys)}, {}, {.threads = 1}); }) * per;
  row("`lofty::order`, one thread", alone, own);
  {
    const lofty::KeepMemory keep;
    row("`lofty::order`, all threads, in memory kept from call to call", order_ns(keys, "order in kept memory"), own);
  }
  std::vector<std::uint32_t> permutation(rows);
  const auto reset = [&] { std::iota(permutation.begin(), permutation.end(), 0u); };
  const std::size_t all_runs = std::exchange(runs, 1);
  row("`std::stable_sort` of row numbers with a comparator",
      per * seconds(
                [&] {
                  std::stable_sort(permutation.begin(), permutation.end(),
                                   [&](std::uint32_t a, std::uint32_t b) { return keys[a] < keys[b]; });
                },
                reset),
      own);
  runs = all_runs;
  using Pair = std::pair<std::int64_t, std::uint32_t>;
  std::vector<Pair> pairs(rows);
  const auto fill = [&] {
    for (std::uint32_t i = 0; i < rows; ++i) pairs[i] = {keys[i], i};
  };
  row("`std::sort` of ready (key, row) pairs", per * seconds([&] { std::sort(pairs.begin(), pairs.end()); }, fill),
      own);
  row("oneTBB `parallel_sort` of ready pairs",
      per * seconds([&] { tbb::parallel_sort(pairs.begin(), pairs.end()); }, fill), own);
  row("Boost `block_indirect_sort` of ready pairs",
      per * seconds([&] { boost::sort::block_indirect_sort(pairs.begin(), pairs.end()); }, fill), own);
  std::vector<std::uint64_t> bare(rows);
  const hwy::Sorter sorter;
  row("Highway's sort of bare 64-bit words, one thread",
      per * seconds([&] { sorter(bare.data(), bare.size(), hwy::SortAscending()); },
                    [&] { std::copy(keys.begin(), keys.end(), bare.begin()); }),
      own);
}

void shapes(std::size_t rows) {
  std::mt19937_64 random(7);
  const auto unit = [&] { return static_cast<double>(random() >> 11) * 0x1p-53; };
  const std::vector<std::pair<const char*, std::function<std::int64_t(std::size_t)>>> all = {
      {"uniform, 30 bits", [&](std::size_t) { return static_cast<std::int64_t>(random() >> 34); }},
      {"ten distinct values", [&](std::size_t) { return static_cast<std::int64_t>(random() % 10) * 100'000'000; }},
      {"1,000 distinct values", [&](std::size_t) { return static_cast<std::int64_t>(random() % 1000) * 1'000'000; }},
      {"sorted", [&](std::size_t i) { return static_cast<std::int64_t>(i) * 100; }},
      {"reversed", [&](std::size_t i) { return static_cast<std::int64_t>(rows - i) * 100; }},
      {"nearly sorted", [&](std::size_t i) { return static_cast<std::int64_t>(i * 100 + random() % 1000); }},
      {"skewed (exponential)", [&](std::size_t) { return static_cast<std::int64_t>(std::exp(unit() * 20.7)); }},
      {"all equal", [&](std::size_t) { return std::int64_t{7}; }}};
  heading(("order " + std::to_string(rows) + " rows of other shapes").c_str());
  double uniform = 0;
  for (const auto& [name, value] : all) {
    Numbers keys(rows);
    for (std::size_t i = 0; i < rows; ++i) keys[i] = value(i);
    const double own = order_ns(keys, name);
    row(name, own, uniform);
    if (uniform == 0) uniform = own;
  }
}

// A column as it is in memory after it was read: one text after the other.
struct TextColumn {
  explicit TextColumn(const std::vector<std::string_view>& texts) {
    std::size_t size = 0;
    for (const std::string_view text : texts) size += text.size();
    bytes.reserve(size);
    for (const std::string_view text : texts) {
      views.emplace_back(bytes.data() + bytes.size(), text.size());
      bytes += text;
    }
  }
  std::string bytes;
  std::vector<std::string_view> views;
};

void three_keys(std::size_t rows) {
  std::mt19937_64 random(3);
  std::vector<std::string> family_words, shop_words;
  for (int i = 0; i < 40; ++i) family_words.push_back("family " + std::to_string(random() % 1000));
  for (int i = 0; i < 10'000; ++i) shop_words.push_back("shop " + std::to_string(random() % 1'000'000));
  std::vector<std::string_view> family(rows), shop(rows);
  std::vector<std::int64_t> cents(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    family[i] = family_words[random() % family_words.size()];
    shop[i] = shop_words[random() % shop_words.size()];
    cents[i] = static_cast<std::int64_t>(random() % 100'000);
  }
  const double per = 1e9 / static_cast<double>(rows);
  heading("order by text, number descending, text");
  const lofty::KeyOptions plain{.text = lofty::TextOrder::code_point};
  const auto ours = [&] {
    return lofty::order({lofty::ascending(family, plain), lofty::descending(cents), lofty::ascending(shop, plain)});
  };
  const auto less = [&](std::uint32_t a, std::uint32_t b) {
    if (family[a] != family[b]) return family[a] < family[b];
    if (cents[a] != cents[b]) return cents[a] > cents[b];
    return shop[a] < shop[b];
  };
  const lofty::Order order = ours();
  bool right = true;
  for (std::size_t i = 1; i < rows && right; ++i) right = !less(order.rows()[i], order.rows()[i - 1]);
  require(right, "order by three keys");
  const double own = seconds([&] { ours(); }) * per;
  row("`lofty::order`, from arrays: dictionaries included", own, 0);
  const lofty::Table table =
      lofty::TableBuilder("t").column("family", family).column("cents", cents).column("shop", shop).build();
  const auto& columns = lofty::engine::Access::data(table).columns;
  const lofty::Run run;
  const auto sealed = [&] {
    lofty::engine::SortKeys keys;
    lofty::engine::encode(lofty::engine::ColumnKey{columns[0].get(), false, plain}, run, keys.by);
    lofty::engine::encode(lofty::engine::ColumnKey{columns[1].get(), true, {}}, run, keys.by);
    lofty::engine::encode(lofty::engine::ColumnKey{columns[2].get(), false, plain}, run, keys.by);
    return lofty::engine::make_order(rows, keys, run);
  };
  const lofty::Order same = sealed();
  require(std::ranges::equal(order.rows(), same.rows()), "order of sealed columns");
  row("the same from sealed columns, as a ladder has them", seconds([&] { sealed(); }) * per, own);
  const auto coding = [&](const std::string& name, const std::vector<std::string_view>& column) {
    const lofty::GroupNumbers numbers = lofty::number_groups(lofty::groups(column));
    for (std::size_t i = 0; i < rows; ++i) {
      const std::size_t first = numbers.first_rows[numbers.of_row[i]];
      require(first <= i && column[first] == column[i] && numbers.of_row[first] == numbers.of_row[i], name);
    }
    row(name, seconds([&] { lofty::number_groups(lofty::groups(column)); }) * per, own);
  };
  coding("dictionary-coding a text column, 10,000 distinct", TextColumn(shop).views);
  coding("the same, each text a view of one of the distinct ones", shop);
  std::vector<std::string> many_words;
  for (int i = 0; i < 1'000'000; ++i) many_words.push_back("customer " + std::to_string(i));
  std::vector<std::string_view> customer(rows);
  for (std::size_t i = 0; i < rows; ++i) customer[i] = many_words[random() % many_words.size()];
  coding("dictionary-coding a text column, 1,000,000 distinct", TextColumn(customer).views);
  coding("the same, each text a view of one of the distinct ones, all over memory", customer);
  std::vector<std::uint32_t> permutation(rows);
  std::iota(permutation.begin(), permutation.end(), 0u);
  const std::size_t all_runs = std::exchange(runs, 1);
  row("`std::stable_sort` with a three-key comparator",
      per * seconds([&] { std::stable_sort(permutation.begin(), permutation.end(), less); }), own);
  runs = all_runs;
}

void ranks(std::size_t rows) {
  const Numbers keys = numbers(rows, 22);  // with ties
  const lofty::Order order = lofty::order({lofty::descending(keys)});
  const double per = 1e9 / static_cast<double>(rows);
  std::vector<std::uint32_t> out(rows);
  lofty::places(order, lofty::Ties::competition, out);
  bool right = out[0] == 1;
  for (std::size_t i = 1; i < rows && right; ++i) right = out[i] == (order.starts_peers(i) ? i + 1 : out[i - 1]);
  require(right, "competition places");
  heading("places from an order");
  const double own = seconds([&] { lofty::places(order, lofty::Ties::competition, out); }) * per;
  row("one rule, into the caller's memory", own, 0);
  lofty::EveryPlace all;
  lofty::every_place(order, all);
  right = all.competition == out && all.fractional[rows - 1] >= out[rows - 1];
  require(right, "every place");
  std::vector<std::uint32_t> by_row(rows);
  lofty::places_by_row(order, lofty::Ties::competition, std::span(by_row));
  right = true;
  for (std::size_t i = 0; i < rows && right; ++i) right = by_row[order.rows()[i]] == out[i];
  require(right, "places by row");
  row("all five, into memory that is there", seconds([&] { lofty::every_place(order, all); }) * per, own);
  row("all five, into fresh memory", seconds([&] { lofty::every_place(order); }) * per, own);
  row("one rule, by input row",
      seconds([&] { lofty::places_by_row(order, lofty::Ties::competition, std::span(by_row)); }) * per, own);
  row("one rule, by input row, into fresh memory",
      seconds([&] { lofty::places_by_row(order, lofty::Ties::competition); }) * per, own);
}

void selection(std::size_t rows) {
  const std::size_t groups = 100'000;
  std::mt19937_64 random(5);
  std::vector<std::int32_t> group(rows);
  Numbers value(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    group[i] = static_cast<std::int32_t>(random() % groups);
    value[i] = static_cast<std::int64_t>(random() >> 34);
  }
  const double per = 1e9 / static_cast<double>(rows);
  heading("best 3 of each of 100,000 groups");
  std::vector<std::int64_t> best3(groups * 3);
  const double floor = per * seconds(
                                 [&] {
                                   for (std::size_t i = 0; i < rows; ++i) {
                                     std::int64_t* const b = best3.data() + static_cast<std::size_t>(group[i]) * 3;
                                     const std::int64_t v = value[i];
                                     if (v <= b[2]) continue;
                                     if (v > b[1]) {
                                       b[2] = b[1];
                                       if (v > b[0]) {
                                         b[1] = b[0];
                                         b[0] = v;
                                       } else {
                                         b[1] = v;
                                       }
                                     } else {
                                       b[2] = v;
                                     }
                                   }
                                 },
                                 [&] { std::fill(best3.begin(), best3.end(), -1); });
  row("the floor: plain arrays, values only", floor, 0);
  for (const lofty::Cut cut : {lofty::Cut::strict, lofty::Cut::with_ties}) {
    const auto ours = [&] { return lofty::best(lofty::groups(group), {lofty::descending(value)}, 3, cut); };
    const lofty::Selection chosen = ours();
    bool right = chosen.group_begin.size() == groups;
    for (std::size_t g = 0; g < chosen.group_begin.size() && right; ++g) {
      const std::size_t at = chosen.group_begin[g];
      for (std::size_t k = 0; k < 3 && right; ++k)
        right = value[chosen.rows[at + k]] == best3[static_cast<std::size_t>(group[chosen.rows[at]]) * 3 + k];
    }
    require(right, "best 3 of each group");
    row(cut == lofty::Cut::strict ? "`lofty::best`, strict: rows, in their order" : "`lofty::best`, with ties",
        seconds([&] { ours(); }) * per, floor);
  }
  const std::size_t all_runs = std::exchange(runs, 1);
  row("a full sort: `lofty::order` within groups",
      seconds([&] { lofty::order(lofty::groups(group), {lofty::descending(value)}); }) * per, floor);
  runs = all_runs;
}

void group_sums(std::size_t rows) {
  const std::size_t groups = 1'000'000;
  std::mt19937_64 random(6);
  std::vector<std::uint64_t> id(rows), ids(groups);
  for (auto& one : ids) one = random();
  std::vector<std::int32_t> code(rows);
  Numbers value(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    code[i] = static_cast<std::int32_t>(random() % groups);
    id[i] = ids[static_cast<std::size_t>(code[i])];
    value[i] = static_cast<std::int64_t>(random() % 100'000);
  }
  const double per = 1e9 / static_cast<double>(rows);
  heading("sum into 1,000,000 groups");
  Numbers plain(groups);
  const double floor = per * seconds(
                                 [&] {
                                   for (std::size_t i = 0; i < rows; ++i)
                                     plain[static_cast<std::size_t>(code[i])] += value[i];
                                 },
                                 [&] { std::fill(plain.begin(), plain.end(), 0); });
  row("the floor: a plain array by code", floor, 0);
  const lofty::GroupNumbers by_code = lofty::number_groups(lofty::groups(code));
  const auto total = lofty::sums(by_code, std::span<const std::int64_t>(value));
  bool right = true;
  for (std::size_t g = 0; g < by_code.size() && right; ++g)
    right = total[g] == lofty::Decimal(plain[static_cast<std::size_t>(code[by_code.first_rows[g]])], 0);
  require(right, "sums by group");
  row("`lofty::sums` over numbered groups",
      seconds([&] { lofty::sums(by_code, std::span<const std::int64_t>(value)); }) * per, floor);
  row("`lofty::number_groups` and `sums`, small codes",
      seconds([&] { lofty::sums(lofty::number_groups(lofty::groups(code)), std::span<const std::int64_t>(value)); }) *
          per,
      floor);
  row("`lofty::number_groups` and `sums`, 64-bit ids",
      seconds([&] { lofty::sums(lofty::number_groups(lofty::groups(id)), std::span<const std::int64_t>(value)); }) *
          per,
      floor);
  const std::size_t all_runs = std::exchange(runs, 1);
  row("`std::unordered_map` by 64-bit id", per * seconds([&] {
                                             std::unordered_map<std::uint64_t, std::int64_t> map;
                                             for (std::size_t i = 0; i < rows; ++i) map[id[i]] += value[i];
                                           }),
      floor);
  runs = all_runs;
}

void growth(std::size_t most) {
  heading("growth: order by one column");
  for (const int bits : {30, 45}) {
    double first = 0;
    for (const std::size_t rows : {std::size_t{1'000'000}, std::size_t{10'000'000}, std::size_t{100'000'000}}) {
      if (rows > most * 10) break;
      const std::size_t all_runs = std::exchange(runs, rows > 10'000'000 ? 3 : runs);
      const double own = order_ns(numbers(rows, bits), "growth");
      row(std::to_string(bits) + " bits, " + std::to_string(rows) + " rows", own, first);
      runs = all_runs;
      if (first == 0) first = own;
    }
  }
  const Numbers ten{5, 3, 9, 1, 7, 3, 8, 2, 6, 4};
  const double small = seconds([&] {
                         for (int i = 0; i < 100'000; ++i) lofty::order({lofty::ascending(ten)});
                       }) /
                       100'000;
  std::printf("\nAn array of ten: %.2f us.\n", small * 1e6);
}

}  // namespace

// A relation of whole numbers, for windows that are written as formulas.
struct Relation : lofty::engine::WindowRelation, lofty::engine::Scope {
  using NodePtr = lofty::engine::NodePtr;
  using Expression = lofty::engine::Expression;
  using Origin = std::shared_ptr<const lofty::engine::Origin>;
  std::vector<lofty::engine::ColumnPtr> columns;
  lofty::Run run;
  std::size_t rows() const override { return columns.front()->rows(); }
  lofty::engine::ColumnPtr column(const lofty::engine::Node& node) const override {
    return columns[static_cast<std::size_t>(node.column)];
  }
  void encode(const lofty::engine::Node&, const lofty::engine::Column& values, bool descending, lofty::Nulls nulls,
              lofty::engine::KeyList& out) const override {
    lofty::engine::encode(lofty::engine::ColumnKey{&values, descending, {.nulls = nulls}}, run, out);
  }
  void encode_tiebreak(lofty::engine::KeyList&) const override {}
  bool input_decides() const override { return false; }
  NodePtr name(const Expression& e, const Origin& origin) override {
    return lofty::engine::make_column(e.text[0] - 'a', {.kind = lofty::Kind::integer}, e, origin);
  }
  NodePtr aggregate(const Expression& e, const Origin& o) override { return lofty::engine::make_unknown(e, o); }
  NodePtr window(const Expression& e, const Origin& o) override { return lofty::engine::make_unknown(e, o); }
  NodePtr choice(const Expression& e, const Origin& o) override { return lofty::engine::make_unknown(e, o); }
};

// Twelve windows, four on each of three orderings of which none is a prefix of another; and planning twenty.
void shared_sorts(std::size_t rows) {
  using namespace lofty::engine;
  Relation relation;
  for (const int bits : {8, 20, 30, 16}) {
    Piece piece(lofty::Type{.kind = lofty::Kind::integer});
    for (const std::int64_t value : numbers(rows, bits)) piece.add_integer(value);
    relation.columns.push_back(Column::seal(std::move(piece)));
  }
  std::vector<std::unique_ptr<WindowCall>> calls;
  const auto add = [&](const std::string& text) {
    std::vector<lofty::Problem> problems;
    calls.push_back(
        bind_window(*parse_expression(text), relation, std::make_shared<Origin>(Origin{"", text}), {}, problems));
    require(problems.empty(), text);
  };
  const auto items = [&] {
    std::vector<WindowItem> out;
    for (const auto& call : calls) out.push_back({call.get(), {}, {}});
    return out;
  };
  for (const char* order : {"partition by a order by b", "partition by b order by c", "partition by a order by c"})
    for (const char* function : {"sum(d)", "count(*)", "max(d)", "rank()"})
      add(std::string(function) + " over (" + order + ")");
  const std::vector<SortStep> shared = plan_windows(items()), separate = separate_sorts(items());
  require(shared.size() == 3 && separate.size() == 12, "three sorts for twelve windows");
  const auto work = [&](const std::vector<SortStep>& plan) {
    std::vector<ColumnPtr> out(12);
    work_out(items(), plan, relation, relation.run,
             {[&](std::size_t item, ColumnPtr values, const WindowNotes&) { out[item] = std::move(values); }});
    return out;
  };
  const auto a = work(shared), b = work(separate);
  for (std::size_t w = 0; w < 12; ++w)
    for (std::size_t row = 0; row < rows; row += rows / 1000 + 1)
      require(a[w]->value(row) == b[w]->value(row), "windows on shared sorts");
  const double per = 1e9 / static_cast<double>(rows);
  heading("12 windows, four on each of 3 orderings");
  const auto one_by_one = [&] {
    std::vector<ColumnPtr> out(12);
    for (std::size_t w = 0; w < 12; ++w) {
      const std::vector<WindowItem> one{{calls[w].get(), {}, {}}};
      work_out(one, plan_windows(one), relation, relation.run,
               {[&](std::size_t, ColumnPtr values, const WindowNotes&) { out[w] = std::move(values); }});
    }
    return out;
  };
  const auto c = one_by_one();
  for (std::size_t w = 0; w < 12; ++w)
    for (std::size_t row = 0; row < rows; row += rows / 1000 + 1)
      require(a[w]->value(row) == c[w]->value(row), "windows one by one");
  row("asked one by one: 12 sorts", per * seconds([&] { one_by_one(); }), 0);
  const double apart = per * seconds([&] { work(separate); });
  row("asked at once, a sort for each: 12 sorts", apart, 0);
  row("asked at once, as they are planned: 3 sorts", per * seconds([&] { work(shared); }), apart);
  {
    const lofty::KeepMemory keep;
    const double kept = per * seconds([&] { work(separate); });
    row("12 sorts, in memory kept from call to call", kept, 0);
    row("3 sorts, in memory kept from call to call", per * seconds([&] { work(shared); }), kept);
  }
  for (int i = 0; calls.size() < 20; ++i)
    add(std::string("sum(d) over (partition by ") + "abc"[i % 3] + " order by d, " + "bca"[i % 3] +
        (i % 2 == 0 ? " desc)" : " rows 3 preceding)"));
  const std::vector<WindowItem> twenty = items();
  const double planning = seconds([&] {
    for (int i = 0; i < 100; ++i) plan_windows(twenty);
  });
  std::printf("\nPlanning 20 windows: %.3f ms.\n", planning * 1e3 / 100);
}

// Windows over one order: by width and by function.
void windows(std::size_t rows) {
  const double per = 1e9 / static_cast<double>(rows);
  const Numbers keys = numbers(rows, 30), values = numbers(rows, 16);
  const lofty::Order order = lofty::order({lofty::ascending(keys)});
  Numbers in_order(rows), running(rows);
  for (std::size_t i = 0; i < rows; ++i) in_order[i] = values[order.rows()[i]];
  const auto expected_sum = [&](std::size_t at, std::size_t width) {
    std::int64_t sum = 0;
    for (std::size_t i = at + 1 >= width ? at + 1 - width : 0; i <= at; ++i) sum += in_order[i];
    return sum;
  };
  const lofty::Frame from_start{lofty::FrameUnit::rows, lofty::unbounded_preceding(), lofty::current_row(), {}, {}};
  heading("running sum");
  lofty::running_sums(order, in_order, running);
  require(running.back() == std::accumulate(values.begin(), values.end(), std::int64_t{0}), "running sum");
  const double own = per * seconds([&] { lofty::running_sums(order, in_order, running); });
  row("values in order, into memory that is there", own, 0);
  require(lofty::frame_sums(order, from_start, values).values == running, "running sum, gathered");
  Numbers sums_out(rows);
  std::vector<std::uint8_t> nulls_out(rows);
  std::vector<std::uint32_t> rows_out(rows);
  Numbers back(rows);
  row("values gathered, into memory that is there",
      per * seconds([&] { lofty::frame_sums(order, from_start, values, {}, sums_out, nulls_out); }), own);
  require(sums_out == running, "running sum, into memory that is there");
  row("values gathered, into fresh memory", per * seconds([&] { lofty::frame_sums(order, from_start, values); }), own);
  row("values gathered, back by input row", per * seconds([&] {
                                              lofty::frame_sums(order, from_start, values, {}, sums_out, nulls_out);
                                              lofty::by_input_row<std::int64_t>(order, sums_out, back);
                                            }),
      own);

  std::vector<double> floats(values.begin(), values.end());
  for (const auto& [name, work] :
       {std::pair<const char*, std::function<void(const lofty::Frame&)>>{
            "sum", [&](const lofty::Frame& f) { lofty::frame_sums(order, f, values, {}, sums_out, nulls_out); }},
        {"sum of doubles, exact", [&](const lofty::Frame& f) { lofty::frame_sums(order, f, floats); }},
        {"least", [&](const lofty::Frame& f) { lofty::frame_least(order, f, lofty::ascending(values), rows_out); }},
        {"greatest",
         [&](const lofty::Frame& f) { lofty::frame_greatest(order, f, lofty::ascending(values), rows_out); }},
        {"median", [&](const lofty::Frame& f) { lofty::frame_percentiles(order, f, floats, lofty::Decimal(5, 1)); }},
        {"distinct count",
         [&](const lofty::Frame& f) { lofty::frame_distinct_counts(order, f, lofty::ascending(values)); }}}) {
    heading((std::string(name) + " over the last so many rows, by width").c_str());
    double narrow = 0;
    for (const std::int64_t width : {10, 1000, 1'000'000}) {
      const lofty::Frame frame = lofty::last_rows(width);
      if (std::string(name) == "sum") {
        const auto sums = lofty::frame_sums(order, frame, values);
        for (std::size_t at = 0; at < rows; at += rows / 7 + 1)
          require(sums.values[at] == expected_sum(at, static_cast<std::size_t>(width)), "sum over a frame");
      }
      const auto& one = work;  // clang 14 captures no structured binding
      const double ns = per * seconds([&] { one(frame); });
      row(std::to_string(width) + " rows", ns, narrow);
      if (narrow == 0) narrow = ns;
    }
  }
}

int main(int argc, char** argv) {
  const std::size_t rows = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10'000'000;
  if (argc > 2) runs = std::strtoull(argv[2], nullptr, 10);
  if (rows == 0 || runs == 0) return 2;
  const std::string only = argc > 3 ? argv[3] : "";
  const std::pair<const char*, void (*)(std::size_t)> parts[] = {
      {"order", one_column}, {"shapes", shapes},   {"keys", three_keys},      {"places", ranks},  {"best", selection},
      {"sums", group_sums},  {"windows", windows}, {"sharing", shared_sorts}, {"growth", growth},
  };
  for (const auto& [name, part] : parts)
    if (only.empty() || only == name) part(rows);
  return 0;
}
