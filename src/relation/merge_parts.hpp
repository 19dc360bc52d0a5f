#pragma once
// Parts of the rows taken together: their entries, in the order of their first rows, and the columns of these.
// Covered by tests/ladder/standings_test.cpp and tests/relation/stretches_test.cpp.

#include <functional>
#include <memory>
#include <mutex>
#include <vector>

#include "lofty/run.hpp"
#include "relation/entries.hpp"
#include "relation/partial_totals.hpp"

namespace lofty::engine {

// All states of all entries, which can be taken together further.
class KeptStates final : public Regroup {
 public:
  KeptStates(const Question& question, AggregateStates::ByOrder by_order, bool keeps_texts = false)
      : question_(question), by_order_(std::move(by_order)), part_(question, keeps_texts) {}
  PartialTotals& part() { return part_; }
  std::vector<ColumnPtr> totals(const std::vector<std::uint32_t>& group_of, std::size_t groups) override;

 private:
  const Question& question_;
  AggregateStates::ByOrder by_order_;
  PartialTotals part_;
  std::once_flag ready_;  // distinct values are where merging looks for them
};

// Adds the groups and states of a part whose rows come after those of `all`.
void merge_part(PartialTotals& all, PartialTotals& part);

// The same of several parts that took turns with the rows, so that groups are met in the order of their first rows. The
// parts are gone afterwards.
void merge_by_first_rows(PartialTotals& all, std::vector<std::unique_ptr<PartialTotals>>& parts);

// The two values of a column that was to have one value in an entry: its row among the entries.
using SeveralValues = std::function<void(const EntryColumn& column, const Carried& values, std::size_t entry)>;
// The values of a carried column that each entry's first row tells, where the part does not have them.
using FirstRowValues = std::function<Piece(const EntryColumn& column)>;

// Makes the columns of the entries that `all` has, in the order of Question::entry_columns: take(column, piece) for
// keys and what is carried, take_totals(column, states) for aggregates. With a conflict among carried values `several`
// is called, which throws.
void make_columns(PartialTotals& all, const Question& question, const FirstRowValues& of_first_rows,
                  const SeveralValues& several, const std::function<void(std::size_t c, Piece piece)>& take,
                  const std::function<void(std::size_t c, AggregateStates& states)>& take_totals);

// The same into `entries`, with their counts.
void make_entries(PartialTotals& all, const Question& question, const AggregateStates::ByOrder& by_order,
                  const FirstRowValues& of_first_rows, const SeveralValues& several, Entries& entries);

}  // namespace lofty::engine
