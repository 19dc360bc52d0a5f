#pragma once
// What a reader calls the rows of an answer.
// Covered by tests/report/picture_test.cpp.

#include <string>

#include "lofty/standings.hpp"
#include "report/cells.hpp"

namespace lofty::report {

// The column that names the entries: the first label, else the first key. Where there is neither, the number of
// columns.
std::size_t name_column(const Standings& standings);

// The row's own first label of text, else its keys: "High Moor", "17, 2026-01". Of a listing of rows without either,
// "row 5".
std::string row_name(const Standings& standings, const CellTexts& cells, std::size_t row);
// The place of the row in its level, with `=` where it is shared; empty without one.
std::string place_text(const Standings& standings, const CellTexts& cells, std::size_t row);
// The row's value of the column that its level is ranked by, where it is listed; else empty.
std::string ranked_text(const Standings& standings, const CellTexts& cells, std::size_t row);

// Who was listed before and is not now: "`Old Barrow` (was 3, now 28), ...". Fit for a terminal.
std::string departed_text(const Standings& standings);

}  // namespace lofty::report
