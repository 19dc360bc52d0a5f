#pragma once
// The best N rows by sort keys that are codes already.
// Covered by tests/answer/early_cut_test.cpp.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "lofty/run.hpp"
#include "order/sort.hpp"

namespace lofty::engine {

// The best `count` of rows 0 to size - 1 by keys.by in each group of keys.within, and those that tie with the last of
// them; ascending. None that is unranked. As best() in lofty/selection.hpp, which see.
std::vector<std::uint32_t> best_rows(std::size_t size, const SortKeys& keys, std::size_t count, const Run& run);

}  // namespace lofty::engine
