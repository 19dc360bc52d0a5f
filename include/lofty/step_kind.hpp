#pragma once
// The steps of an answer, as a plan prices them and a run times them.

#include <cstdint>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

enum class StepKind : std::uint8_t {
  read,     // a table
  join,     // finding the partners of rows
  count,    // which rows count, for windows
  sort,     // for windows
  window,   // one function over its frames
  total,    // rows to entries
  rank,     // places
  list,     // the listing
  remark,   // remarks
  compare,  // the former question of [compare]
  crossed,  // the entries across of [crossed]
};
[[nodiscard]] const char* to_string(StepKind value);
template <>
std::optional<StepKind> from_string<StepKind>(std::string_view name);

}  // namespace lofty
