#pragma once
// [compare]: former places, asked for again or read from a table.
// Covered by tests/ladder/compare_test.cpp.

#include <string>
#include <vector>

#include "answer/former_places.hpp"
#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// As [compare] asks for it, by level. An entry of an inner level had no place where the one that holds it was not
// listed: that level did not run there. `questions` are those of the ladder now. Throws Error.
std::vector<FormerPlaces> former_places(const Ladder& ladder, const std::vector<Question>& questions,
                                        const Catalog& catalog, const Run& run);

// The question as it was asked before, where [compare] says with which choices. Throws Error (bad_choice).
Ladder former_question(const Ladder& ladder);

// Takes [compare] out of a ladder, with all that speaks of `was` and `moved`: columns, headings, the listing's orders,
// conditions on who is kept.
void without_moves(Ladder& ladder);

}  // namespace lofty::engine
