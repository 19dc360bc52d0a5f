#pragma once
// Totals of many entries: rows that parts have dealt out over partitions, and what they had totalled before.
// Covered by tests/relation/dealt_rows_test.cpp, and by generated ladders in next to no memory.

#include <atomic>
#include <cstdint>
#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "base/kept_parts.hpp"
#include "lofty/run.hpp"
#include "relation/entries.hpp"
#include "relation/merge_parts.hpp"
#include "relation/partial_totals.hpp"

namespace lofty::engine {

// With more entries than these in all parts together, further rows are dealt out: from about there on a table of them
// is larger than the caches of usual processors. Tests make it small.
constexpr std::size_t usual_entries_together = std::size_t{1} << 19;
inline std::atomic<std::size_t> most_entries_together = usual_entries_together;

// Rows that are dealt out take so many bytes before they are totalled, if more may come. Tests make it small.
constexpr std::size_t usual_taken_bytes = std::size_t{64} << 20;
inline std::atomic<std::size_t> least_taken_bytes = usual_taken_bytes;

// Does a record have a cell for this aggregate? No where its row alone is counted.
inline bool is_dealt(const Aggregate& aggregate) { return aggregate.argument || aggregate.filter; }
// The tag of a cell that its aggregate's filter does not let through.
inline constexpr std::uint8_t filtered_out = 0xff;
// How many cells the records of a part have: those of its keys, of what it carries, and of its aggregates.
std::size_t dealt_cells(const PartialTotals& part);

// The value of a carried column of an entry, given all of a partition: as FirstRowValues and SeveralValues.
struct PartitionCalls {
  std::function<Piece(const EntryColumn& column, const PartialTotals& all)> of_first_rows;
  std::function<void(const EntryColumn& column, const Carried& values, const PartialTotals& all, std::size_t entry)>
      several;
};

// The entries of each partition. One thread at a time; it uses several.
class DealtTotals {
 public:
  // Of parts that were made with the same. `question` and `run` have to outlive it.
  DealtTotals(const Question& question, bool outlast_rows, const Run& run);
  ~DealtTotals();

  // Totals the rows that parts have dealt out so far, and forgets them, where that takes less memory than to keep them;
  // called now and then, between rows.
  void take_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts);

  // Makes the entries' columns and counts, from the rows that were taken, those that parts have dealt out since, and
  // what they had totalled before: in the order of the entries' first rows. The parts' rows come one part after
  // another, or in turns. The parts are gone afterwards. O(rows + entries) time; a thread has one partition's entries
  // in memory, besides the columns of all. Throws what `calls` throw, of the column that comes first, and of it the
  // row.
  void make_entries(std::vector<std::unique_ptr<PartialTotals>>& parts, const PartitionCalls& calls, Entries& entries);

 private:
  class Partition;
  struct Made;
  struct Conflict;
  class InOrderOfFirstRows;

  bool pays(const std::vector<std::unique_ptr<PartialTotals>>& parts);
  void take_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts, std::size_t partition);
  std::optional<Conflict> make(const std::vector<std::unique_ptr<PartialTotals>>& parts, const PartitionCalls& calls,
                               std::size_t partition);
  void put_together(Entries& entries);

  const Question& question_;
  const bool outlast_rows_;
  const Run& run_;
  std::vector<std::unique_ptr<Partition>> partitions_;  // null: no row was taken
  std::size_t waiting_ = 0, next_look_ = 0;             // bytes of rows, and from how many on to look: one partition's
  std::vector<std::vector<std::vector<std::uint32_t>>> groups_;  // that parts had totalled, by part and partition
  std::vector<int> means_;                                       // columns of exact averages
  std::deque<KeptParts> kept_columns_;  // what was made, so that it may leave memory: by Question::entry_columns
  KeptParts kept_others_;               // its counts and first rows
  std::vector<Made> made_;              // by partition
};

}  // namespace lofty::engine
