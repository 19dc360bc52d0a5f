#pragma once
// Windows over rows and over entries.
// Covered by tests/window/windows_test.cpp, against the standard's definition.

#include <cstdint>
#include <vector>

#include "plan/window_sorts.hpp"
#include "question/question.hpp"
#include "relation/entries.hpp"
#include "relation/rows.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// Computes the windows over the rows that count, which `counted` lists in ascending order, as columns of `rows`; null
// on the other rows. `sorts`: LevelPlan::row_sorts. Throws RowFailure.
RowWindows work_out_row_windows(const Question& question, const std::vector<SortStep>& sorts, JoinedRows& rows,
                                const std::vector<std::uint32_t>& counted, const Run& run);

// Some of the windows over entries.
struct EntryWindows {
  const std::vector<SortStep>& sorts;  // of the LevelPlan
  bool late = false;                   // those that see places; false: the others
  const Order* places = nullptr;       // the order of places; null: it is not known yet
};

// Computes windows over entries, and the formulas of [windows], into `columns`: by Question::entry_columns, and places
// after them. Notes are by Question::entry_windows. Throws RowFailure, whose rows are entries.
WindowTimes work_out_entry_windows(const Question& question, const EntryWindows& windows, const Entries& entries,
                                   std::vector<ColumnPtr>& columns, const Run& run, std::vector<WindowNotes>& notes);

}  // namespace lofty::engine
