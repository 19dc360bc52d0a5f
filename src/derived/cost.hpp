#pragma once
// The steps of a question, with their prices.
// Covered by tests/ladder/cost_test.cpp.

#include <vector>

#include "lofty/cost.hpp"
#include "question/question.hpp"
#include "relation/times.hpp"

namespace lofty::engine {

// How many there are, as far as it is known; before reading, estimates.
struct Sizes {
  std::vector<std::optional<double>> tables;  // rows, by table
  std::vector<double> bytes;                  // of the files, by table; 0: in memory
  std::optional<double> rows, counted;        // of the relation; those that count
  std::vector<double> entries;                // by level
};
Sizes sizes_before(const std::vector<Question>& questions);

// What other questions it asks on the way: of [compare], and of [crossed].
void add_further_questions(const Ladder& ladder, Cost& cost, double compare_seconds, double across_seconds);

// The steps of all levels. `memory`: Run::memory. `times`: what each took, or null.
Cost cost_steps(const Ladder& ladder, const std::vector<Question>& questions, const Sizes& sizes, const Speeds& speeds,
                std::uint64_t memory, const Times* times);

}  // namespace lofty::engine
