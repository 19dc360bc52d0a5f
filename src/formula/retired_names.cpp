// Names of earlier versions. To drop a name, delete its line.
// Covered by tests/tool/retired_names_test.cpp.

#include "lofty/retired_names.hpp"

#include <utility>

namespace lofty {
namespace {

constexpr std::pair<std::string_view, std::string_view> retired_names[] = {
    // Keys of a ladder.
    {"across", "crossed"},
    {"data.columns.*.point", "written"},
    {"data.columns.*.thousands", "written"},
    {"data.join[].kind", "type"},
    {"level[].every", "fill"},
    {"list.order_by", "alternative"},
    {"periods.*.anchor", "ends"},
    {"rank.every", "fill"},
    {"window_defs", "named_windows"},
    // Functions.
    {"first()", "first_value(x) within group (order by ordered_on)"},
    {"last()", "last_value(x) within group (order by ordered_on)"},
};

}  // namespace

std::optional<std::string_view> current_name(std::string_view retired) {
  for (const auto& [before, now] : retired_names)
    if (before == retired) return now;
  return std::nullopt;
}

}  // namespace lofty
