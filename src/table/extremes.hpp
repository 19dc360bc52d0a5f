#pragma once
// The least and the greatest of plain integers.
// Covered by tests/table/extremes_test.cpp.

#include <cstddef>
#include <utility>

namespace lofty::engine {

// Precondition: count > 0. Instantiated for all integers of 8 to 64 bits. Uses the widest vectors that the machine has,
// chosen at run time: the plain x86-64 instructions cannot compare 64-bit integers, several at a time.
template <class T>
std::pair<T, T> least_and_greatest(const T* values, std::size_t count);

}  // namespace lofty::engine
