#pragma once
// Standings as Markdown.
// Covered by tests/io/write_test.cpp and tests/reliability/hostile_text_test.cpp.

#include <string>

#include "lofty/standings.hpp"

namespace lofty::report {

// Values in full, or in the formats of list.formats. Of a tie at the cut that runs to more than 20 entries beyond it
// five are listed, unless `whole`.
std::string markdown(const Standings& standings, bool whole);

}  // namespace lofty::report
