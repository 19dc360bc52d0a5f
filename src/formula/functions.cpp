#include "formula/functions.hpp"

#include "lofty/functions.hpp"

#include <array>

namespace lofty::engine {
namespace {

using F = Function;
constexpr std::array<FunctionInfo, 30> functions = {{
    {"abs", F::absolute, 1, 1, "abs(number)", "the number without its sign"},
    {"mod", F::modulo, 2, 2, "mod(a, b)", "the rest of a / b, with the sign of a"},
    {"ceiling", F::ceiling, 1, 1, "ceiling(number)", "the least whole number that is not below it"},
    {"ceil", F::ceiling, 1, 1, "ceil(number)", "short for ceiling"},
    {"floor", F::floor, 1, 1, "floor(number)", "the greatest whole number that is not above it"},
    {"sqrt", F::square_root, 1, 1, "sqrt(number)", "the square root, a float"},
    {"ln", F::logarithm, 1, 1, "ln(number)", "the natural logarithm, a float"},
    {"log", F::log_to_base, 2, 2, "log(base, number)", "the logarithm to a base, a float"},
    {"log10", F::log_to_ten, 1, 1, "log10(number)", "the logarithm to the base 10, a float"},
    {"round", F::round, 1, 2, "round(number, 2)",
     "to so many decimals (none if left out), halves away from zero as money is rounded; below zero to tens, hundreds"},
    {"width_bucket", F::width_bucket, 4, 4, "width_bucket(x, low, high, 10)",
     "which of so many equal parts of low to high it is in: 0 below, one more than there are from high on"},
    {"exp", F::exponential, 1, 1, "exp(number)", "e to the power of the number, a float"},
    {"power", F::power, 2, 2, "power(a, b)", "a to the power of b, a float"},
    {"coalesce", F::coalesce, 1, 100, "coalesce(a, b, ...)", "the first that is not null"},
    {"nullif", F::nullif, 2, 2, "nullif(a, b)", "null when a = b, else a"},
    {"greatest", F::greatest, 1, 100, "greatest(a, b, ...)", "the greatest; null when one is null"},
    {"least", F::least, 1, 100, "least(a, b, ...)", "the least; null when one is null"},
    {"upper", F::upper, 1, 1, "upper(text)", "in capitals"},
    {"lower", F::lower, 1, 1, "lower(text)", "in small letters"},
    {"trim", F::trim, 1, 2, "trim(both ' ' from text)",
     "without the character at both ends, or `leading`, or `trailing`"},
    {"trim_leading", F::trim_leading, 1, 2, "trim(leading ' ' from text)", "without the character at the start"},
    {"trim_trailing", F::trim_trailing, 1, 2, "trim(trailing ' ' from text)", "without the character at the end"},
    {"char_length", F::char_length, 1, 1, "char_length(text)", "how many characters (code points) it has"},
    {"substring", F::substring, 2, 3, "substring(text from 2 for 3)", "a part, counted in characters from 1"},
    {"position", F::position, 2, 2, "position('a' in text)",
     "where the first text occurs in the second, from 1; 0 if it does not"},
    {"iso_week", F::iso_week, 1, 1, "iso_week(date)", "the ISO 8601 week, 1 to 53"},
    {"weekday", F::weekday, 1, 1, "weekday(date)", "1 on Monday to 7 on Sunday"},
    {"quarter", F::quarter, 1, 1, "quarter(date)", "1 to 4"},
    {"start_of", F::start_of, 2, 2, "start_of('month', date)",
     "the first day of its year, quarter, month or week; 'day' drops the time"},
    {"character_length", F::char_length, 1, 1, "character_length(text)", "the same as char_length"},
}};

constexpr std::array<AggregateInfo, 20> aggregates = {{
    {"sum", "sum(number), sum(distinct number)", "the sum of the values; null over none"},
    {"count", "count(*), count(x), count(distinct x)", "rows, values, or different values"},
    {"avg", "avg(number), avg(distinct number)", "the mean, with six decimals more; null over none"},
    {"min", "min(x)", "the least value; null over none"},
    {"max", "max(x)", "the greatest value; null over none"},
    {"median", "median(number)", "the middle value, or the mean of the two in the middle; null over none"},
    {"percentile_cont", "percentile_cont(0.9) within group (order by number)",
     "the value below which so much of them lies, between the two nearest"},
    {"percentile_disc", "percentile_disc(0.9) within group (order by x)",
     "the first value that so much of them reach: always one that occurs"},
    {"first_value", "first_value(x) within group (order by ordered_on)",
     "x of the first row in that order; of equal rows the one that came first"},
    {"last_value", "last_value(x) within group (order by ordered_on)",
     "x of the last row in that order; of equal rows the one that came last"},
    {"any_value", "any_value(x)", "a value of the entry: the least"},
    {"every", "every(condition)", "is it true for every row? Rows for which it is unknown do not count"},
    {"var_pop", "var_pop(number)", "the mean square of the distances to the mean"},
    {"var_samp", "var_samp(number)", "the same, divided by one less; null for one value"},
    {"stddev_pop", "stddev_pop(number)", "the root of var_pop, a float"},
    {"stddev_samp", "stddev_samp(number)", "the root of var_samp, a float"},
    {"listagg", "listagg(text, ', ') within group (order by x)", "the texts in that order, with a text between them"},
    {"rank", "rank(500) within group (order by amount desc)",
     "the place that a value would have among the rows; dense_rank, percent_rank and cume_dist likewise"},
    {"overall_max", "overall_max(x)", "the greatest value over all rows that count, one for the whole ladder"},
    {"overall_min", "overall_min(x)", "the least value over all rows that count, one for the whole ladder"},
}};

constexpr std::array<AggregateInfo, 11> over_functions = {{
    {"row_number", "row_number() over (order by ...)", "1, 2, 3, ... in the order; rows that tie as they came in"},
    {"rank", "rank() over (order by ...)", "1 1 3: one more than the number of rows before"},
    {"dense_rank", "dense_rank() over (order by ...)", "1 1 2: one more than the number of different values before"},
    {"percent_rank", "percent_rank() over (order by ...)", "(rank - 1) / (rows - 1), 0 for a single row"},
    {"cume_dist", "cume_dist() over (order by ...)", "rows up to and with its peers / rows"},
    {"ntile", "ntile(4) over (order by ...)", "equal-sized tiers from 1; the first take one more each"},
    {"lag", "lag(x, 1, 0) [ignore nulls] over (order by ...)",
     "x, so many rows before; the last argument where there is none"},
    {"lead", "lead(x, 1, 0) [ignore nulls] over (order by ...)", "x, so many rows after"},
    {"first_value", "first_value(x) [ignore nulls] over (...)", "x of the frame's first row"},
    {"last_value", "last_value(x) [ignore nulls] over (...)", "x of the frame's last row"},
    {"nth_value", "nth_value(x, 2) [from last] [ignore nulls] over (...)", "x of the frame's n-th row"},
}};

}  // namespace

std::span<const AggregateInfo> window_functions() { return over_functions; }

bool is_window_function(std::string_view name) {
  for (const AggregateInfo& info : over_functions)
    if (info.name == name) return true;
  return false;
}

std::span<const FunctionInfo> row_functions() { return functions; }

const FunctionInfo* find_row_function(std::string_view name) {
  for (const FunctionInfo& info : functions)
    if (info.name == name) return &info;
  return nullptr;
}

std::span<const AggregateInfo> aggregate_functions() { return aggregates; }

bool is_aggregate(std::string_view name) {
  for (const AggregateInfo& info : aggregates)
    if (info.name == name && name != "rank" && !name.starts_with("overall_")) return true;
  return false;
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

std::vector<std::string> function_names() {
  std::vector<std::string> names;
  for (const FunctionInfo& info : functions)
    if (info.name.find("trim_") == std::string_view::npos) names.emplace_back(info.name);
  for (const AggregateInfo& info : aggregates) names.emplace_back(info.name);
  for (const AggregateInfo& info : over_functions) names.emplace_back(info.name);
  for (const char* word : {"cast", "extract"}) names.emplace_back(word);
  return names;
}

}  // namespace lofty::engine

namespace lofty {

std::vector<FunctionDescription> functions() {
  std::vector<FunctionDescription> out;
  for (const engine::FunctionInfo& info : engine::row_functions())
    if (info.name.find("trim_") == std::string_view::npos)  // what trim(leading ...) is called inside
      out.push_back({std::string(info.name), std::string(info.signature), std::string(info.meaning)});
  out.push_back({"cast", "cast(x as decimal)", "as another type; a value that does not allow it is an error"});
  out.push_back({"extract", "extract(month from date)", "year, month, day, hour, minute or second, a number"});
  for (const engine::AggregateInfo& info : engine::aggregate_functions())
    out.push_back({std::string(info.name), std::string(info.signature), std::string(info.meaning),
                   info.name.starts_with("overall_") ? CalledIn::whole : CalledIn::totals});
  for (const engine::AggregateInfo& info : engine::window_functions())
    out.push_back({std::string(info.name), std::string(info.signature), std::string(info.meaning), CalledIn::windows});
  return out;
}

}  // namespace lofty
