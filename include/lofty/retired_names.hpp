#pragma once
// Names that an earlier version had, and what they are called now. This is the one place that knows them.

#include <optional>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// The current name of a ladder's key ("data.join[].kind" gives "type"), or of a function ("first()" gives how its call
// is written now). Keys are written with their section, as ladder_keys() has it. Nullopt: no version had it. O(1),
// thread-safe.
[[nodiscard]] std::optional<std::string_view> current_name(std::string_view retired);

}  // namespace lofty
