#pragma once
// Where the rows went.
// Covered by tests/ladder/standings_test.cpp and tests/browser/page_test.mjs.

#include <string>
#include <vector>

#include "lofty/standings.hpp"

namespace lofty::report {

// "rows: 12,004 read, 345 left out, 11,659 counted", "entries: 214, 214 ranked, 10 listed". Fit for a terminal.
std::vector<std::string> accounting_lines(const Standings& standings);

}  // namespace lofty::report
