#pragma once
// Names of the windows of a plan.

#include <string>

#include "plan/window_sorts.hpp"

namespace lofty::engine {

// A figure or window value by its own name; a window in a condition or a sort list by the key that holds it.
inline std::string last_part(const std::string& key) {
  for (const std::string_view named : {"figures.", "windows."})
    if (const std::size_t at = key.rfind(named); at != std::string::npos) return key.substr(at + named.size());
  return key;
}

// The names of the items of entry_window_items(question, false).
inline auto entry_names(const Question& question) {
  return [&question](std::size_t item) {
    const EntryColumn& column = question.entry_columns[question.windowed[item]];
    return column.from == EntryColumn::From::window ? last_part(question.entry_windows[column.index].where)
                                                    : column.name;
  };
}

}  // namespace lofty::engine
