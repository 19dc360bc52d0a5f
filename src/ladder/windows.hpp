#pragma once
// Windows over rows and over entries.
// Covered by tests/ladder/windows_test.cpp, against the standard's definition.

#include <cstdint>
#include <vector>

#include "ladder/question.hpp"
#include "ladder/rows.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// The windows over the rows that count, which `counted` lists in ascending order, as columns of `rows`; null on the
// others. By Question::row_windows, what is worth saying of each. Throws RowFailure.
std::vector<WindowNotes> work_out_row_windows(const Question& question, JoinedRows& rows,
                                              const std::vector<std::uint32_t>& counted, const Ladder& ladder,
                                              const Run& run, WindowTimes& times);

// The windows over entries, and the formulas of [windows], into `columns` (by Question::entry_columns, and places
// behind them). `late`: those that see places, else the others. Notes are by Question::entry_windows. Throws
// RowFailure, whose rows are entries.
void work_out_entry_windows(const Question& question, std::size_t entries, std::vector<ColumnPtr>& columns, bool late,
                            const Ladder& ladder, const Run& run, std::vector<WindowNotes>& notes, WindowTimes& times);

// The same as items of a plan: by Question::row_windows; by Question::windowed, or the late entry windows.
std::vector<WindowItem> row_window_items(const Question& question);
std::vector<WindowItem> entry_window_items(const Question& question, bool late);

}  // namespace lofty::engine
