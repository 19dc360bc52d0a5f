#pragma once
// The search for undecided(), for keys of any kind.
// Covered by tests/rank/place_for_test.cpp.

#include <functional>
#include <vector>

#include "lofty/undecided.hpp"
#include "order/codes.hpp"

namespace lofty::engine {

// `candidates` append the codes of one key each, on demand.
Undecided find_undecided(const Order& order, const std::vector<std::function<void(KeyList&)>>& candidates,
                         const Run& run = {});

}  // namespace lofty::engine
