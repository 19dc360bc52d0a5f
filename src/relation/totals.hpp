#pragma once
// The stages from rows to entries: conditions, overall constants, grouping, aggregates.
// Covered by tests/ladder/standings_test.cpp against a plain reference.

#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "question/question.hpp"
#include "relation/entries.hpp"
#include "relation/inside.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// Works the rows off, in fixed pieces, and adds the constants over all that count and the windows' columns to them.
// Throws RowFailure for the first row that fails, Error(several_values) for a carried column that has no single value.
// `inside`: null for the outermost level. `waits`: by entry column of single rows, does add_waiting() make it? Empty:
// none.
Entries run_rows(const Question& question, JoinedRows& rows, const Ladder& ladder, const Inside* inside,
                 const std::vector<bool>& waits, const Run& run);

// Makes the columns of single rows that are not there yet, for the rows that are left.
void add_waiting(const Question& question, const JoinedRows& rows, Entries& entries, const Run& run);

}  // namespace lofty::engine
