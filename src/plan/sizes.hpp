#pragma once
// How large a question's tables and stages are, as far as that is known.
// Covered by tests/plan/make_plan_test.cpp and tests/ladder/cost_test.cpp.

#include <optional>
#include <vector>

#include "lofty/catalog.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// Before reading these are estimates; afterwards they are what was met.
struct Sizes {
  std::vector<TableSize> tables;        // by Question::tables
  std::optional<double> rows, counted;  // of the relation; those that count
  std::vector<double> entries;          // by level
  std::optional<double> kept = {};      // rows of the first table that stayed; nothing before reading
};

// What the sources know of their tables, and a guess at how many rows count and how many entries they make (see
// lofty::plan). Asks the sources, which may look at a few bytes of their files.
Sizes estimated_sizes(const std::vector<Question>& levels);

}  // namespace lofty::engine
