#pragma once
// Standings as they were before, by the entries' keys, and what has become of them.
// Covered by tests/derived/compare_test.cpp.

#include <map>
#include <string>
#include <vector>

#include "answer/level_input.hpp"
#include "answer/names.hpp"
#include "answer/standings_data.hpp"

namespace lofty::engine {

// The column of saved entries with the place that peers share, where their places are ordinal.
inline constexpr const char* peers_place = "peers_place";

struct FormerPlaces {
  struct Stood {
    Value place;           // null: without one
    Value cut_place = {};  // that peers share, where `place` is ordinal; null: `place`
    bool listed = true;
    std::string name;  // empty: the keys say it
    Value value = {};  // of what places go by; null: not known
  };
  std::vector<std::string> key_names;  // the order of the keys below
  std::map<EntryKey, Stood> stood;
};

// The columns `was` and `moved`: former places, and how many places an entry has gone up since. `place` are its places
// now. Where the former values are known, what places went by before (value_before), and the difference since
// (value_change, of numbers). Throws Error(wrong_type) for a former place that the level's tie rule does not have.
struct Movement {
  ColumnPtr was, moved, value_before, value_change;  // the last two null where there are none
  std::map<EntryKey, std::uint32_t> entry_of;        // by key
};
Movement movement(const LevelInput& input, const Entries& entries, const ColumnPtr& place, const ColumnPtr& by);

std::string key_text(const std::vector<std::string>& names, const EntryKey& key);

}  // namespace lofty::engine
