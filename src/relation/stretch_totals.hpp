#pragma once
// Totals of rows that are not kept: the first table's rows come in stretches, and each goes into the entries at once.
// Covered by tests/relation/sinks_test.cpp and tests/relation/stretches_test.cpp.

#include <cstdint>
#include <memory>
#include <vector>

#include "lofty/run.hpp"
#include "plan/plan.hpp"
#include "relation/dealt_totals.hpp"
#include "relation/entries.hpp"
#include "relation/merge_parts.hpp"
#include "relation/row_pass.hpp"
#include "relation/rows.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// What they find: the entries, and the rows without their columns, for the places of rows and what joins found.
struct TotalledRows {
  Entries entries;
  std::unique_ptr<const JoinedRows> joined;
};

class StretchTotals {
 public:
  // Of a level whose rows need not be kept. All that is given has to outlive it; `joins` may be shared with other
  // questions over the same tables. `overalls`: the constants over all rows, by Question::overalls.
  StretchTotals(const Question& question, const LevelPlan& plan, bool inner, std::vector<Value> overalls,
                StretchJoins& joins, const Run& run);

  // Adds the rows that the first table has here: those after `rows_before` others. Throws RowFailure and Error for what
  // a row makes impossible, with rows counted from the stretch's first.
  Outcome add(const Tables& tables, std::size_t rows_before);
  // Once all were added; the first table is without columns. Throws Error.
  Outcome finish(const Tables& tables, TotalledRows& out);

 private:
  bool settle_distinct(std::size_t aggregate, std::size_t pieces);
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
  std::size_t groups() const;
  void merge(const SeveralValues& several);

  const Question& question_;
  const LevelPlan& plan_;
  const std::vector<Value> overalls_;
  const Run& run_;
  StretchJoins& joins_;
  const bool inner_;
  std::vector<std::unique_ptr<PartialTotals>> parts_;  // each takes one piece of each stretch
  std::size_t read_ = 0;                               // rows of the relation so far
  std::unique_ptr<DealtTotals> dealt_;                 // once a part has dealt out rows
  std::vector<Ascending> ascending_;                   // by Question::aggregates
  const std::shared_ptr<TextsOfTable> texts_met_ = std::make_shared<TextsOfTable>();
  Entries entries_;
};

}  // namespace lofty::engine
