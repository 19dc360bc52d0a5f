#pragma once
// A table of enumerators and their names: the one way in which to_string() and from_string() look them up.

#include <cstddef>
#include <optional>
#include <string_view>
#include <utility>

namespace lofty::engine {

template <class Enum, std::size_t N>
constexpr const char* name_in(const std::pair<Enum, const char*> (&names)[N], Enum wanted) {
  for (const auto& [one, name] : names)
    if (one == wanted) return name;
  return "";
}

template <class Enum, std::size_t N>
constexpr std::optional<Enum> named_in(const std::pair<Enum, const char*> (&names)[N], std::string_view wanted) {
  for (const auto& [one, name] : names)
    if (name == wanted) return one;
  return std::nullopt;
}

}  // namespace lofty::engine
