#pragma once
// What a ladder declares of a table's columns.

#include <optional>
#include <string>

#include "lofty/catalog.hpp"
#include "table/infer.hpp"

namespace lofty::engine {

inline std::optional<Type> declared_type(const ReadOptions& options, const std::string& heading) {
  for (const auto& option : options.columns) {
    if (option.column != heading) continue;
    for (const Kind kind :
         {Kind::integer, Kind::decimal, Kind::floating, Kind::date, Kind::timestamp, Kind::boolean, Kind::text})
      if (option.type == kind_name(kind)) return Type{.kind = kind};
  }
  return std::nullopt;
}

inline NumberForm declared_form(const ReadOptions& options, const std::string& heading) {
  for (const auto& option : options.columns)
    if (option.column == heading) return {option.thousands, option.point};
  return {};
}

}  // namespace lofty::engine
