#include "formula/functions.hpp"

#include "base/name_table.hpp"

namespace lofty::engine {
namespace {

using F = Function;
using P = CalledIn;
constexpr FunctionInfo registry[] = {
    {"abs", F::absolute, P::any_formula, 1, 1, "abs(number)", "the number without its sign"},
    {"mod", F::modulo, P::any_formula, 2, 2, "mod(a, b)", "the rest of a / b, with the sign of a"},
    {"ceiling", F::ceiling, P::any_formula, 1, 1, "ceiling(number)", "the least whole number that is not below it"},
    {"ceil", F::ceiling, P::any_formula, 1, 1, "ceil(number)", "short for ceiling"},
    {"floor", F::floor, P::any_formula, 1, 1, "floor(number)", "the greatest whole number that is not above it"},
    {"sqrt", F::square_root, P::any_formula, 1, 1, "sqrt(number)", "the square root, a float"},
    {"ln", F::logarithm, P::any_formula, 1, 1, "ln(number)", "the natural logarithm, a float"},
    {"log", F::log_to_base, P::any_formula, 2, 2, "log(base, number)", "the logarithm to a base, a float"},
    {"log10", F::log_to_ten, P::any_formula, 1, 1, "log10(number)", "the logarithm to the base 10, a float"},
    {"round", F::round, P::any_formula, 1, 2, "round(number, 2)",
     "to so many decimals (none if left out), halves away from zero as money is rounded; below zero to tens, hundreds"},
    {"width_bucket", F::width_bucket, P::any_formula, 4, 4, "width_bucket(x, low, high, 10)",
     "which of so many equal parts of low to high it is in: 0 below, one more than there are from high on"},
    {"exp", F::exponential, P::any_formula, 1, 1, "exp(number)", "e to the power of the number, a float"},
    {"power", F::power, P::any_formula, 2, 2, "power(a, b)", "a to the power of b, a float"},
    {"coalesce", F::coalesce, P::any_formula, 1, 100, "coalesce(a, b, ...)", "the first that is not null"},
    {"nullif", F::nullif, P::any_formula, 2, 2, "nullif(a, b)", "null when a = b, else a"},
    {"greatest", F::greatest, P::any_formula, 1, 100, "greatest(a, b, ...)", "the greatest; null when one is null"},
    {"least", F::least, P::any_formula, 1, 100, "least(a, b, ...)", "the least; null when one is null"},
    {"upper", F::upper, P::any_formula, 1, 1, "upper(text)", "in capitals"},
    {"lower", F::lower, P::any_formula, 1, 1, "lower(text)", "in small letters"},
    {"trim", F::trim, P::any_formula, 1, 2, "trim(both ' ' from text)",
     "without the character at both ends, or `leading`, or `trailing`"},
    {"trim_leading", F::trim_leading, P::any_formula, 1, 2, "trim(leading ' ' from text)",
     "without the character at the start"},
    {"trim_trailing", F::trim_trailing, P::any_formula, 1, 2, "trim(trailing ' ' from text)",
     "without the character at the end"},
    {"char_length", F::char_length, P::any_formula, 1, 1, "char_length(text)",
     "how many characters (code points) it has"},
    {"substring", F::substring, P::any_formula, 2, 3, "substring(text from 2 for 3)",
     "a part, counted in characters from 1"},
    {"position", F::position, P::any_formula, 2, 2, "position('a' in text)",
     "where the first text occurs in the second, from 1; 0 if it does not"},
    {"iso_week", F::iso_week, P::any_formula, 1, 1, "iso_week(date)", "the ISO 8601 week, 1 to 53"},
    {"weekday", F::weekday, P::any_formula, 1, 1, "weekday(date)", "1 on Monday to 7 on Sunday"},
    {"quarter", F::quarter, P::any_formula, 1, 1, "quarter(date)", "1 to 4"},
    {"start_of", F::start_of, P::any_formula, 2, 2, "start_of('month', date)",
     "the first day of its year, quarter, month or week; 'day' drops the time"},
    {"character_length", F::char_length, P::any_formula, 1, 1, "character_length(text)", "the same as char_length"},
    {"cast", F::none, P::any_formula, 1, 1, "cast(x as decimal)",
     "as another type; a value that does not allow it is an error"},
    {"extract", F::none, P::any_formula, 1, 1, "extract(month from date)",
     "year, month, day, hour, minute or second, a number"},
    {"sum", F::sum, P::totals, 1, 1, "sum(number), sum(distinct number)", "the sum of the values; null over none", true,
     true},
    {"count", F::count, P::totals, 1, 1, "count(*), count(x), count(distinct x)", "rows, values, or different values",
     false, true},
    {"avg", F::average, P::totals, 1, 1, "avg(number), avg(distinct number)",
     "the mean, with six decimals more; null over none", true, true},
    {"min", F::minimum, P::totals, 1, 1, "min(x)", "the least value; null over none"},
    {"max", F::maximum, P::totals, 1, 1, "max(x)", "the greatest value; null over none"},
    {"median", F::median, P::totals, 1, 1, "median(number)",
     "the middle value, or the mean of the two in the middle; null over none", true},
    {"percentile_cont", F::percentile_cont, P::totals, 1, 1, "percentile_cont(0.9) within group (order by number)",
     "the value below which so much of them lies, between the two nearest", true},
    {"percentile_disc", F::percentile_disc, P::totals, 1, 1, "percentile_disc(0.9) within group (order by x)",
     "the first value that so much of them reach: always one that occurs"},
    {"first_value", F::first_value, P::totals, 1, 1, "first_value(x) within group (order by ordered_on)",
     "x of the first row in that order; of equal rows the one that came first"},
    {"last_value", F::last_value, P::totals, 1, 1, "last_value(x) within group (order by ordered_on)",
     "x of the last row in that order; of equal rows the one that came last"},
    {"any_value", F::any_value, P::totals, 1, 1, "any_value(x)", "a value of the entry: the least"},
    {"every", F::every, P::totals, 1, 1, "every(condition)",
     "is it true for every row? Rows for which it is unknown do not count"},
    {"var_pop", F::var_pop, P::totals, 1, 1, "var_pop(number)", "the mean square of the distances to the mean", true},
    {"var_samp", F::var_samp, P::totals, 1, 1, "var_samp(number)", "the same, divided by one less; null for one value",
     true},
    {"stddev_pop", F::stddev_pop, P::totals, 1, 1, "stddev_pop(number)", "the root of var_pop, a float", true},
    {"stddev_samp", F::stddev_samp, P::totals, 1, 1, "stddev_samp(number)", "the root of var_samp, a float", true},
    {"listagg", F::listagg, P::totals, 1, 2, "listagg(text, ', ') within group (order by x)",
     "the texts in that order, with a text between them"},
    {"rank", F::rank, P::totals, 1, 1, "rank(500) within group (order by amount desc)",
     "the place that a value would have among the rows; dense_rank, percent_rank and cume_dist likewise"},
    {"overall_max", F::overall_max, P::whole, 1, 1, "overall_max(x)",
     "the greatest value over all rows that count, one for the whole ladder"},
    {"overall_min", F::overall_min, P::whole, 1, 1, "overall_min(x)",
     "the least value over all rows that count, one for the whole ladder"},
    {"row_number", F::row_number, P::windows, 0, 0, "row_number() over (order by ...)",
     "1, 2, 3, ... in the order; rows that tie as they came in"},
    {"rank", F::rank, P::windows, 0, 0, "rank() over (order by ...)", "1 1 3: one more than the number of rows before"},
    {"dense_rank", F::dense_rank, P::windows, 0, 0, "dense_rank() over (order by ...)",
     "1 1 2: one more than the number of different values before"},
    {"percent_rank", F::percent_rank, P::windows, 0, 0, "percent_rank() over (order by ...)",
     "(rank - 1) / (rows - 1), 0 for a single row"},
    {"cume_dist", F::cume_dist, P::windows, 0, 0, "cume_dist() over (order by ...)",
     "rows up to and with its peers / rows"},
    {"ntile", F::ntile, P::windows, 1, 1, "ntile(4) over (order by ...)",
     "equal-sized tiers from 1; the first take one more each"},
    {"lag", F::lag, P::windows, 1, 3, "lag(x, 1, 0) [ignore nulls] over (order by ...)",
     "x, so many rows before; the last argument where there is none"},
    {"lead", F::lead, P::windows, 1, 3, "lead(x, 1, 0) [ignore nulls] over (order by ...)", "x, so many rows after"},
    {"first_value", F::first_value, P::windows, 1, 1, "first_value(x) [ignore nulls] over (...)",
     "x of the frame's first row"},
    {"last_value", F::last_value, P::windows, 1, 1, "last_value(x) [ignore nulls] over (...)",
     "x of the frame's last row"},
    {"nth_value", F::nth_value, P::windows, 2, 2, "nth_value(x, 2) [from last] [ignore nulls] over (...)",
     "x of the frame's n-th row"},
};

}  // namespace

std::span<const FunctionInfo> functions() { return registry; }

Function function_called(std::string_view name) {
  for (const FunctionInfo& info : registry)
    if (info.name == name) return info.function;
  return Function::none;
}

const FunctionInfo* function_in(Function function, CalledIn place) {
  for (const FunctionInfo& info : registry)
    if (info.function == function && info.called_in == place && function != Function::none) return &info;
  return nullptr;
}

const FunctionInfo* find_row_function(std::string_view name) {
  for (const FunctionInfo& info : registry)
    if (info.name == name && info.called_in == CalledIn::any_formula && info.function != Function::none) return &info;
  return nullptr;
}

bool is_total(Function function) {
  return function != Function::rank && function_in(function, CalledIn::totals) != nullptr;
}

std::string arguments_text(const FunctionInfo& info) {
  if (info.most_args == 0) return "no argument";
  return (info.least_args == info.most_args
              ? std::to_string(info.least_args)
              : std::to_string(info.least_args) + " to " + std::to_string(info.most_args)) +
         (info.most_args == 1 ? " argument" : " arguments");
}

std::string near_function(std::string_view name) {
  // Spellings that several systems share.
  static constexpr std::pair<std::string_view, std::string_view> near[] = {
      {"date_trunc", "start_of('month', ordered_on)"},
      {"trunc", "start_of('month', ordered_on), or floor(number)"},
      {"length", "char_length(text)"},
      {"len", "char_length(text)"},
      {"substr", "substring(text from 2 for 3)"},
      {"instr", "position('a' in text)"},
      {"strpos", "position('a' in text)"},
      {"ifnull", "coalesce(x, 0)"},
      {"isnull", "coalesce(x, 0), or x is null"},
      {"nvl", "coalesce(x, 0)"},
      {"concat", "a || b"},
      {"ucase", "upper(text)"},
      {"lcase", "lower(text)"},
      {"year", "extract(year from ordered_on)"},
      {"month", "extract(month from ordered_on)"},
      {"day", "extract(day from ordered_on)"},
      {"hour", "extract(hour from ordered_at)"},
      {"week", "iso_week(ordered_on)"},
      {"date_part", "extract(month from ordered_on)"},
      {"datediff", "extract(day from (shipped_on - ordered_on) day)"},
      {"date_diff", "extract(day from (shipped_on - ordered_on) day)"},
      {"dateadd", "ordered_on + 3 * interval '1' day"},
      {"date_add", "ordered_on + 3 * interval '1' day"},
      {"string_agg", "listagg(text, ', ') within group (order by x)"},
      {"group_concat", "listagg(text, ', ') within group (order by x)"},
      {"stddev", "stddev_samp(number)"},
      {"stdev", "stddev_samp(number)"},
      {"variance", "var_samp(number)"},
      {"average", "avg(number)"},
      {"mean", "avg(number)"},
      {"if", "case when x > 0 then 1 else 0 end"},
      {"iif", "case when x > 0 then 1 else 0 end"},
      {"pow", "power(a, b)"},
      {"now", "a period with ends = \"today\""},
  };

  // Ours for theirs.
  for (const auto& [theirs, ours] : near)
    if (theirs == name) return std::string(ours);
  return {};
}

namespace {

// What trim(leading ...) is called inside.
bool is_hidden(const FunctionInfo& info) { return info.name.starts_with("trim_"); }

}  // namespace

std::vector<std::string> function_names() {
  std::vector<std::string> names;
  for (const FunctionInfo& info : registry)
    if (!is_hidden(info)) names.emplace_back(info.name);
  return names;
}

}  // namespace lofty::engine

namespace lofty {

std::vector<FunctionDescription> functions() {
  std::vector<FunctionDescription> out;
  for (const engine::FunctionInfo& info : engine::functions())
    if (!engine::is_hidden(info))
      out.push_back({std::string(info.name), std::string(info.signature), std::string(info.meaning), info.called_in});
  return out;
}

LOFTY_ENUM_NAMES(CalledIn, {CalledIn::any_formula, "any formula"}, {CalledIn::totals, "totals"},
                 {CalledIn::whole, "whole"}, {CalledIn::windows, "windows"})

}  // namespace lofty
