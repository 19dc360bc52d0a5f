#pragma once
// Crossed tables: entries down and entries across.
// Covered by tests/ladder/across_test.cpp.

#include <cstddef>
#include <memory>
#include <vector>

#include "answer/standings_data.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "lofty/standings.hpp"

namespace lofty::engine {

// All that is wrong with [across], with the names of its keys. Reads no rows.
std::vector<Problem> check_across(const Ladder& ladder, const Catalog& catalog);

// The further questions that it asks: for the entries across, and for the cells of each level. Precondition: nothing is
// wrong with it.
std::vector<Ladder> crossing_questions(const Ladder& ladder);

class Crossing {
 public:
  // Asks for the entries across. Throws Error. What is given has to outlive this.
  Crossing(const Ladder& ladder, const Catalog& catalog, const Run& run);
  // `down`, the answer of one level, with a column for each entry across behind the others. Asks for the cells. Throws
  // Error.
  std::shared_ptr<StandingsData> cross(const StandingsData& down, std::size_t level) const;

 private:
  const Ladder& ladder_;
  const Catalog& catalog_;
  const Run run_;
  Standings columns_;
};

}  // namespace lofty::engine
