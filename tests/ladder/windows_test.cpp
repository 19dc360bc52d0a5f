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
    fill("g", [] { return number(*rc::gen::inRange(1, 4)); }, 2);
    fill("h", [] { return Value(std::string(1, "ab"[*rc::gen::inRange(0, 2)])); }, 1);
    fill("k", [] { return number(*rc::gen::inRange(-3, 5)); }, 2);
    fill("day", [] { return Value(Date{20000 + *rc::gen::inRange(0, 9)}); }, 1);
    fill("x", [] { return Value(Decimal(*rc::gen::inRange(-300, 300), 2)); }, 2);
    fill("t", [] { return Value(std::string(1, "uvw"[*rc::gen::inRange(0, 3)])); }, 2);
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
  std::vector<std::string> names = *rc::gen::elementOf(std::vector<std::vector<std::string>>{
      {"k", "day"}, {"day", "k"}, {"k", "t"}, {"t", "x"}});
  for (int i = 0; i < keys; ++i) {
    const bool descending = *rc::gen::arbitrary<bool>(), first = *rc::gen::inRange(0, 4) == 0;
    window.order.push_back({table.columns.at(names[static_cast<std::size_t>(i)]), descending, first});
    over += (i > 0 ? ", " : over.empty() ? "order by " : " order by ") + names[static_cast<std::size_t>(i)] +
            (descending ? " desc" : "") + (first ? " nulls first" : "");
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
        asked.expected.push_back(found ? x[all[static_cast<std::size_t>(i)]]
                                       : otherwise ? Value(Decimal(99900, 2)) : null());
      }
    }
    call = numbered == "ntile" ? "ntile(" + std::to_string(n) + ")"
           : numbered == "lag" || numbered == "lead"
               ? numbered + "(x, " + std::to_string(n) + (otherwise ? ", 999.00)" : ")") + (ignore ? " ignore nulls" : "")
               : numbered + "()";
    asked.text = call + " over (" + over + ")";
    return asked;
  }
  // A frame, or the one that the standard takes where none is written.
  if (*rc::gen::inRange(0, 4) > 0) {
    window.unit = *rc::gen::elementOf(
        std::vector<plain::Window::Unit>{plain::Window::Unit::rows, plain::Window::Unit::range, plain::Window::Unit::groups});
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
    window.excluded = *rc::gen::elementOf(
        std::vector<Excluded>{Excluded::no_others, Excluded::no_others, Excluded::current_row, Excluded::group, Excluded::ties});
    const std::string unit =
        window.unit == plain::Window::Unit::range && measured && names[0] == "day" ? "day" : "";
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
    if (filtered) std::erase_if(frame, [&](std::size_t other) { return is_null(x[other]) || x[other] < money("0.50"); });
    if (function == "rows")
      asked.expected.push_back(number(static_cast<long>(frame.size())));
    else
      asked.expected.push_back(aggregate(function == "maxt" ? "max" : function, known(function == "maxt" ? t : x, frame)));
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
  const std::map<std::string, Value> typed = {{"g", number(1)},          {"h", Value(std::string("a"))},
                                              {"k", number(1)},          {"day", Value(Date{20000})},
                                              {"x", money("1.00")},      {"t", Value(std::string("u"))}};
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
