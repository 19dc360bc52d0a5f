#pragma once
// The names of enumerators, as ladder files, options and JSON have them, and back.
//
//   lofty::to_string(lofty::Ties::dense)              "dense"
//   lofty::from_string<lofty::Ties>("dense")          lofty::Ties::dense
//   lofty::from_string<lofty::Ties>("densely")        std::nullopt
//
// Each enum's own header declares its to_string(): a static text, never null. Names are stable. All are O(names) and
// thread-safe.

#include <optional>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// Specialised for every enum that has a to_string(). Exact spelling: no folding, no blanks.
template <class Enum>
[[nodiscard]] std::optional<Enum> from_string(std::string_view name);

}  // namespace lofty
