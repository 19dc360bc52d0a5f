#pragma once
// The names of enumerators: to_string() and from_string() of every enumeration are made here.
// Covered by tests/api_test.cpp.

#include <initializer_list>
#include <optional>
#include <string_view>
#include <utility>

namespace lofty::engine {

template <class Enum>
using EnumNames = std::initializer_list<std::pair<Enum, const char*>>;

template <class Enum>
constexpr const char* name_in(EnumNames<Enum> names, Enum wanted) {
  for (const auto& [one, name] : names)
    if (one == wanted) return name;
  return "";
}

template <class Enum>
constexpr std::optional<Enum> named_in(EnumNames<Enum> names, std::string_view wanted) {
  for (const auto& [one, name] : names)
    if (name == wanted) return one;
  return std::nullopt;
}

}  // namespace lofty::engine

// Defines both functions, in namespace lofty: LOFTY_ENUM_NAMES(Cut, {Cut::strict, "strict"}, ...)
#define LOFTY_ENUM_NAMES(Enum, ...)                                                                  \
  const char* to_string(Enum value) { return ::lofty::engine::name_in<Enum>({__VA_ARGS__}, value); } \
  template <>                                                                                        \
  std::optional<Enum> from_string<Enum>(std::string_view name) {                                     \
    return ::lofty::engine::named_in<Enum>({__VA_ARGS__}, name);                                     \
  }
