#pragma once
// Which entries remain: those inside what the level outside lists, and of these the ones that rank.having lets through.
// Covered by tests/ladder/standings_test.cpp and tests/answer/levels_test.cpp.

#include <cstdint>
#include <vector>

#include "answer/level_input.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

// Leaves these entries, which are ascending.
void leave(Entries& entries, const std::vector<std::uint32_t>& left, const Run& run);

// What the level outside lists. Precondition: there is one.
Inside inside_of(const LevelInput& input);
// Leaves the entries that belong to one of these.
void keep_inside(const Inside& inside, Entries& entries, const Run& run);

struct Dropped {
  std::size_t before = 0;               // entries, rank.having not yet applied
  std::size_t failed = 0, unknown = 0;  // for which it is false, or unknown
};
// Leaves the entries for which rank.having is true. Throws RowFailure, whose rows are entries.
Dropped drop(const LevelInput& input, Entries& entries);

// Computes the totals that are formulas over other columns. Throws RowFailure likewise.
void compute_totals(const LevelInput& input, Entries& entries);

}  // namespace lofty::engine
