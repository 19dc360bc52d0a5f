// Windows through the front door: formulas with `over`, against the standard's definition.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>
#include <set>

#include "support/plain_window.hpp"
#include "support/tables.hpp"

using namespace lofty;
using plain::Values;
using support::column;
using support::money;
using support::null;
using support::number;
using support::problems;
using support::says;

namespace {

// ---- a window function as text, and what it gives by definition

struct Asked {
  std::string text;
  Values expected;
};

struct Table {
  std::size_t rows = 0;
  std::map<std::string, Values> columns;
};

Decimal exact(const Value& value) { return std::get<Decimal>(value); }

// Half to even, six decimals more.
Value divided(const Decimal& sum, long count) {
  const int128 scaled = sum.coefficient() * 1'000'000;
  int128 quotient = scaled / count, rest = scaled % count;
  if (rest < 0) rest = -rest;
  if (2 * rest > count || (2 * rest == count && quotient % 2 != 0)) quotient += scaled < 0 ? -1 : 1;
  return Decimal(quotient, sum.scale() + 6);
}

Values known(const Values& values, const std::vector<std::size_t>& rows) {
  Values out;
  for (const std::size_t row : rows)
    if (!is_null(values[row])) out.push_back(values[row]);
  return out;
}

Value aggregate(const std::string& name, const Values& values) {  // of values that are not null
  if (name == "count") return number(static_cast<long>(values.size()));
  if (name == "distinct") {
    Values distinct;
    for (const Value& value : values)
      if (std::find(distinct.begin(), distinct.end(), value) == distinct.end()) distinct.push_back(value);
    return number(static_cast<long>(distinct.size()));
  }
  if (values.empty()) return null();
  Values sorted = values;
  std::stable_sort(sorted.begin(), sorted.end());
  if (name == "min") return sorted.front();
  if (name == "max") return sorted.back();
  if (name == "disc") {  // percentile_disc(0.3): the first whose share of the values reaches it
    std::size_t k = 1;
    while (10 * k < 3 * sorted.size()) ++k;
    return sorted[k - 1];
  }
  if (name == "median") {
    const Decimal low = exact(sorted[(sorted.size() - 1) / 2]), high = exact(sorted[sorted.size() / 2]);
    return divided(Decimal(low.coefficient() + high.coefficient(), low.scale()), 2);
  }
  Decimal sum(0, exact(values.front()).scale());
  for (const Value& value : values) sum = *add(sum, exact(value));
  return name == "sum" ? Value(sum) : divided(sum, static_cast<long>(values.size()));
}

std::string bound_text(const std::optional<long>& bound, bool from, const std::string& unit) {
  if (!bound) return from ? "unbounded preceding" : "unbounded following";
  if (*bound == 0) return "current row";
  const std::string distance = std::to_string(std::abs(*bound));
  return (unit.empty() ? distance : "interval '" + distance + "' " + unit) + (*bound < 0 ? " preceding" : " following");
}

rc::Gen<Table> tables() {
  return rc::gen::exec([] {
    Table table;
    table.rows = static_cast<std::size_t>(*rc::gen::inRange(0, 14));
    const auto fill = [&](const std::string& name, const auto& value, int blank) {
      Values values;
      for (std::size_t i = 0; i < table.rows; ++i)
        values.push_back(*rc::gen::inRange(0, 10) < blank ? null() : value());
      table.columns[name] = values;
    };
    fill(
        "g", [] { return number(*rc::gen::inRange(1, 4)); }, 2);
    fill(
        "h", [] { return Value(std::string(1, "ab"[*rc::gen::inRange(0, 2)])); }, 1);
    fill(
        "k", [] { return number(*rc::gen::inRange(-3, 5)); }, 2);
    fill(
        "day", [] { return Value(Date{20000 + *rc::gen::inRange(0, 9)}); }, 1);
    fill(
        "x", [] { return Value(Decimal(*rc::gen::inRange(-300, 300), 2)); }, 2);
    fill(
        "t", [] { return Value(std::string(1, "uvw"[*rc::gen::inRange(0, 3)])); }, 2);
    // Without these a column of nothing but blanks would have no type.
    return table;
  });
}

Asked generate(const Table& table) {
  plain::Window window;
  std::string over;
  for (const char* name : {"g", "h"})
    if (*rc::gen::inRange(0, 2) == 0) {
      window.partition.push_back(table.columns.at(name));
      over += (over.empty() ? "partition by " : ", ") + std::string(name);
    }
  const int keys = *rc::gen::inRange(0, 3);
  std::vector<std::string> names =
      *rc::gen::elementOf(std::vector<std::vector<std::string>>{{"k", "day"}, {"day", "k"}, {"k", "t"}, {"t", "x"}});
  for (int i = 0; i < keys; ++i) {
    const bool descending = *rc::gen::arbitrary<bool>(), first = *rc::gen::inRange(0, 4) == 0;
    window.order.push_back({table.columns.at(names[static_cast<std::size_t>(i)]), descending, first});
    over += (i > 0          ? ", "
             : over.empty() ? "order by "
                            : " order by ") +
            names[static_cast<std::size_t>(i)] + (descending ? " desc" : "") + (first ? " nulls first" : "");
  }
  if (keys == 0) window.to = std::nullopt;  // without an order all rows are peers
  std::string call;
  const auto numbered = *rc::gen::elementOf(std::vector<std::string>{
      "row_number", "rank", "dense_rank", "percent_rank", "cume_dist", "ntile", "lag", "lead", "", "", "", "", ""});
  Asked asked;
  const std::size_t rows = table.rows;
  if (!numbered.empty() && keys > 0) {
    const int n = *rc::gen::inRange(1, 4);
    const bool ignore = *rc::gen::arbitrary<bool>(), otherwise = *rc::gen::arbitrary<bool>();
    const Values& x = table.columns.at("x");
    for (std::size_t row = 0; row < rows; ++row) {
      const std::vector<std::size_t> all = plain::partition_of(window, rows, row);
      const auto at = static_cast<long>(std::find(all.begin(), all.end(), row) - all.begin());
      const auto size = static_cast<long>(all.size());
      long before = 0, with = 0, dense = 1;
      for (long i = 0; i < size; ++i) {
        const bool same = plain::peers(window, row, all[static_cast<std::size_t>(i)]);
        before += i < at && !same;
        with += i < at || same;
        dense += i > 0 && i <= at &&
                 !plain::peers(window, all[static_cast<std::size_t>(i)], all[static_cast<std::size_t>(i - 1)]);
      }
      if (numbered == "row_number") asked.expected.push_back(number(at + 1));
      if (numbered == "rank") asked.expected.push_back(number(before + 1));
      if (numbered == "dense_rank") asked.expected.push_back(number(dense));
      if (numbered == "percent_rank")
        asked.expected.push_back(size == 1 ? Value(Decimal(0, 6)) : divided(Decimal(before, 0), size - 1));
      if (numbered == "cume_dist") asked.expected.push_back(divided(Decimal(with, 0), size));
      if (numbered == "ntile") {
        long tile = 1, left = at;
        for (long length = 0;; ++tile) {
          length = size / n + (tile <= size % n ? 1 : 0);
          if (left < length) break;
          left -= length;
        }
        asked.expected.push_back(number(tile));
      }
      if (numbered == "lag" || numbered == "lead") {
        const long step = numbered == "lag" ? -1 : 1;
        long left = n, i = at;
        while (left > 0) {
          i += step;
          if (i < 0 || i >= size) break;
          left -= !ignore || !is_null(x[all[static_cast<std::size_t>(i)]]);
        }
        const bool found = i >= 0 && i < size;
        asked.expected.push_back(found       ? x[all[static_cast<std::size_t>(i)]]
                                 : otherwise ? Value(Decimal(99900, 2))
                                             : null());
      }
    }
    call =
        numbered == "ntile" ? "ntile(" + std::to_string(n) + ")"
        : numbered == "lag" || numbered == "lead"
            ? numbered + "(x, " + std::to_string(n) + (otherwise ? ", 999.00)" : ")") + (ignore ? " ignore nulls" : "")
            : numbered + "()";
    asked.text = call + " over (" + over + ")";
    return asked;
  }
  // A frame, or the one that the standard takes where none is written.
  if (*rc::gen::inRange(0, 4) > 0) {
    window.unit = *rc::gen::elementOf(std::vector<plain::Window::Unit>{
        plain::Window::Unit::rows, plain::Window::Unit::range, plain::Window::Unit::groups});
    const bool measured = keys == 1 && names[0] != "t";
    if (window.unit == plain::Window::Unit::groups && keys == 0) window.unit = plain::Window::Unit::rows;
    const auto distance = [&]() -> std::optional<long> {
      const int kind = *rc::gen::inRange(0, 4);
      if (kind == 0) return std::nullopt;
      if (kind == 1 || (window.unit == plain::Window::Unit::range && !measured)) return 0;
      return *rc::gen::inRange(-4, 5);
    };
    window.from = distance();
    window.to = distance();
    if (window.from && window.to && *window.from > *window.to) std::swap(window.from, window.to);
    window.excluded = *rc::gen::elementOf(std::vector<Excluded>{
        Excluded::no_others, Excluded::no_others, Excluded::current_row, Excluded::group, Excluded::ties});
    const std::string unit = window.unit == plain::Window::Unit::range && measured && names[0] == "day" ? "day" : "";
    static const char* const words[] = {"", " exclude current row", " exclude group", " exclude ties"};
    over += std::string(over.empty() ? "" : " ") +
            (window.unit == plain::Window::Unit::rows    ? "rows"
             : window.unit == plain::Window::Unit::range ? "range"
                                                         : "groups") +
            " between " + bound_text(window.from, true, unit) + " and " + bound_text(window.to, false, unit) +
            words[static_cast<int>(window.excluded)];
  }
  const auto function = *rc::gen::elementOf(std::vector<std::string>{
      "sum", "count", "avg", "min", "max", "median", "disc", "distinct", "rows", "first", "last", "nth", "maxt"});
  const bool filtered = *rc::gen::inRange(0, 4) == 0, ignore = *rc::gen::arbitrary<bool>(),
             from_last = *rc::gen::arbitrary<bool>();
  const Values &x = table.columns.at("x"), &t = table.columns.at("t");
  for (std::size_t row = 0; row < rows; ++row) {
    std::vector<std::size_t> frame = plain::frame_of(window, rows, row);
    if (function == "first" || function == "last" || function == "nth") {
      if (ignore) std::erase_if(frame, [&](std::size_t other) { return is_null(t[other]); });
      if (function == "last" || (function == "nth" && from_last)) std::reverse(frame.begin(), frame.end());
      const std::size_t n = function == "nth" ? 2 : 1;
      asked.expected.push_back(frame.size() < n ? null() : t[frame[n - 1]]);
      continue;
    }
    if (filtered)
      std::erase_if(frame, [&](std::size_t other) { return is_null(x[other]) || x[other] < money("0.50"); });
    if (function == "rows")
      asked.expected.push_back(number(static_cast<long>(frame.size())));
    else
      asked.expected.push_back(
          aggregate(function == "maxt" ? "max" : function, known(function == "maxt" ? t : x, frame)));
  }
  const std::string nulls = ignore ? " ignore nulls" : "";
  call = function == "rows"       ? "count(*)"
         : function == "distinct" ? "count(distinct x)"
         : function == "disc"     ? "percentile_disc(0.3) within group (order by x)"
         : function == "maxt"     ? "max(t)"
         : function == "first"    ? "first_value(t)" + nulls
         : function == "last"     ? "last_value(t)" + nulls
         : function == "nth"      ? "nth_value(t, 2)" + std::string(from_last ? " from last" : "") + nulls
                                  : function + "(x)";
  const bool picks = function == "first" || function == "last" || function == "nth";
  asked.text = call + (filtered && !picks ? " filter (where x >= 0.5)" : "") + " over (" + over + ")";
  return asked;
}

Catalog catalog_of(const Table& table) {
  Catalog catalog;
  // One more row, which no ladder below counts, gives every column its type.
  std::vector<std::pair<std::string, Values>> columns;
  const std::map<std::string, Value> typed = {{"g", number(1)},     {"h", Value(std::string("a"))},
                                              {"k", number(1)},     {"day", Value(Date{20000})},
                                              {"x", money("1.00")}, {"t", Value(std::string("u"))}};
  Values counts(table.rows, number(1));
  counts.push_back(number(0));
  columns.emplace_back("counts", counts);
  for (const auto& [name, values] : table.columns) {
    Values all = values;
    all.push_back(typed.at(name));
    columns.emplace_back(name, all);
  }
  support::add(catalog, "t", columns);
  return catalog;
}

std::string text_of(const Value& value) { return is_null(value) ? "" : to_text(value); }

std::vector<std::string> texts(const Values& values) {
  std::vector<std::string> out;
  for (const Value& value : values) out.push_back(text_of(value));
  return out;
}

// Several windows at once, so that they share sorts as far as they may.
RC_GTEST_PROP(Windows, AreWhatTheStandardSays, ()) {
  const Table table = *tables();
  const Catalog catalog = catalog_of(table);
  Ladder ladder{.data = {.from = "t"}, .where = "counts = 1"};
  std::vector<Asked> asked;
  const int count = *rc::gen::inRange(1, 6);
  for (int i = 0; i < count; ++i) {
    asked.push_back(generate(table));
    ladder.figures.push_back({"w" + std::to_string(i), asked.back().text});
    ladder.list.columns.push_back("w" + std::to_string(i));
  }
  RC_LOG() << ladder_text(ladder);
  for (const auto& [name, values] : table.columns)
    for (const Value& value : values) RC_LOG() << name << " " << text_of(value) << "\n";
  try {
    const Standings answer = standings(ladder, catalog);
    for (std::size_t i = 0; i < asked.size(); ++i)
      RC_ASSERT(column(answer, "w" + std::to_string(i)) == texts(asked[i].expected));
    // The same over entries, where every row is one.
    Ladder entries{.data = {.from = "t"}, .where = "counts = 1", .levels = {{.windows = ladder.figures}}};
    entries.list.columns = ladder.list.columns;
    const Standings over_entries = standings(entries, catalog);
    for (std::size_t i = 0; i < asked.size(); ++i)
      RC_ASSERT(column(over_entries, "w" + std::to_string(i)) == texts(asked[i].expected));
  } catch (const Error& error) {
    RC_FAIL(error.what());
  }
}

}  // namespace

namespace {

// Five lines of two shops; two of one day.
Catalog few_lines() {
  Catalog catalog;
  const auto day = [](int n) { return Value(Date{20000 + n}); };
  support::add(catalog, "lines",
               {{"line", {number(1), number(2), number(3), number(4), number(5)}},
                {"shop", {number(1), number(1), number(1), number(2), number(2)}},
                {"day", {day(1), day(2), day(2), day(1), day(9)}},
                {"amount", {money("1.00"), money("2.00"), money("3.00"), money("10.00"), null()}}});
  return catalog;
}

using Texts = std::vector<std::string>;

Texts windowed(const std::string& formula) {
  const Ladder ladder{.data = {.from = "lines"}, .figures = {{"w", formula}}, .list = {.columns = {"w"}}};
  return column(standings(ladder, few_lines()), "w");
}

// 4. `overall_max(x)` is one constant for the whole ladder, also inside a window.
TEST(WindowsOverRows, OverallConstantsStayConstants) {
  EXPECT_EQ(windowed("count(*) filter (where day = overall_max(day)) over ()"), (Texts{"1", "1", "1", "1", "1"}));
}

// 5. Entry windows see all entries left by `having`; totals inside them are the entries'.
TEST(WindowsOverEntries, SeeWhatHavingLetThrough) {
  Ladder ladder{.data = {.from = "lines"},
                .totals = {{"spend", "sum(amount)"}, {"lines", "count(*)"}},
                .levels = {{.each = {"line"},
                            .by = "spend desc",
                            .having = "spend < 5",
                            .windows = {{"part", "spend / sum(spend) over ()"},
                                        {"lead_by", "spend - lead(spend) over (order by spend desc)"},
                                        {"all_lines", "sum(count(*)) over ()"}}}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "part"), (Texts{"0.50000000", "0.33333333", "0.16666667"}));
  EXPECT_EQ(column(answer, "lead_by"), (Texts{"1.00", "1.00", ""}));
  EXPECT_EQ(column(answer, "all_lines"), (Texts{"3", "3", "3"}));
}

// 5. `keep.where` may use ranks, windows and totals, and a window over places.
TEST(WindowsOverEntries, ConditionsOnWhoIsKeptMaySeePlaces) {
  Ladder ladder{.data = {.from = "lines"},
                .totals = {{"spend", "sum(amount)"}},
                .levels = {{.each = {"line"}, .by = "spend desc", .where = "lead(rank) over (order by rank) = 3"}}};
  EXPECT_EQ(column(standings(ladder, few_lines()), "line"), (Texts{"3"}));
  ladder.levels[0].where = "spend = max(spend) over ()";
  EXPECT_EQ(column(standings(ladder, few_lines()), "line"), (Texts{"4"}));
}

// A window value may be ranked by, be eligible, and be listed by; windows may see other windows' values.
TEST(WindowsOverEntries, AreValuesLikeOthers) {
  Ladder ladder{.data = {.from = "lines"},
                .totals = {{"spend", "sum(amount)"}},
                .levels = {{.each = {"shop", "line"},
                            .by = "part desc",
                            .eligible = "place_in_shop < 3",
                            .windows = {{"part", "spend / sum(spend) over (partition by shop)"},
                                        {"place_in_shop", "rank() over (partition by shop order by part desc)"}}}},
                .list = {.order = "part desc nulls first, line", .columns = {"line", "rank", "place_in_shop"}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "line"), (Texts{"5", "4", "3", "2", "1"}));
  EXPECT_EQ(column(answer, "rank"), (Texts{"", "1", "2", "3", ""}));
  EXPECT_EQ(column(answer, "place_in_shop"), (Texts{"2", "1", "1", "2", "3"}));
}

// Entries that tie go by their own key: shuffled rows give the same values.
TEST(WindowsOverEntries, TiesGoByTheEntrysKeyWhateverTheRowsOrder) {
  for (const bool turned : {false, true}) {
    Catalog catalog;
    Values keys{number(1), number(2), number(3)}, values{number(5), number(5), number(7)};
    if (turned) {
      std::reverse(keys.begin(), keys.end());
      std::reverse(values.begin(), values.end());
    }
    support::add(catalog, "t", {{"k", keys}, {"v", values}});
    Ladder ladder{.data = {.from = "t"},
                  .totals = {{"s", "sum(v)"}},
                  .levels = {{.each = {"k"}, .by = "k asc", .windows = {{"n", "row_number() over (order by s)"}}}}};
    EXPECT_EQ(column(standings(ladder, catalog), "n"), (Texts{"1", "2", "3"})) << turned;
  }
}

// 36. The frame without one written: the whole partition without `order by`, else up to the row and its peers.
TEST(Frames, TheOneThatNobodyWrote) {
  EXPECT_EQ(windowed("sum(amount) over (partition by shop)"), (Texts{"6.00", "6.00", "6.00", "10.00", "10.00"}));
  EXPECT_EQ(windowed("sum(amount) over (partition by shop order by day)"),
            (Texts{"1.00", "6.00", "6.00", "10.00", "10.00"}));
  EXPECT_EQ(windowed("sum(amount) over (partition by shop order by day rows unbounded preceding)"),
            (Texts{"1.00", "3.00", "6.00", "10.00", "10.00"}));
}

// 36. When that default made several rows share one running value, the remark says so; else that it runs at all.
TEST(Frames, ARunningValueIsSaid) {
  const auto remarks = [](const std::string& formula) {
    const Ladder ladder{.data = {.from = "lines"}, .figures = {{"w", formula}}, .list = {.columns = {"w"}}};
    return standings(ladder, few_lines());
  };
  EXPECT_TRUE(says(remarks("sum(amount) over (partition by shop order by day)"), "peers-share",
                   "2 lines share one value with their peers (up to 2 at a time)"));
  EXPECT_TRUE(says(remarks("sum(amount) over (order by line)"), "running-not-total", "runs: from the first one"));
  for (const char* quiet :
       {"sum(amount) over (partition by shop)", "rank() over (order by day)",
        "sum(amount) over (order by day range unbounded preceding)", "first_value(amount) over (order by day)"}) {
    const Standings answer = remarks(quiet);
    EXPECT_FALSE(says(answer, "peers-share") || says(answer, "running-not-total")) << quiet;
  }
  EXPECT_TRUE(says(remarks("last_value(amount) over (order by day)"), "peers-share"));
}

// 36. First frames shorter than asked are computed, and counted.
TEST(Frames, ShortFirstFramesAreCounted) {
  const Ladder ladder{.data = {.from = "lines"},
                      .figures = {{"w", "sum(amount) over (partition by shop order by line rows 1 preceding)"}},
                      .list = {.columns = {"w"}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "w"), (Texts{"1.00", "3.00", "5.00", "10.00", "10.00"}));
  EXPECT_TRUE(says(answer, "short-frames", "of 2 lines the frame of"));
}

// 37. `range` over dates takes intervals and exactly one order key; a rows frame over days that are missing or doubled
// raises a remark.
TEST(Frames, RangesOverDatesTakeIntervals) {
  EXPECT_EQ(windowed("sum(amount) over (order by day range between interval '1' day preceding and current row)"),
            (Texts{"11.00", "16.00", "16.00", "11.00", ""}));
}

TEST(Frames, RowsOverDaysAreSaid) {
  const Ladder ladder{.data = {.from = "lines"},
                      .figures = {{"w", "sum(amount) over (order by day rows 6 preceding)"}},
                      .list = {.columns = {"w"}}};
  EXPECT_TRUE(says(standings(ladder, few_lines()), "rows-over-days",
                   "along `day` 6 days are missing and 2 days occur more than once"));
}

// 38. median, percentiles and distinct are also allowed over frames; ntile as ISO, and a remark names tiers whose
// border splits a tie.
TEST(Frames, MedianAndDistinctAreAllowedOverFrames) {
  EXPECT_EQ(windowed("median(amount) over (partition by shop)"),
            (Texts{"2.00000000", "2.00000000", "2.00000000", "10.00000000", "10.00000000"}));
  EXPECT_EQ(windowed("percentile_cont(0.25) within group (order by amount) over (partition by shop)")[0], "1.50000000");
  EXPECT_EQ(windowed("percentile_disc(0.25) within group (order by amount desc) over (partition by shop)")[0], "3.00");
  EXPECT_EQ(windowed("count(distinct day) over (partition by shop)"), (Texts{"2", "2", "2", "2", "2"}));
}

TEST(Tiers, SplitTiesAreNamed) {
  Ladder ladder{
      .data = {.from = "lines"}, .figures = {{"w", "ntile(2) over (order by shop)"}}, .list = {.columns = {"w"}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "w"), (Texts{"1", "1", "1", "2", "2"}));
  EXPECT_FALSE(says(answer, "tiers-split"));
  ladder.figures[0].formula = "ntile(4) over (order by shop)";
  EXPECT_TRUE(says(standings(ladder, few_lines()), "tiers-split", "a tie is split between tiers 1|2 and 3|4"));
  Ladder also{.data = {.from = "lines"}, .levels = {{.by = "shop asc"}}};
  also.levels[0].also.push_back({.name = "tier", .measure = Measure::tiers, .count = 5});
  EXPECT_TRUE(
      says(standings(also, few_lines()), "tiers-split", "in `tier` a tie is split between tiers 1|2, 2|3 and 4|5"));
}

// Windows by name, and what may be built on them.
TEST(NamedWindows, AreInheritedAsTheStandardSays) {
  Ladder ladder{.data = {.from = "lines"},
                .figures = {{"w", "sum(amount) over by_day"}, {"v", "sum(amount) over (of_shop order by line desc)"}},
                .named_windows = {{"of_shop", "partition by shop"}, {"by_day", "of_shop order by day"}},
                .list = {.columns = {"w", "v"}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "w"), (Texts{"1.00", "6.00", "6.00", "10.00", "10.00"}));
  EXPECT_EQ(column(answer, "v"), (Texts{"6.00", "5.00", "3.00", "10.00", ""}));
  const std::pair<const char*, const char*> wrong[] = {
      {"sum(amount) over (by_day partition by line)", "`by_day` already has a partition"},
      {"sum(amount) over (by_day order by line)", "`by_day` has an order already"},
      {"sum(amount) over by_da", "no window is called `by_da`"},
      {"sum(amount) over (framed rows 1 preceding)", "`framed` has a frame, so nothing can build on it"},
      {"sum(amount) over self", "the window `self` builds on itself"}};
  ladder.named_windows.push_back({"framed", "order by day rows 2 preceding"});
  ladder.named_windows.push_back({"self", "self order by day"});
  for (const auto& [formula, part] : wrong) {
    const char* const sentence = part;
    ladder.figures = {{"w", formula}};
    ladder.list.columns = {"w"};
    const Texts found = problems(ladder, few_lines());
    EXPECT_TRUE(std::any_of(found.begin(), found.end(),
                            [&](const std::string& p) { return p.find(sentence) != std::string::npos; }))
        << formula << (found.empty() ? "" : found[0]);
  }
}

// 1. A window of a later stage is an error that names both.
TEST(WindowStages, WhatComesTooEarlyIsSaid) {
  const auto first = [](Ladder ladder) {
    ladder.data.from = "lines";
    const Texts found = problems(ladder, few_lines());
    return found.empty() ? std::string("nothing") : found[0];
  };
  const auto has = [](const std::string& text, const char* part) { return text.find(part) != std::string::npos; };
  EXPECT_TRUE(has(first({.figures = {{"w", "count(*) over ()"}}, .where = "w > 1"}), "too late for rows.where"));
  EXPECT_TRUE(has(first({.where = "count(*) over () > 1"}), "too late for rows.where"));
  EXPECT_TRUE(
      has(first({.totals = {{"t", "sum(amount) over ()"}}, .levels = {{.each = {"shop"}}}}), "too late for totals"));
  EXPECT_TRUE(has(first({.levels = {{.each = {"shop"}, .having = "w > 1", .windows = {{"w", "count(*) over ()"}}}}}),
                  "too late for rank.having"));
  EXPECT_TRUE(has(first({.figures = {{"w", "sum(lag(amount) over (order by line)) over ()"}}}),
                  "a window is not allowed inside another one"));
  EXPECT_TRUE(has(first({.levels = {{.each = {"shop"}, .windows = {{"w", "w + 1"}}}}}), "needs itself"));
  EXPECT_TRUE(has(first({.levels = {{.each = {"shop"}, .windows = {{"amount", "1"}}}}}), "has the name of something"));
  // A figure that sees another figure's window is fine: the inner one has its own name.
  EXPECT_EQ(first({.figures = {{"before", "lag(amount) over (order by line)"}, {"w", "sum(before) over ()"}}}),
            "nothing");
  // So is a total over it.
  Ladder total{.data = {.from = "lines"},
               .figures = {{"before", "lag(amount) over (partition by shop order by line)"}},
               .totals = {{"sum_before", "sum(before)"}},
               .levels = {{.each = {"shop"}}}};
  EXPECT_EQ(column(standings(total, few_lines()), "sum_before"), (Texts{"3.00", "10.00"}));
}

// What is wrong with a call is said where it is, with what would be right.
TEST(WindowCalls, MistakesAreExplained) {
  const std::pair<const char*, const char*> cases[] = {
      {"lag(amount)", "`lag` goes with a window"},
      {"lag(amount) over (partition by shop)", "`lag` goes by an order, and this window has none"},
      {"rank() over (order by day rows 1 preceding)", "it takes no frame"},
      {"upper(shop) over ()", "`upper` has no window"},
      {"ntile(0) over (order by day)", "the number of tiers is a whole number from 1 to 9223372036854775807"},
      {"lag(amount, shop) over (order by day)", "the distance is the same for all rows"},
      {"lag(amount, 1, day) over (order by day)", "the value for a missing row is date"},
      {"nth_value(amount) over ()", "`nth_value` takes 2 arguments, not 1"},
      {"sum(day) over ()", "`sum` takes numbers"},
      {"sum(distinct amount) over ()", "`distinct` goes with count only"},
      {"sum(amount) ignore nulls over ()", "`ignore nulls` goes with lag"},
      {"rank() filter (where true) over (order by day)", "`filter` goes with totals only"},
      {"sum(amount) over (rows shop preceding)", "the distance of a frame is a number that is the same for all rows"},
      {"sum(amount) over (rows -1 preceding)", "a distance is a whole number from 0 to 9223372036854775807"},
      {"sum(amount) over (order by day range 7 preceding)", "a range over dates is measured in intervals"},
      {"sum(amount) over (order by day, line range interval '1' day preceding)",
       "a range with a distance goes by one key"},
      {"sum(amount) over (range 1 preceding)", "a range needs an order"},
      {"sum(amount) over (order by line range -1 preceding)", "a distance is not negative"},
      {"sum(amount) over (groups 1 preceding)", "`groups` counts peers"},
      {"percentile_cont(2) within group (order by amount) over ()", "the fraction is between 0 and 1"},
      {"percentile_cont(0.5) over ()", "`percentile_cont` orders by one key"}};
  for (const auto& [formula, sentence] : cases) {
    const Ladder ladder{.data = {.from = "lines"}, .figures = {{"w", formula}}, .list = {.columns = {"w"}}};
    const Texts found = problems(ladder, few_lines());
    EXPECT_TRUE(!found.empty() && found[0].find(sentence) != std::string::npos)
        << formula << ": " << (found.empty() ? "nothing" : found[0]);
  }
}

// Choices are numbers like others in a frame.
TEST(WindowCalls, FramesTakeChoices) {
  Ladder ladder{.data = {.from = "lines"},
                .choices = {{.name = "n", .value = number(1)}},
                .figures = {{"rows_back", "count(*) over (order by line rows :n preceding)"},
                            {"days_back", "count(*) over (order by day range :n * interval '1' day preceding)"}},
                .list = {.columns = {"rows_back", "days_back"}}};
  EXPECT_EQ(column(standings(ladder, few_lines()), "rows_back"), (Texts{"1", "2", "2", "2", "2"}));
  choose(ladder, "n", "2");
  EXPECT_EQ(column(standings(ladder, few_lines()), "rows_back"), (Texts{"1", "2", "3", "3", "3"}));
  EXPECT_EQ(column(standings(ladder, few_lines()), "days_back"), (Texts{"2", "4", "4", "2", "1"}));
}

// Empty tables, one row, nothing but nulls.
TEST(WindowCalls, ExtremesOfTables) {
  Catalog catalog;
  support::add(catalog, "none", {{"a", {}}});
  support::add(catalog, "one", {{"a", {number(3)}}});
  for (const char* call : {"sum(a)", "median(a)", "lag(a)", "min(a)", "count(distinct a)", "first_value(a)"}) {
    Ladder ladder{.data = {.from = "one"},
                  .figures = {{"w", std::string(call) + " over (order by a)"}},
                  .list = {.columns = {"w"}}};
    EXPECT_EQ(standings(ladder, catalog).rows(), 1u) << call;
  }
}

// Floats: whatever slid through the frame leaves nothing.
TEST(WindowCalls, FloatsNeverDrift) {
  Catalog catalog;
  support::add(catalog, "t",
               {{"i", {number(1), number(2), number(3), number(4)}}, {"x", {1e300, 1.0, 1e-300, -1e300}}});
  const Ladder ladder{.data = {.from = "t"},
                      .figures = {{"w", "sum(x) over (order by i rows 1 preceding)"}, {"all_of", "sum(x) over ()"}},
                      .list = {.columns = {"w", "all_of"}}};
  const Standings answer = standings(ladder, catalog);
  EXPECT_EQ(std::get<double>(answer.value(2, 0)), 1.0);
  EXPECT_EQ(std::get<double>(answer.value(3, 0)), -1e300);
  EXPECT_EQ(std::get<double>(answer.value(0, 1)), 1.0);
}

// Text orders of their own hold inside windows too.
TEST(WindowCalls, CustomOrdersHoldInsideWindows) {
  Catalog catalog;
  support::add(catalog, "t", {{"s", {Value(std::string("b")), Value(std::string("a")), Value(std::string("c"))}}});
  const Ladder ladder{.data = {.from = "t"},
                      .figures = {{"w", "row_number() over (order by s)"}},
                      .list = {.columns = {"w"}},
                      .orderings = {{.column = "s", .first = {Value(std::string("c"))}}}};
  EXPECT_EQ(column(standings(ladder, catalog), "w"), (Texts{"3", "2", "1"}));
}

}  // namespace

namespace {

// `why` shows an entry's window values, and keys of the order that are windows.
TEST(WhyWithWindows, ShowsWhatStandsBesideTheOthers) {
  const Ladder ladder{.data = {.from = "lines"},
                      .totals = {{"spend", "sum(amount)"}},
                      .levels = {{.each = {"line"},
                                  .by = "part desc",
                                  .having = "spend < 5",
                                  .windows = {{"part", "spend / sum(spend) over ()"}}}}};
  const Workings found = why(ladder, few_lines(), "line = 2");
  ASSERT_EQ(found.windows.size(), 1u);
  EXPECT_EQ(to_text(found.windows[0].value), "0.33333333");
  EXPECT_EQ(found.by, "part");
  EXPECT_EQ(to_text(found.place), "2");
  const Workings dropped = why(ladder, few_lines(), "line = 4");
  EXPECT_TRUE(is_null(dropped.windows[0].value));
  EXPECT_NE(dropped.without_place.find("rank.having"), std::string::npos);
}

// The rows after the figures are all rows; windows see those that count, one stage later.
TEST(StagesWithWindows, WindowsComeWithTheRowsThatCount) {
  const Ladder ladder{.data = {.from = "lines"},
                      .figures = {{"double_amount", "amount * 2"}, {"w", "count(*) over ()"}, {"of_w", "w + 1"}},
                      .where = "shop = 1"};
  const Catalog catalog = few_lines();
  const auto has = [&](Stage stage, const char* name) {
    const Standings answer = standings(up_to(ladder, stage, catalog), catalog);
    return std::any_of(answer.columns().begin(), answer.columns().end(),
                       [&](const StandingColumn& c) { return c.name == name; });
  };
  EXPECT_TRUE(has(Stage::figures, "double_amount"));
  EXPECT_FALSE(has(Stage::figures, "w") || has(Stage::figures, "of_w"));
  EXPECT_TRUE(has(Stage::counted, "w") && has(Stage::counted, "of_w"));
  EXPECT_EQ(column(standings(up_to(ladder, Stage::counted, catalog), catalog), "of_w"), (Texts{"4", "4", "4"}));
}

// Levels inside levels have windows of their own.
TEST(LevelsWithWindows, EachLevelSeesItsOwnEntries) {
  const Ladder ladder{
      .data = {.from = "lines"},
      .totals = {{"spend", "sum(amount)"}},
      .levels = {{.each = {"shop"}, .by = "spend desc", .windows = {{"of_all", "spend / sum(spend) over ()"}}},
                 {.each = {"line"},
                  .by = "spend desc",
                  .rank_as = "place",
                  .windows = {{"of_shop", "spend / sum(spend) over (partition by shop)"}}}},
      .list = {.columns = {"shop", "line", "of_all", "of_shop"}}};
  const Standings answer = standings(ladder, few_lines());
  EXPECT_EQ(column(answer, "of_all"), (Texts{"0.62500000", "", "", "0.37500000", "", "", ""}));
  EXPECT_EQ(column(answer, "of_shop"), (Texts{"", "1.00000000", "", "", "0.50000000", "0.33333333", "0.16666667"}));
}

}  // namespace

// Windows that go by the same order as places, or as the listing, use it: the values are those of a sort of their
// own, which a key that says nothing makes.
TEST(Windows, InTheOrderOfPlacesNothingIsSortedAgain) {
  const auto ladder = [](const std::string& order, const std::string& tiebreak) {
    Ladder out{.data = {.from = "lines"},
               .totals = {{"spend", "sum(unit_price)"}},
               .levels = {{.each = {"shop_no"}, .by = "spend desc", .tiebreak = tiebreak}}};
    out.levels[0].windows = {{"running", "sum(spend) over (order by " + order + ")"},
                             {"place", "rank() over (order by " + order + ")"}};
    return out;
  };
  const Catalog catalog = support::small_shop();
  const Standings own = standings(ladder("spend desc, 0 * shop_no", ""), catalog),
                  shared = standings(ladder("spend desc", ""), catalog),
                  broken = standings(ladder("spend desc", "shop_no desc"), catalog);
  EXPECT_EQ(own.cost().sorts(), 1u);
  for (const Standings* one : {&shared, &broken}) {
    EXPECT_EQ(one->cost().sorts(), 0u);
    EXPECT_EQ(support::column(*one, "place"), support::column(own, "place"));  // the one without a price is ranked here
    EXPECT_EQ(support::column(*one, "running"), support::column(own, "running"));
  }
  Ladder numbered = ladder("spend desc", "shop_no desc");  // the tie-breaker would show in these
  numbered.levels[0].windows = {{"n", "row_number() over (order by spend desc)"}};
  EXPECT_EQ(standings(numbered, catalog).cost().sorts(), 1u);
}

TEST(Windows, AListingInTheOrderOfAWindowIsNotSortedAgain) {
  const auto listed = [](const std::string& order) {
    Ladder out{.data = {.from = "lines"},
               .figures = {{"so_far", "sum(quantity) over (partition by shop_no order by ordered_on desc)"}},
               .where = "quantity < 5"};
    out.list = {.order = order, .columns = {"line_no", "so_far"}};
    return standings(out, support::small_shop());
  };
  const Standings shared = listed("shop_no, ordered_on desc"), own = listed("shop_no, ordered_on desc, 0 * line_no");
  EXPECT_EQ(support::column(shared, "line_no"), support::column(own, "line_no"));
  EXPECT_EQ(support::column(shared, "so_far"), support::column(own, "so_far"));
  const auto comparisons = [](const Standings& s) {
    for (const CostStep& step : s.cost().steps)
      if (step.step == StepKind::list) return step.comparisons;
    return -1.0;
  };
  EXPECT_EQ(comparisons(shared), 0);
  EXPECT_GT(comparisons(own), 0);
}
