#pragma once
// Bars next to the numbers of a column (list.bars).
// Covered by tests/report/listing_test.cpp and tests/browser/page_test.mjs.

#include <cstddef>
#include <optional>
#include <vector>

#include "lofty/standings.hpp"

namespace lofty::report {

// From where to where a bar goes, as parts of the room that there is for bars: 0 <= from <= to <= 1. Zero is at `from`,
// or at `to` of a negative number.
struct Bar {
  double from = 0, to = 0;
  bool negative = false;
};

// The numbers of one column and zero, from the least to the greatest; each level has its own scale.
class BarScale {
 public:
  // O(rows). `standings` has to outlive this.
  BarScale(const Standings& standings, std::size_t column);

  // Nothing for null, for another level's value, and where all numbers are 0.
  std::optional<Bar> bar(std::size_t row) const;

 private:
  struct Range {
    double least = 0, most = 0;
  };

  const Standings& s_;
  std::size_t column_;
  std::vector<Range> ranges_;  // by level
};

}  // namespace lofty::report
