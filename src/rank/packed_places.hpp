#pragma once
// Places in few bytes.
// Covered by tests/rank/places_test.cpp.

#include <cstddef>

#include "lofty/places.hpp"
#include "table/packed_numbers.hpp"

namespace lofty::engine {

// What places() gives, in the fewest bytes where no group has more than `most` rows.
PackedNumbers packed_places(const Order& order, Ties ties, std::size_t most, const Run& run);

}  // namespace lofty::engine
