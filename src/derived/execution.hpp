#pragma once
// Carrying out a plan: reads the tables, and totals rows as they are read if the plan says so.
// Covered by tests/relation/stretches_test.cpp.

#include <optional>
#include <span>
#include <vector>

#include "derived/table_reading.hpp"
#include "lofty/run.hpp"
#include "plan/plan.hpp"
#include "question/resolve.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"

namespace lofty::engine {

// The input of one question's stages.
struct QuestionRows {
  std::vector<Question> levels;        // with types
  std::vector<TotalledRows> totalled;  // by level; empty: the stages total the rows of the tables
};

struct Execution {
  Plan plan;                        // as carried out
  Outcome outcome = Outcome::held;  // of the plan as made
  Tables tables;                    // the first one with the rows that plan.rows says
  std::vector<double> seconds;      // by table: what reading it took
  std::vector<QuestionRows> questions;
  std::optional<SiftedRows> sifted;  // if only rows that count were kept
};

// Reads the tables of the questions that the plan was made for. If the plan does not hold, the next one is carried out.
// Throws Error with all problems, `further` among them.
Execution carry_out(const Plan& plan, std::span<const Resolution* const> questions, const std::vector<Problem>& further,
                    const Run& run);

}  // namespace lofty::engine
