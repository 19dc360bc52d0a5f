#pragma once
// How many rows there were, and what became of them.
// Covered by tests/relation/sinks_test.cpp.

#include <algorithm>
#include <cstddef>
#include <cstdint>

#include "relation/rows.hpp"

namespace lofty::engine {

// Of the relation. read = left_out + unknown + counted.
struct RowCounts {
  std::size_t read = 0;
  std::size_t left_out = 0;  // rows.where is false
  std::size_t unknown = 0;   // it is neither true nor false; such rows do not count either
  std::size_t counted = 0;
  std::uint32_t unknown_example = no_row;  // the first of those

  void add(const RowCounts& other) {
    read += other.read;
    left_out += other.left_out;
    unknown += other.unknown;
    counted += other.counted;
    unknown_example = std::min(unknown_example, other.unknown_example);
  }
};

}  // namespace lofty::engine
