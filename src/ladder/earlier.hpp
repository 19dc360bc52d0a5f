#pragma once
// Standings as they were before: who stood where, by the entries' keys.
// Covered by tests/ladder/compare_test.cpp.

#include <map>
#include <string>
#include <vector>

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

// As [compare] asks for it. `now` gives the keys' names, and the place column's as `place`. Throws Error.
Earlier earlier(const Ladder& ladder, const std::vector<std::string>& key_names, const std::string& place,
                const Catalog& catalog, const Run& run);

// Takes [compare] out of a ladder, with all that speaks of `was` and `moved`: columns, headings, the listing's order,
// conditions on who is kept.
void without_moves(Ladder& ladder);

std::string key_text(const std::vector<std::string>& names, const EntryKey& key);

}  // namespace lofty::engine
