#pragma once
// Totals on their way: what has been seen of each group.
// Covered by tests/ladder/standings_test.cpp and tests/ladder/property_test.cpp, against plain references.

#include <cstdint>
#include <functional>
#include <limits>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "question/question.hpp"
#include "rank/moments.hpp"
#include "relation/cell_maker.hpp"
#include "relation/entries.hpp"
#include "relation/group_keys.hpp"
#include "relation/ordered_totals.hpp"
#include "value/exact_sum.hpp"

namespace lofty::engine {

// Different (group, value) pairs. As long as numbers come in ascending order, as order numbers do, a pair can only be
// one of the last few, of the same number; a table is made only when one comes out of order.
class DistinctPairs {
 public:
  // settle() has to follow before the pairs are looked at.
  void add(std::uint32_t group, const Cell& cell) {
    if (in_order_ && cell.tag == CellMaker::number) {
      const auto value = static_cast<std::int64_t>(cell.code);
      std::size_t at = run_values_.size(), looked_at = 0;
      while (at > 0 && run_values_[at - 1] == value && run_groups_[at - 1] != group && looked_at < most_of_a_number)
        --at, ++looked_at;
      const bool met = at > 0 && run_values_[at - 1] == value;
      if (met && looked_at < most_of_a_number) return;
      if (!met && (at == 0 || run_values_[at - 1] < value)) {
        run_values_.push_back(value);
        run_groups_.push_back(group);
        return;
      }
    }
    if (in_order_) leave_order();
    waiting_.push_back({cell, group});
    if (waiting_.size() == lot) settle();
  }
  // Many at once: their look-ups need not wait for one another.
  void settle() {
    table_.number_all(waiting_.data(), waiting_.size(), waiting_.data(), [](std::size_t) {});
    waiting_.clear();
  }

  bool in_order() const { return in_order_; }
  std::uint32_t settled() const { return settled_; }  // so many of the first ones were looked at
  // Takes out those numbers of the others that are between the two, and calls count(group) for each. Precondition:
  // in_order().
  template <class Count>
  void settle_between(std::int64_t least, std::int64_t greatest, const Count& count) {
    std::uint32_t left = settled_;
    for (std::uint32_t at = settled_; at < size(); ++at) {
      if (run_values_[at] > least && run_values_[at] < greatest) {
        count(run_groups_[at]);
        continue;
      }
      run_values_[left] = run_values_[at];
      run_groups_[left++] = run_groups_[at];
    }
    run_values_.resize(left);
    run_groups_.resize(left);
    settled_ = left;
  }
  std::uint32_t size() const { return in_order_ ? static_cast<std::uint32_t>(run_values_.size()) : table_.size(); }
  std::uint32_t group(std::uint32_t at) const { return in_order_ ? run_groups_[at] : table_.keys()[at].prefix; }
  Cell cell(std::uint32_t at) const { return in_order_ ? run_cell(at) : table_.keys()[at].cell; }

 private:
  static constexpr std::size_t lot = 4096;
  static constexpr std::size_t most_of_a_number = 16;  // groups, each of which is looked at

  Cell run_cell(std::uint32_t at) const { return {static_cast<std::uint64_t>(run_values_[at]), CellMaker::number}; }
  void leave_order() {
    in_order_ = false;
    for (std::uint32_t at = 0; at < run_values_.size(); ++at) table_.find_or_add({run_cell(at), run_groups_[at]});
    run_values_ = {};
    run_groups_ = {};
  }

  bool in_order_ = true;
  std::vector<std::int64_t> run_values_;  // ascending
  std::vector<std::uint32_t> run_groups_;
  std::uint32_t settled_ = 0;
  std::vector<GroupKey> waiting_;
  GroupTable table_;
};

// The states of one aggregate for all groups, as arrays.
class AggregateStates {
 public:
  explicit AggregateStates(const Aggregate& aggregate, bool keeps_texts = false) : aggregate_(&aggregate) {
    if (aggregate.argument) cells_.emplace(*aggregate.argument, keeps_texts);
  }

  void add(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
           const Vector* v, const Vector* filter, std::size_t groups);

  // The values of the group `outside` do not matter.
  void merge(const AggregateStates& other, const std::vector<std::uint32_t>& ids, std::size_t groups,
             std::uint32_t outside = no_row);
  // One group of the other alone, of which its distinct values have to be known by group. Preconditions: there are more
  // than `id` groups, and the aggregate does not go by an order.
  void merge_group(const AggregateStates& other, std::uint32_t g, std::uint32_t id);
  void tell_distinct_by_group();
  void grow(std::size_t groups);
  void settle() { distinct_.settle(); }

  const Aggregate& aggregate() const { return *aggregate_; }
  // Of the argument's values. Precondition: it has one.
  CellMaker& cells() { return *cells_; }
  const CellMaker& cells() const { return *cells_; }

  // How far the numbers reach that are to be told apart; pieces whose ranges do not meet cannot share one.
  struct Range {
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = std::numeric_limits<std::int64_t>::min();
    bool others = false;  // texts and the like: compared in full
  };
  Range distinct_range() const;
  // Of rows that come in stretches: the numbers that were met since the last call of settle_between().
  struct NewNumbers {
    bool in_order = true;  // false once they have not come in ascending order, and the rest says nothing
    std::size_t count = 0;
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = std::numeric_limits<std::int64_t>::min();
  };
  NewNumbers new_numbers() const;
  // Counts those of them that are between these two, which no other part has, and will not meet again; the others stay.
  void settle_between(std::int64_t least, std::int64_t greatest);
  // The column that its texts are of has another dictionary from now on.
  void forget_codes() {
    if (cells_) cells_->forget_codes();
  }
  // Counts the values that only this piece can hold, given where the other pieces' ranges lie; merging then has to look
  // up the rest alone.
  void set_apart(const std::vector<Range>& others);

  bool exact_mean() const { return aggregate_->kind == AggregateKind::average && !floating(); }
  Entries::Mean mean(int column, std::size_t groups) const;

  // What totals that go by an order need: the rows themselves.
  using ByOrder = std::function<ColumnPtr(const Aggregate&, const RowsOfGroups&)>;
  ColumnPtr finish(std::size_t groups, Entries::Blank& blank_report, const ByOrder& by_order);
  // The same of totals that do not go by an order.
  Piece values(std::size_t groups, Entries::Blank& blank_report);

 private:
  struct Best {
    int128 exact;
    double number;
    std::string_view text;
  };

  void merge_totals(const AggregateStates& other, std::size_t g, std::uint32_t id);
  void merge_distinct(const AggregateStates& other, const std::vector<std::uint32_t>& ids, std::uint32_t outside);

  void sum_integers(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
                    const std::int64_t* values);

  void tell_integers_apart(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids,
                           std::size_t begin, const std::int64_t* values);

  bool floating() const { return aggregate_->argument && aggregate_->argument->type.kind == Kind::floating; }
  bool texts() const { return aggregate_->argument && aggregate_->argument->type.kind == Kind::text; }

  void blank(std::uint32_t id) { ++blanks_[id]; }

  void add_exact(std::uint32_t id, int128 value);
  template <class Added>
  void add_moments(std::uint32_t id, const Added& added);
  void put_spread(Piece& piece, std::size_t g) const;

  Problem problem(Code code, std::string sentence) const;

  void take(std::uint32_t id, const Vector* v, std::size_t i);

  Best best_of(std::size_t g) const;

  void better(std::uint32_t id, const Best& candidate);

  void report_blanks(std::size_t groups, Entries::Blank& report) const;

  void put(Piece& piece, std::size_t g) const;

  const Aggregate* aggregate_;
  std::optional<CellMaker> cells_;
  std::vector<std::int64_t> counts_;
  std::vector<std::uint32_t> blanks_;
  std::vector<int128> exact_;
  std::vector<ExactSum> float_sums_;
  std::vector<ExactMoments> exact_moments_;
  std::vector<FloatMoments> float_moments_;
  std::vector<double> best_numbers_;
  std::vector<std::string> best_texts_;
  std::vector<std::uint32_t> collected_rows_, collected_ids_;  // of totals that go by an order
  DistinctPairs distinct_;                                     // (group, value)
  std::vector<std::int64_t> alone_;                            // by group: different values that only one piece holds
  std::vector<std::uint32_t> elsewhere_;                       // in distinct_: those that others may hold too
  std::vector<std::uint32_t> elsewhere_begin_;                 // by group, where elsewhere_ goes by groups
};

}  // namespace lofty::engine
