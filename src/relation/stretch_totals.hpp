#pragma once
// Totals of rows that are not kept: the first table's rows come in stretches, and each goes into the entries at once.
// Covered by tests/ladder/stretches_test.cpp against the totals of tables that are kept.

#include <memory>
#include <optional>
#include <vector>

#include "lofty/run.hpp"
#include "relation/entries.hpp"
#include "relation/merge_parts.hpp"
#include "relation/row_pass.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// Rows turned out to be needed again.
struct RowsNeeded {};

// Does a question look at each row once, and at nothing but its own? A question of one level whose entries are not
// single rows, without windows and constants over rows, totals that go by an order, entries without rows, and joins
// that let rows in.
bool takes_stretches(const Question& question);

// What they find: the entries, and the rows without their columns, for the places of rows and what joins found.
struct TotalledRows {
  Entries entries;
  std::unique_ptr<const JoinedRows> joined;
};

class StretchTotals {
 public:
  // Precondition: takes_stretches(question). The question has to outlive it, and so does the run.
  StretchTotals(const Question& question, const Run& run);

  // Adds the rows that the question's first table holds now: those after `rows_before` others. Throws RowsNeeded;
  // RowFailure and Error for what a row makes impossible, with rows counted from the stretch's first.
  void add(std::size_t rows_before);
  // Once all were added. Rows are those of the first table. Throws RowsNeeded and Error.
  TotalledRows finish();

 private:
  void expect_distinct_ascend(const std::vector<std::unique_ptr<Part>>& parts, std::size_t aggregate);
  void set_apart(Part& part, std::size_t aggregate);
  void take_first_rows(const JoinedRows& rows, const std::vector<std::uint32_t>& first_rows,
                       const std::vector<std::uint32_t>& ids, std::size_t known);
  void count_texts();

  // Of a distinct count: as long as numbers ascend from part to part, what lies between a part's least and greatest
  // one is nowhere else, and need not be kept.
  struct Ascending {
    bool expected = false;
    std::int64_t greatest = std::numeric_limits<std::int64_t>::min();  // so far
  };

  const Question& question_;
  const Run& run_;
  StretchJoins joins_;
  std::shared_ptr<KeptStates> kept_;
  Part& all_;
  bool first_ = true;
  std::vector<Ascending> ascending_;  // by Question::aggregates
  std::vector<Piece> of_first_rows_;  // by Question::entry_columns, where the first row speaks for all
  std::vector<std::size_t> texts_;    // columns of text of the first table
  Entries entries_;
};

}  // namespace lofty::engine
