#pragma once
// The functions that formulas may call.

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace lofty::engine {

enum class Function : unsigned char {
  none,
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
};

struct FunctionInfo {
  std::string_view name;
  Function function;
  int least_args, most_args;
  std::string_view signature;
  std::string_view meaning;
};

std::span<const FunctionInfo> row_functions();
const FunctionInfo* find_row_function(std::string_view folded_name);

// Aggregates: allowed in [totals], and `overall_max`, `overall_min` in conditions on rows.
struct AggregateInfo {
  std::string_view name, signature, meaning;
};
std::span<const AggregateInfo> aggregate_functions();
bool is_aggregate(std::string_view folded_name);

// Functions that go with `over (...)` only.
std::span<const AggregateInfo> window_functions();
bool is_window_function(std::string_view folded_name);

// What is written here for a function of another name that several systems have; empty: nothing is known.
std::string near_function(std::string_view folded_name);

// Every callable name, for "nearest".
std::vector<std::string> function_names();

}  // namespace lofty::engine
