#include "relation/stretch_totals.hpp"

#include <algorithm>

#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "relation/dealt_totals.hpp"

namespace lofty::engine {

StretchTotals::StretchTotals(const Question& question, const LevelPlan& plan, bool inner, std::vector<Value> overalls,
                             StretchJoins& joins, const Run& run)
    : question_(question),
      plan_(plan),
      overalls_(std::move(overalls)),
      run_(run),
      joins_(joins),
      inner_(inner),
      ascending_(question.aggregates.size()) {
  constexpr int most_parts = 16;  // each has its own states of the entries that it meets
  for (int part = 0; part < std::min(thread_count(run), most_parts); ++part)
    parts_.push_back(std::make_unique<PartialTotals>(question, true));
  for (std::size_t a = 0; a < ascending_.size(); ++a)
    ascending_[a].expected = question.aggregates[a]->kind == AggregateKind::count_distinct && !question.keeps_states;
  entries_.unknown_filters.resize(question.aggregates.size());
}

Outcome StretchTotals::add(const Tables& tables, std::size_t rows_before) {
  Stopwatch watch;
  JoinedRows rows(question_, tables, run_, joins_);
  rows.set_overalls(overalls_);
  watch.lap();
  if (read_ + rows.counting_rows() > most_rows) return Outcome::many_rows;

  // A piece for each part, or for some where there are few rows.
  const std::size_t each = (rows.counting_rows() + parts_.size() - 1) / parts_.size();
  const RowRanges pieces = RowRanges::costly(rows.counting_rows(), std::max<std::size_t>(1, each));
  const bool deals = may_deal();
  for (auto& part : parts_) {
    part->next_rows(question_, read_);
    part->deals_from = deals ? most_entries_together / parts_.size() : most_rows;
  }
  RowPass(question_, rows, nullptr, run_, pieces).add_to(parts_);
  read_ += rows.counting_rows();

  if (!deals && groups() > plan_.most_entries) return Outcome::many_entries;
  take_dealt();

  // What has to be looked at while the rows are here.
  for (std::size_t a = 0; a < ascending_.size(); ++a)
    if (!settle_distinct(a, pieces.count())) return Outcome::numbers_descended;
  for (const auto& part : parts_)
    for (const Carried& values : part->carried)
      if (values.has_conflict()) return Outcome::several_values;
  take_examples(rows, rows_before);
  add_texts(tables.first(), run_, *texts_met_);
  entries_.total_seconds += watch.lap();
  return Outcome::held;
}

void StretchTotals::take_dealt() {
  if (!dealt_ && std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->dealt != nullptr; }))
    dealt_ = std::make_unique<DealtTotals>(question_, true, run_);
  if (dealt_) dealt_->take_rows(parts_);
}

// Numbers that were counted, and are not kept, could not be told from those of rows that are dealt out.
bool StretchTotals::may_deal() const {
  return !inner_ && plan_.may_deal && std::none_of(ascending_.begin(), ascending_.end(), [](const Ascending& one) {
    return one.expected || one.settled;
  });
}

std::size_t StretchTotals::groups() const {
  std::size_t groups = 0;
  for (const auto& part : parts_) groups += part->groups();
  return groups;
}

// False where a number comes again that was taken as settled.
bool StretchTotals::settle_distinct(std::size_t aggregate, std::size_t pieces) {
  constexpr std::size_t enough = 64;  // so many do not ascend by chance
  Ascending& ascending = ascending_[aggregate];
  for (std::size_t p = 0; p < pieces && ascending.expected; ++p) {
    const AggregateStates::NewNumbers numbers = parts_[p]->states[aggregate].new_numbers();
    if (numbers.in_order && numbers.count == 0) continue;
    ascending.expected = numbers.in_order && numbers.least >= ascending.greatest;
    if (!ascending.expected && ascending.settled) return false;
    ascending.greatest = std::max(ascending.greatest, numbers.greatest);
    ascending.seen += numbers.count;
  }
  if (!ascending.expected) return true;

  // Now that all of the stretch are known to ascend. Those before there were enough stay.
  for (std::size_t p = 0; p < pieces; ++p) {
    AggregateStates& states = parts_[p]->states[aggregate];
    const AggregateStates::NewNumbers numbers = states.new_numbers();
    if (ascending.seen >= enough && numbers.count > 0)
      states.settle_between(numbers.least, numbers.greatest);
    else
      states.settle_between(0, 0);
  }
  ascending.settled = ascending.settled || ascending.seen >= enough;
  return true;
}

// The first rows of a kind, as the first table counts them.
void StretchTotals::take_examples(const JoinedRows& rows, std::size_t rows_before) {
  const auto take = [&](std::uint32_t& found, std::uint32_t& example) {
    if (found == no_row) return;
    example = std::min(example, static_cast<std::uint32_t>(rows_before + rows.row_of_table(0, found)));
    found = no_row;
  };
  for (auto& part : parts_) {
    take(part->rows.unknown_example, entries_.rows.unknown_example);
    for (std::size_t a = 0; a < part->unknown_filters.size(); ++a)
      take(part->unknown_filters[a].example, entries_.unknown_filters[a].example);
  }
}

Outcome StretchTotals::finish(const Tables& tables, TotalledRows& out) {
  Stopwatch watch;
  add_counts(parts_, question_, entries_);
  struct SeveralFound {};
  const auto several = [](const EntryColumn&, const Carried&, const auto&...) { throw SeveralFound{}; };
  try {
    if (dealt_)
      dealt_->make_entries(parts_, {.of_first_rows = nullptr, .several = several}, entries_);  // these parts have them
    else
      merge(several);
  } catch (const SeveralFound&) {
    return Outcome::several_values;
  }
  entries_.texts_met = texts_met_;
  entries_.context = {.slots = question_.slots, .overalls = overalls_};
  auto joined = std::make_unique<JoinedRows>(question_, tables, read_, joins_.reports(question_, tables));
  joined->set_overalls(overalls_);
  entries_.total_seconds += watch.lap();
  out = {std::move(entries_), std::move(joined)};
  return Outcome::held;
}

// Entries in the order of their first rows.
void StretchTotals::merge(const SeveralValues& several) {
  auto kept = std::make_shared<KeptStates>(question_, AggregateStates::ByOrder(), true);
  for (auto& part : parts_)
    for (std::size_t a = 0; a < part->states.size(); ++a)
      if (question_.aggregates[a]->kind == AggregateKind::count_distinct)
        part->states[a].set_apart({AggregateStates::Range{.others = true}});
  merge_by_first_rows(kept->part(), parts_);
  make_entries(kept->part(), question_, AggregateStates::ByOrder(), FirstRowValues(), several, entries_);
  if (question_.keeps_states) entries_.regroup = kept;
}

}  // namespace lofty::engine
