#pragma once
// The kept entries as they are listed: their order, which of them, and the columns.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <vector>

#include "answer/kept.hpp"
#include "answer/level_input.hpp"
#include "answer/places.hpp"

namespace lofty::engine {

struct Listed {
  std::vector<std::uint32_t> rows;         // entries
  std::vector<std::uint32_t> kept;         // those before list.first, list.last or list.sample leave rows out
  std::vector<std::uint32_t> passed_over;  // by listed row; empty: all 0
  std::vector<CutTie> cut_ties;            // by listed row; only in the order of places
  std::size_t kept_count = 0;              // before list.first, list.last or list.sample leave rows out
  std::vector<StandingColumn> columns;
  std::vector<ColumnPtr> values;                   // by column; all entries
  std::vector<std::vector<std::uint8_t>> tied_by;  // by column, then entry; empty: as Places::tied
  std::vector<std::uint8_t> group_start;           // by listed row
  std::vector<std::uint32_t> group_of;             // by entry: its group; empty: one group
  bool groups_mixed = false;                       // by the listing's order
};

// Throws RowFailure.
Listed list(const LevelInput& input, const Entries& entries, const Places& places, const Kept& kept,
            SortKeyMaker& keys);

}  // namespace lofty::engine
