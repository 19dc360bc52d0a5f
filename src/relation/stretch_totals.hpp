#pragma once
// Totals of rows that are not kept: the first table's rows come in stretches, and each goes into the entries at once.
// Covered by tests/ladder/stretches_test.cpp against the totals of tables that are kept.

#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <vector>

#include "lofty/run.hpp"
#include "relation/dealt_totals.hpp"
#include "relation/entries.hpp"
#include "relation/merge_parts.hpp"
#include "relation/row_pass.hpp"
#include "relation/rows.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// Rows turned out to be needed again.
struct RowsNeeded {};

// Does a join find the partners of each row by itself, and lets no other rows in?
bool joins_as_it_goes(const JoinUse& join);

// Do all levels of a question look at each row by itself? Their entries are not single rows, and there are no windows
// over rows, totals that go by an order, entries without rows, and joins that let rows in. No also where an inner
// level, which would total all rows, had to keep each entry's distinct values.
bool takes_stretches(const std::vector<Question>& levels);

// The part of the memory limit that kept rows may take. Tests make it 0.
constexpr double usual_kept_share = 0.5;
inline std::atomic<double> most_kept_share{usual_kept_share};
// Rows that are looked at twice had better be kept, as long as they take less: for levels inside levels, which then
// total the rows inside what is listed alone, and for constants over all rows. `memory`: Run::memory.
bool had_better_be_kept(const std::vector<Question>& levels, std::uint64_t memory);

// The first table's columns that the constants over all rows need, with the conditions that go before them and the
// joins. Constants have to be known before rows are totalled, so that a look at these columns comes first. Empty: there
// are none.
std::set<std::size_t> columns_of_overalls(const Question& level);

// What they find: the entries, and the rows without their columns, for the places of rows and what joins found.
struct TotalledRows {
  Entries entries;
  std::unique_ptr<const JoinedRows> joined;
};

class StretchTotals {
 public:
  // Of a level of a question that takes_stretches(). All that is given has to outlive it; `joins` may be shared with
  // other questions over the same tables. `overalls`: the constants over all rows, by Question::overalls.
  StretchTotals(const Question& question, bool inner, std::vector<Value> overalls, StretchJoins& joins, const Run& run);

  // Adds the rows that the question's first table holds now: those after `rows_before` others. Throws RowsNeeded;
  // RowFailure and Error for what a row makes impossible, with rows counted from the stretch's first.
  void add(std::size_t rows_before);
  // Once all were added. Rows are those of the first table. Throws RowsNeeded and Error.
  TotalledRows finish();

 private:
  void settle_distinct(std::size_t aggregate, std::size_t pieces);
  void take_examples(const JoinedRows& rows, std::size_t rows_before);

  // Of a distinct count: as long as numbers ascend from piece to piece, what lies between a piece's least and greatest
  // one is nowhere else, and need not be kept.
  struct Ascending {
    bool expected = false;
    bool settled = false;  // some are not kept any more
    std::size_t seen = 0;
    std::int64_t greatest = std::numeric_limits<std::int64_t>::min();  // so far
  };

  bool may_deal() const;
  void take_dealt();
  bool rows_had_better_be_kept() const;
  void merge(const SeveralValues& several);

  const Question& question_;
  const std::vector<Value> overalls_;
  const Run& run_;
  StretchJoins& joins_;
  const bool inner_;
  std::vector<std::unique_ptr<Part>> parts_;  // they take turns with the rows: one piece of each stretch is of each
  std::unique_ptr<DealtTotals> dealt_;        // once a part has dealt out rows
  std::vector<Ascending> ascending_;          // by Question::aggregates
  std::size_t most_groups_ = most_rows;       // of all parts
  Entries entries_;
};

}  // namespace lofty::engine
