#pragma once
// A level answered, stage by stage: what each stage found.
// Covered by tests/ladder/standings_test.cpp.

#include <memory>
#include <optional>
#include <vector>

#include "answer/former_places.hpp"
#include "answer/kept.hpp"
#include "answer/level_input.hpp"
#include "answer/listed.hpp"
#include "answer/names.hpp"
#include "answer/places.hpp"
#include "answer/remaining.hpp"
#include "answer/standings_data.hpp"
#include "answer/summaries.hpp"
#include "answer/whole_order.hpp"
#include "plan/times.hpp"
#include "relation/stretch_totals.hpp"

namespace lofty::engine {

// Of the time that a whole job from files takes, near enough: until the tables are read, and until entries are totalled
// or, where every row is one, until they are looked at.
inline constexpr double reading_share = 0.55, totals_share = 0.98, rows_share = 0.75;

struct LevelAnswer : LevelInput {
  explicit LevelAnswer(const LevelInput& input) : LevelInput(input) {}

  std::optional<Inside> inside;  // of an inner level
  std::unique_ptr<const JoinedRows> joined;
  Entries entries;
  Dropped dropped;
  std::shared_ptr<const WholeOrder> whole;  // where rows that cannot be kept were left out before places were made
  std::vector<WindowNotes> window_notes;    // by Question::entry_windows
  OrderingNotes orderings;
  Places places;
  Kept kept;
  Listed listed;
  Summaries summaries;
  std::vector<Departed> departed;
  std::vector<std::uint8_t> marked;  // by entry: Question::mark is true; empty without one
  Accounting accounting;
  Times times;  // what each step took

  // How many entries places are of, all that were cut early included.
  std::size_t ranked_of() const { return whole ? whole->entries() : entries.count; }
  Names names() const { return {question, *joined, entries, outer}; }
};

// From rows to listed entries. `totalled`: what the rows gave, where they were totalled as they were read; entries
// outside what the level outside lists are among it. Of `progress`, this takes the part that rows have. Throws Error.
LevelAnswer answer_level(const LevelInput& input, std::optional<TotalledRows> totalled, const Run& progress);

// The same as a Standings holds it, without title, sentences and remarks.
std::shared_ptr<StandingsData> standings_data(const LevelAnswer& answer);

}  // namespace lofty::engine
