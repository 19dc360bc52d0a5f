#pragma once
// Standings as they were before: who stood where, by the entries' keys.
// Covered by tests/ladder/compare_test.cpp.

#include <map>
#include <string>
#include <vector>

#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"

namespace lofty::engine {

struct Earlier {
  struct Stood {
    Value place;  // null: without one
    bool listed = true;
    std::string name;  // empty: the keys say it
  };
  std::vector<std::string> key_names;  // the order of the keys below
  std::map<EntryKey, Stood> stood;
};

// As [compare] asks for it, by level. An entry of an inner level had no place where the one that holds it was not
// listed: that level did not run there. `questions` are those of the ladder now. Throws Error.
std::vector<Earlier> earlier(const Ladder& ladder, const std::vector<Question>& questions, const Catalog& catalog,
                             const Run& run);

// The question as it was asked before, where [compare] says with which choices. Throws Error (bad_choice).
Ladder former_question(const Ladder& ladder);

// Takes [compare] out of a ladder, with all that speaks of `was` and `moved`: columns, headings, the listing's orders,
// conditions on who is kept.
void without_moves(Ladder& ladder);

std::string key_text(const std::vector<std::string>& names, const EntryKey& key);

}  // namespace lofty::engine
