#pragma once
// Numbers on their way into fewer bytes, and back.
// Covered by tests/window/packing_test.cpp.

#include <cstdint>
#include <span>

#include "lofty/key.hpp"
#include "table/packed_numbers.hpp"

namespace lofty::engine {

// A caller's whole numbers in the fewest bytes, for going to every row of a large array: two steps from front to back
// cost a fraction of what they save. None where the array is small, or has a value that int64_null would take for null.
PackedNumbers packed_by_row(const Key& key, const Run& run);

// The numbers of these rows. None where they need more than 32 bits, or where a sum of so many might need more than 64.
PackedNumbers packed_by_position(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run);
PackedNumbers packed_by_position(const Column& column, std::span<const std::uint32_t> rows, const Run& run);

// In full width: all of them, or those of some rows; null is int64_null.
Buffer<std::int64_t> unpacked(const PackedNumbers& numbers, const Run& run);
Buffer<std::int64_t> unpacked(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run);

}  // namespace lofty::engine
