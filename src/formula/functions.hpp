#pragma once
// The registry of functions: what formulas may call, and where.
// Covered by tests/formula/functions_test.cpp.

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/functions.hpp"

namespace lofty::engine {

// A function by its name; the same wherever it is called.
enum class Function : unsigned char {
  none,  // no function has the name
  // Of one row.
  absolute,
  modulo,
  ceiling,
  floor,
  square_root,
  logarithm,
  exponential,
  power,
  log_to_base,
  log_to_ten,
  round,
  width_bucket,
  coalesce,
  nullif,
  greatest,
  least,
  upper,
  lower,
  trim,
  trim_leading,
  trim_trailing,
  char_length,
  substring,
  position,
  iso_week,
  weekday,
  quarter,
  start_of,
  // Of several rows: totals, and over a window.
  count,
  sum,
  average,
  minimum,
  maximum,
  median,
  percentile_cont,
  percentile_disc,
  first_value,
  last_value,
  any_value,
  every,
  var_pop,
  var_samp,
  stddev_pop,
  stddev_samp,
  listagg,
  // Over a window. The first four also give a value the place that it would have among the rows.
  rank,
  dense_rank,
  percent_rank,
  cume_dist,
  row_number,
  ntile,
  lag,
  lead,
  nth_value,
  // Over all rows.
  overall_max,
  overall_min,
};

struct FunctionInfo {
  std::string_view name;
  Function function;
  CalledIn called_in;
  int least_args, most_args;
  std::string_view signature, meaning;
  // Of totals.
  bool numbers = false;   // it takes numbers alone
  bool distinct = false;  // `distinct` may stand in front of its argument
};

// A line for each name and place; what may be called in several places has several lines. In the order of `lofty
// functions`.
std::span<const FunctionInfo> functions();
// The function of this name, in small letters; none where there is none.
Function function_called(std::string_view folded_name);
// Its line for this place; null where it may not be called there.
const FunctionInfo* function_in(Function function, CalledIn place);
// The line of a function of one row. A name that is short for another has a line of its own.
const FunctionInfo* find_row_function(std::string_view folded_name);

// May it be a total by itself? Hypothetical places (rank(500) within group ...) are parsed into others.
bool is_total(Function function);
inline bool is_window_function(Function function) { return function_in(function, CalledIn::windows) != nullptr; }
// overall_max, overall_min
inline bool is_constant(Function function) { return function_in(function, CalledIn::whole) != nullptr; }

// "2 arguments", "1 to 3 arguments", "no argument"
std::string arguments_text(const FunctionInfo& info);

// Our formula for a function of another name that several systems have. Empty: there is none.
std::string near_function(std::string_view folded_name);

// Every callable name, for "nearest".
std::vector<std::string> function_names();

}  // namespace lofty::engine
