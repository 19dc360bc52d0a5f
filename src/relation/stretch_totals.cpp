#include "relation/stretch_totals.hpp"

#include <algorithm>

#include "relation/dealt_totals.hpp"
#include "relation/ordered_totals.hpp"
#include "table/budget.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"

namespace lofty::engine {

bool joins_as_it_goes(const JoinUse& join) {
  return (join.type == JoinType::left || join.type == JoinType::inner) && !join.include;
}

namespace {

bool level_takes_stretches(const Question& question, bool inner) {
  const auto needs_rows = [&](const auto& aggregate) {
    return goes_by_order(aggregate->kind) ||
           (inner && question.keeps_states && aggregate->kind == AggregateKind::count_distinct);
  };
  return !question.row_level() && question.row_windows.empty() && !question.probe && !question.probed_row &&
         !question.include && !question.fill &&
         std::all_of(question.joins.begin(), question.joins.end(), joins_as_it_goes) &&
         std::none_of(question.aggregates.begin(), question.aggregates.end(), needs_rows);
}

}  // namespace

bool takes_stretches(const std::vector<Question>& levels) {
  for (const Question& level : levels)
    if (!level_takes_stretches(level, &level != &levels.front())) return false;
  return !levels.empty();
}

bool had_better_be_kept(const std::vector<Question>& levels, std::uint64_t memory) {
  const auto has_constants = [](const Question& level) { return !level.overalls.empty(); };
  if (levels.size() == 1 && !has_constants(levels.front())) return false;

  const double limit = static_cast<double>(memory > 0 ? memory : static_cast<std::uint64_t>(half_of_free_memory()));
  std::set<std::size_t> columns;
  for (const Question& level : levels)
    columns.insert(level.tables.front().wanted.begin(), level.tables.front().wanted.end());
  // Sealed columns, and as much again while they are being sealed.
  constexpr double bytes_of_value = 5;
  const double rows = levels.front().tables.front().source->size().rows.value_or(0);
  return rows * static_cast<double>(columns.size()) * bytes_of_value < limit * most_kept_share;
}

std::set<std::size_t> columns_of_overalls(const Question& level) {
  std::set<std::size_t> columns;
  if (level.overalls.empty()) return columns;
  const auto add_below = [&](const Node& node) {
    each_node_below(node, [&](const Node& below) {
      if (below.op != Op::name || below.column < 0) return;
      const RowColumn& column = level.row_columns[static_cast<std::size_t>(below.column)];
      if (column.table == 0) columns.insert(column.column);
    });
  };
  for (const auto& overall : level.overalls) add_below(*overall->argument);
  for (const NodePtr& term : level.where_first) add_below(*term);
  for (const JoinUse& join : level.joins)
    for (const JoinUse::Pair& pair : join.on)
      if (pair.left_table == 0) columns.insert(pair.left_column);
  return columns;
}

StretchTotals::StretchTotals(const Question& question, bool inner, std::vector<Value> overalls, StretchJoins& joins,
                             const Run& run)
    : question_(question),
      overalls_(std::move(overalls)),
      run_(run),
      joins_(joins),
      inner_(inner),
      ascending_(question.aggregates.size()) {
  constexpr int most_parts = 16;  // each has its own states of the entries that it meets
  for (int part = 0; part < std::min(thread_count(run), most_parts); ++part)
    parts_.push_back(std::make_unique<Part>(question, true));
  for (std::size_t a = 0; a < ascending_.size(); ++a)
    ascending_[a].expected = question.aggregates[a]->kind == AggregateKind::count_distinct && !question.keeps_states;
  entries_.unknown_filters.resize(question.aggregates.size());

  // An entry's states take as much memory as eight rows that are kept, near enough.
  constexpr double worth_saving = 1'000'000;
  const double all_rows = question.tables.front().source->size().rows.value_or(0);
  if (all_rows > worth_saving) most_groups_ = static_cast<std::size_t>(all_rows / 8);

  // An inner level would total the rows inside what the level outside lists alone, if they were kept: it has to be
  // quick to total all of them, with tables that stay near the processor.
  if (inner) most_groups_ = static_cast<std::size_t>(std::clamp(all_rows / 64, 10'000.0, 200'000.0));
}

void StretchTotals::add(std::size_t rows_before) {
  Stopwatch watch;
  JoinedRows rows(question_, run_, joins_);
  rows.set_overalls(overalls_);
  watch.lap();
  if (entries_.read + rows.counting_rows() > most_rows) throw RowsNeeded{};

  // A piece for each part, or for some where there are few rows.
  const std::size_t each = (rows.counting_rows() + parts_.size() - 1) / parts_.size();
  const Pieces pieces = Pieces::costly(rows.counting_rows(), std::max<std::size_t>(1, each));
  const bool deals = may_deal();
  for (auto& part : parts_) {
    part->next_rows(question_, entries_.read);
    part->deals_from = deals ? most_entries_together / parts_.size() : most_rows;
  }
  RowPass(question_, rows, nullptr, run_, pieces).add_to(parts_);
  entries_.read += rows.counting_rows();

  if (!deals && rows_had_better_be_kept()) throw RowsNeeded{};
  take_dealt();

  // What has to be looked at while the rows are here.
  for (std::size_t a = 0; a < ascending_.size(); ++a) settle_distinct(a, pieces.count());
  for (const auto& part : parts_)
    for (const Carried& values : part->carried)
      if (values.has_conflict()) throw RowsNeeded{};
  take_examples(rows, rows_before);
  add_texts(question_.tables.front().table, run_, entries_.texts_met);
  entries_.total_seconds += watch.lap();
}

void StretchTotals::take_dealt() {
  if (!dealt_ && std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->dealt != nullptr; }))
    dealt_ = std::make_unique<DealtTotals>(question_, true, run_);
  if (dealt_) dealt_->take_rows(parts_);
}

// Numbers that were counted, and are not kept, could not be told from those of rows that are dealt out.
bool StretchTotals::may_deal() const {
  return !inner_ && deals_rows(question_) &&
         std::none_of(ascending_.begin(), ascending_.end(),
                      [](const Ascending& one) { return one.expected || one.settled; });
}

bool StretchTotals::rows_had_better_be_kept() const {
  std::size_t groups = 0;
  for (const auto& part : parts_) groups += part->groups();
  return groups > most_groups_;
}

void StretchTotals::settle_distinct(std::size_t aggregate, std::size_t pieces) {
  constexpr std::size_t enough = 64;  // so many do not ascend by chance
  Ascending& ascending = ascending_[aggregate];
  for (std::size_t p = 0; p < pieces && ascending.expected; ++p) {
    const AggregateStates::NewNumbers numbers = parts_[p]->states[aggregate].new_numbers();
    if (numbers.in_order && numbers.count == 0) continue;
    ascending.expected = numbers.in_order && numbers.least >= ascending.greatest;
    if (!ascending.expected && ascending.settled) throw RowsNeeded{};
    ascending.greatest = std::max(ascending.greatest, numbers.greatest);
    ascending.seen += numbers.count;
  }
  if (!ascending.expected) return;

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
}

// The first rows of a kind, as the first table counts them.
void StretchTotals::take_examples(const JoinedRows& rows, std::size_t rows_before) {
  const auto take = [&](std::uint32_t& found, std::uint32_t& example) {
    if (found == no_row) return;
    example = std::min(example, static_cast<std::uint32_t>(rows_before + rows.row_of_table(0, found)));
    found = no_row;
  };
  for (auto& part : parts_) {
    take(part->unknown_example, entries_.unknown_example);
    for (std::size_t a = 0; a < part->unknown_filters.size(); ++a)
      take(part->unknown_filters[a].example, entries_.unknown_filters[a].example);
  }
}

TotalledRows StretchTotals::finish() {
  Stopwatch watch;
  add_counts(parts_, question_, entries_);
  const auto several = [](const EntryColumn&, const Carried&, const auto&...) { throw RowsNeeded{}; };
  if (dealt_)
    dealt_->make_entries(parts_, {.of_first_rows = nullptr, .several = several}, entries_);  // these parts have them
  else
    merge(several);
  entries_.context = {.slots = question_.slots, .overalls = overalls_};
  auto joined = std::make_unique<JoinedRows>(question_, entries_.read, joins_.reports(question_));
  joined->set_overalls(overalls_);
  entries_.total_seconds += watch.lap();
  return {std::move(entries_), std::move(joined)};
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
