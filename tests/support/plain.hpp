#pragma once
// Plain references: every definition in a few obvious lines, however slow. Never shipped.

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace plain {

// Delimited text without quotes, as rows of texts.
std::vector<std::vector<std::string>> read_csv(const std::string& text);

// Places straight from their definitions in words: O(n^2). `better(a, b)`: is a ahead of b? Entries that are neither
// ahead nor after are tied; `unranked` ones have none. Ordinal places follow `better`, then `sooner`, a total order.
std::vector<std::optional<double>> places(std::size_t size, lofty::Ties ties,
                                          const std::function<bool(std::size_t, std::size_t)>& better,
                                          const std::function<bool(std::size_t, std::size_t)>& sooner,
                                          const std::function<bool(std::size_t)>& unranked);

// Null-aware order of single values: negative, 0, positive. Nulls last in either direction.
int compare(const lofty::Value& a, const lofty::Value& b, bool descending);

}  // namespace plain
