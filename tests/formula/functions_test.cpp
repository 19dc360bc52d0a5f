#include "formula/functions.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "support/tables.hpp"

using namespace lofty;
using namespace lofty::engine;

TEST(Functions, NamesAreUniqueAndExplained) {
  std::set<std::pair<std::string_view, CalledIn>> names;
  for (const FunctionInfo& info : lofty::engine::functions()) {
    EXPECT_TRUE(names.insert({info.name, info.called_in}).second) << info.name;
    EXPECT_FALSE(info.meaning.empty());
    EXPECT_FALSE(info.signature.empty());
    EXPECT_LE(info.least_args, info.most_args);
    EXPECT_EQ(function_called(info.name), info.function);
    EXPECT_EQ(function_in(info.function, info.called_in) != nullptr, info.function != Function::none) << info.name;
    const bool of_rows = info.called_in == CalledIn::any_formula && info.function != Function::none;
    EXPECT_EQ(find_row_function(info.name), of_rows ? &info : nullptr) << info.name;
  }
  EXPECT_TRUE(is_total(Function::sum));
  EXPECT_FALSE(is_total(Function::overall_max));
  EXPECT_FALSE(is_total(Function::rank));
  EXPECT_TRUE(is_window_function(Function::rank));
  EXPECT_TRUE(is_constant(Function::overall_min));
  EXPECT_EQ(function_called("no_such"), Function::none);
}

// What may be called, called with a fitting number of arguments: the binder and the evaluator know each of them.
TEST(Functions, EveryOneCanBeCalled) {
  const std::pair<const char*, const char*> calls[] = {{"abs", "abs(quantity)"},
                                                       {"mod", "mod(quantity, 2)"},
                                                       {"ceiling", "ceiling(unit_price)"},
                                                       {"ceil", "ceil(unit_price)"},
                                                       {"floor", "floor(unit_price)"},
                                                       {"sqrt", "sqrt(quantity)"},
                                                       {"ln", "ln(quantity)"},
                                                       {"log", "log(2, quantity)"},
                                                       {"log10", "log10(quantity)"},
                                                       {"round", "round(unit_price, 1)"},
                                                       {"width_bucket", "width_bucket(quantity, 0, 10, 5)"},
                                                       {"exp", "exp(quantity)"},
                                                       {"power", "power(quantity, 2)"},
                                                       {"coalesce", "coalesce(unit_price, 0)"},
                                                       {"nullif", "nullif(quantity, 1)"},
                                                       {"greatest", "greatest(quantity, 2)"},
                                                       {"least", "least(quantity, 2)"},
                                                       {"upper", "upper(status)"},
                                                       {"lower", "lower(status)"},
                                                       {"trim", "trim(status)"},
                                                       {"trim_leading", "trim(leading 'p' from status)"},
                                                       {"trim_trailing", "trim(trailing 'd' from status)"},
                                                       {"char_length", "char_length(status)"},
                                                       {"character_length", "character_length(status)"},
                                                       {"substring", "substring(status from 1 for 2)"},
                                                       {"position", "position('a' in status)"},
                                                       {"iso_week", "iso_week(ordered_on)"},
                                                       {"weekday", "weekday(ordered_on)"},
                                                       {"quarter", "quarter(ordered_on)"},
                                                       {"start_of", "start_of('quarter', ordered_on)"}};
  std::set<std::string> called;
  for (const auto& [name, formula] : calls) {
    called.insert(name);
    const Standings s = standings({.data = {.from = "lines"}, .figures = {{"f", formula}}, .list = {.columns = {"f"}}},
                                  support::small_shop());
    EXPECT_EQ(s.rows(), 7u) << formula;
    const auto values = support::column(s, "f");
    EXPECT_TRUE(std::any_of(values.begin(), values.end(), [](const std::string& v) { return !v.empty(); })) << formula;
  }
  for (const FunctionInfo& info : lofty::engine::functions()) {
    if (info.called_in != CalledIn::any_formula || info.function == Function::none) continue;
    EXPECT_TRUE(called.contains(std::string(info.name))) << info.name;
  }
}

TEST(Functions, ArgumentsAreCountedWithTheSignature) {
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"mod(quantity)", "`mod` takes 2 arguments, not 1", "mod(a, b)"},
      {"start_of(ordered_on)", "`start_of` takes 2 arguments, not 1", "start_of('month', date)"},
      {"substring(status)", "expected `from`, found `)`", "substring(text from 2 for 3)"},
      {"start_of('mnth', ordered_on)", "`start_of` takes 'year', 'quarter', 'month', 'week' or 'day'", ""},
      {"abs(quantity) filter (where true)", "`filter` goes with totals only", ""},
      {"abs(distinct quantity)", "`distinct` goes with count, sum and avg", ""},
      {"abs(*)", "`*` is allowed in count(*) only", ""},
  };
  for (const auto& [formula, sentence, signature] : cases) {
    const auto found = check({.data = {.from = "lines"}, .figures = {{"f", formula}}}, support::small_shop());
    ASSERT_GE(found.size(), 1u) << formula;
    EXPECT_EQ(found[0].sentence, sentence);
    EXPECT_EQ(found[0].advice, signature);
  }
}

TEST(Functions, AggregatesAreCheckedToo) {
  const std::pair<const char*, const char*> cases[] = {
      {"sum(*)", "`*` is allowed in count(*) only"},
      {"sum()", "`sum` takes one argument"},
      {"min(distinct quantity)", "`distinct` goes with count, sum and avg"},
      {"sum(quantity) filter (where quantity)", "the filter is not a condition"},
      {"avg(ordered_on)", "`avg` takes numbers; `ordered_on` is date"},
      {"sum(sum(quantity))",
       "`sum(...)` is a total: it is known after the rows are grouped, too late for the inside of sum(...)"},
      {"overall_max(status)", "`overall_max` takes a number, a date or a timestamp"},
      {"overall_max(overall_min(quantity))", "`overall_min` is not allowed inside another total"},
  };
  for (const auto& [formula, sentence] : cases) {
    const auto found = check(
        {.data = {.from = "lines"}, .totals = {{"t", formula}}, .levels = {{.each = {"shop_no"}, .by = "shop_no asc"}}},
        support::small_shop());
    ASSERT_GE(found.size(), 1u) << formula;
    EXPECT_EQ(found[0].sentence, sentence) << formula;
  }
}
