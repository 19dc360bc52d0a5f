#pragma once
// The lines for the entries that are not listed, and for all of them (rank.others).
// Covered by tests/answer/levels_test.cpp.

#include <cstdint>
#include <vector>

#include "answer/listed.hpp"
#include "answer/names.hpp"

namespace lofty::engine {

struct Summaries {
  std::vector<SummaryLine> lines;  // by the row that they follow
  // Distinct counts that entries share: by column of the entries, what they add up to in one group, and what is true.
  struct Overlap {
    std::size_t column = 0;
    std::int64_t added = 0, together = 0;
  };
  std::vector<Overlap> overlaps;
};

// Precondition: the states of the totals were kept (Entries::regroup). Throws RowFailure.
Summaries summarize(const LevelInput& input, const Entries& entries, const Listed& listed, const Names& names);

}  // namespace lofty::engine
