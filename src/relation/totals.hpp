#pragma once
// The stages from rows to entries: conditions, overall constants, grouping, aggregates.
// Covered by tests/ladder/standings_test.cpp against a plain reference.

#include "lofty/run.hpp"
#include "plan/plan.hpp"
#include "question/question.hpp"
#include "relation/entries.hpp"
#include "relation/inside.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// Works the rows off, in fixed pieces, and adds the constants over all that count and the windows' columns to them.
// Throws RowFailure for the first row that fails, Error(several_values) for a carried column that has no single value.
// `inside`: null for the outermost level.
Entries run_rows(const Question& question, const LevelPlan& plan, JoinedRows& rows, const Inside* inside,
                 const Run& run);

// Makes the columns of single rows that are not there yet (LevelPlan::made_late), for the rows that are left.
void add_late_columns(const Question& question, const JoinedRows& rows, Entries& entries, const Run& run);

}  // namespace lofty::engine
