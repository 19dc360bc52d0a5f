#pragma once
// Windows over rows and over entries.
// Covered by tests/ladder/windows_test.cpp, against the standard's definition.

#include <cstdint>
#include <vector>

#include "plan/window_sorts.hpp"
#include "question/question.hpp"
#include "relation/rows.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// The windows over the rows that count, which `counted` lists in ascending order, as columns of `rows`; null on the
// others. By Question::row_windows, what is worth saying of each. Throws RowFailure.
// `listed` gets the rows that count, by their number among these, in the order of the listing, where a step has it.
std::vector<WindowNotes> work_out_row_windows(const Question& question, JoinedRows& rows,
                                              const std::vector<std::uint32_t>& counted, const Ladder& ladder,
                                              const Run& run, WindowTimes& times, std::vector<std::uint32_t>& listed);

// The windows over entries, and the formulas of [windows], into `columns` (by Question::entry_columns, and places
// after them). `late`: those that see places, else the others. Notes are by Question::entry_windows. Throws
// RowFailure, whose rows are entries.
// `places`: the order of places, where it is known already.
void work_out_entry_windows(const Question& question, const FormulaContext& context, std::size_t entries,
                            std::vector<ColumnPtr>& columns, bool late, const Ladder& ladder, const Run& run,
                            std::vector<WindowNotes>& notes, WindowTimes& times, const Order* places = nullptr);

}  // namespace lofty::engine
