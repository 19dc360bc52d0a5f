#pragma once
// The search for undecided(), for keys of any kind.
// Covered by tests/rank/place_for_test.cpp.

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "lofty/undecided.hpp"
#include "order/codes.hpp"

namespace lofty::engine {

// `candidates` append the codes of one key each, on demand. `kept`: positions, ascending; only rows that are equal to
// one of these are looked at. Nothing: all.
Undecided find_undecided(const Order& order, const std::vector<std::function<void(KeyList&)>>& candidates,
                         const std::optional<std::span<const std::size_t>>& kept = {}, const Run& run = {});

}  // namespace lofty::engine
