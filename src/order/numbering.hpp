#pragma once
// Equal keys, equal numbers: dense, and in the order of their first appearance.
// Covered by tests/rank/sums_test.cpp.

#include <cstdint>
#include <memory>
#include <vector>

#include "lofty/run.hpp"
#include "order/key_string.hpp"

namespace lofty::engine {

// Numbers rows by keys; `first_rows` gets the first row of each number. O(n).
void number_rows(KeyList codes, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                 std::vector<std::uint32_t>& first_rows);

}  // namespace lofty::engine
