#pragma once
// What the headings of every kind of table have to be.

#include <cstddef>
#include <optional>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "lofty/error.hpp"

namespace lofty::engine {

constexpr std::size_t most_columns = 16'384;  // docs/limits.md

// Throws Error(beyond_limit).
inline void check_column_count(const std::string& file, std::size_t columns) {
  if (columns <= most_columns) return;
  Problem p{Code::beyond_limit, "it has more than 16,384 columns", {}, {}, {}};
  p.location.file = file;
  throw Error(std::move(p));
}

// The first column whose heading an earlier one has too: both, the earlier one first. Linear.
inline std::optional<std::pair<std::size_t, std::size_t>> doubled_heading(const std::vector<std::string>& headings) {
  std::unordered_map<std::string_view, std::size_t> seen;
  for (std::size_t i = 0; i < headings.size(); ++i)
    if (const auto [at, fresh] = seen.try_emplace(headings[i], i); !fresh) return std::pair{at->second, i};
  return std::nullopt;
}

}  // namespace lofty::engine
