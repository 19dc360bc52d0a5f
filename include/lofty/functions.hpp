#pragma once
// What formulas may call.

#include <cstdint>
#include <string>
#include <vector>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

enum class CalledIn : std::uint8_t {
  any_formula,  // in any formula
  totals,       // over the rows of an entry: under [totals], in rank.having and the like
  whole,        // over all rows that count: in any formula, one constant for the whole ladder
  windows,      // with `over (...)` only: in figures, over the rows that count; in [windows], over the entries
};
[[nodiscard]] const char* to_string(CalledIn value);
template <>
std::optional<CalledIn> from_string<CalledIn>(std::string_view name);

struct FunctionDescription {
  std::string name;
  std::string signature;  // "start_of('month', date)"; several ways to write it are separated by ", "
  std::string meaning;
  CalledIn where = CalledIn::any_formula;
};

// All of them, in a stable order: those of any formula, totals, those over the whole, those of windows.
[[nodiscard]] std::vector<FunctionDescription> functions();

}  // namespace lofty
