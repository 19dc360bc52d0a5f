#pragma once
// A plan carried out: tables read, and rows totalled on the way where the plan says so.
// Covered by tests/ladder/stretches_test.cpp.

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

// What one question is answered from.
struct QuestionRows {
  std::vector<Question> levels;        // with types
  std::vector<TotalledRows> totalled;  // by level; empty: the rows of the tables are yet to be looked at
};

struct Execution {
  Plan plan;                        // that was carried out
  Outcome outcome = Outcome::held;  // of the one that was made
  Tables tables;                    // the first one with the rows that plan.rows says
  std::vector<double> seconds;      // by table: what reading it took
  std::vector<QuestionRows> questions;
  std::optional<SiftedRows> sifted;  // where the first table has the rows that count alone
};

// Reads the tables of questions whose names are resolved, which are over the same ones and fit the plan. Where the plan
// does not hold, the next one is carried out. Throws Error with all that is wrong, `further` among it.
Execution carry_out(const Plan& plan, std::span<const Resolution* const> questions, const std::vector<Problem>& further,
                    const Run& run);

}  // namespace lofty::engine
