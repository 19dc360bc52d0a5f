#pragma once
// The sizes of a question's tables and stages.
// Covered by tests/plan/make_plan_test.cpp and tests/derived/cost_test.cpp.

#include <optional>
#include <vector>

#include "lofty/catalog.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// Estimates before reading; exact afterwards.
struct Sizes {
  std::vector<TableSize> tables;        // by Question::tables
  std::optional<double> rows, counted;  // joined rows, and rows that count
  std::vector<double> entries;          // by level
  std::optional<double> kept = {};      // rows of the first table that stayed in memory; nullopt before reading
};

// The sizes that the sources report, with guesses for the rows that count and the entries (see lofty::plan). A source
// may read a few bytes of its file.
Sizes estimated_sizes(const std::vector<Question>& levels);

}  // namespace lofty::engine
