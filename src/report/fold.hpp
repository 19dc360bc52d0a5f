#pragma once
// Long ties at a cut, shortened for the eye.
// Covered by tests/report/listing_test.cpp.

#include <cstdint>
#include <string>
#include <vector>

#include "lofty/standings.hpp"
#include "report/cells.hpp"

namespace lofty::report {

// By listed row, 1 for those that the eye can do without: of a tie at the cut that runs to more than 20 entries beyond
// it, those beyond the cut but the first five of the tie.
std::vector<std::uint8_t> folded_ties(const Standings& standings);

// What is said in place of the rows from `row` on that are folded: "4,384 more share place 3".
std::string note_of_fold(const Standings& standings, const CellTexts& cells, const std::vector<std::uint8_t>& folded,
                         std::size_t row);

}  // namespace lofty::report
