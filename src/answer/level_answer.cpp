#include "answer/level_answer.hpp"

#include <algorithm>

#include "answer/conditions.hpp"
#include "answer/departed.hpp"
#include "answer/early_cut.hpp"
#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "lofty/error.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"
#include "relation/windows.hpp"

namespace lofty::engine {
namespace {

// A row or an entry that makes a value impossible, as a problem with its place in the ladder and in the data.
Problem located(const RowFailure& failure, const std::string& where) {
  Problem p{failure.code, failure.sentence + ", " + where, {}, {}, failure.advice};
  if (failure.node->origin) {
    p.location.key = failure.node->origin->key;
    p.location.text = failure.node->origin->text;
    p.location.offset = failure.node->begin;
    p.location.length = failure.node->end - failure.node->begin;
  }
  return p;
}

Problem row_problem(const LevelAnswer& a, const RowFailure& failure) {
  return located(failure, "in " + a.joined->origin_of(failure.row).text());
}

// Notes under which names steps are timed.
class StepTimes {
 public:
  StepTimes(LevelAnswer& answer) : answer_(answer) {}
  void took(StepKind kind, double seconds, std::size_t number = 0, WindowStage stage = WindowStage::rows) {
    answer_.times[{kind, answer_.level, number, stage}] += seconds;
  }
  void took(const WindowTimes& times, WindowStage stage) {
    for (std::size_t s = 0; s < times.sorts.size(); ++s) took(StepKind::sort, times.sorts[s], s, stage);
    for (std::size_t i = 0; i < times.items.size(); ++i) took(StepKind::window, times.items[i], i, stage);
  }

 private:
  LevelAnswer& answer_;
};

void note_row_times(const LevelAnswer& a, StepTimes& times) {
  const std::vector<JoinedRows::Report>& joins = a.joined->reports();
  for (std::size_t j = 0; j < joins.size(); ++j) times.took(StepKind::join, joins[j].seconds, j);
  if (!a.question.row_windows.empty()) times.took(StepKind::count, a.entries.count_seconds);
  times.took(StepKind::total, a.entries.total_seconds);
  times.took(a.entries.windows.times, WindowStage::rows);
}

void total_rows(LevelAnswer& a, std::optional<TotalledRows> totalled, const Run& progress, StepTimes& times) {
  if (a.outer != nullptr) a.inside = inside_of(a);
  if (totalled) {
    a.entries = std::move(totalled->entries);
    a.joined = std::move(totalled->joined);
    note_row_times(a, times);
    return;
  }
  const std::size_t read = a.tables.first().rows();
  tell_step(a.run, [&] { return (a.question.row_level() ? "looking at " : "totalling ") + counted(read, "row"); });
  auto rows = std::make_unique<JoinedRows>(a.question, a.tables, a.run, a.joins);
  JoinedRows& joined = *rows;
  a.joined = std::move(rows);
  try {
    a.entries = run_rows(a.question, a.plan, joined, a.inside ? &*a.inside : nullptr,
                         run_within(progress, reading_share, a.question.row_level() ? rows_share : totals_share));
  } catch (const RowFailure& failure) {
    throw Error(row_problem(a, failure));
  }

  // What became of the rows that do not count, and were not kept.
  if (a.sifted != nullptr) {
    const SiftedRows& all = *a.sifted;
    a.entries.rows.read = all.rows.read;
    a.entries.rows.left_out = all.rows.left_out;
    a.entries.rows.unknown = all.rows.unknown;
    a.entries.texts_met = all.texts_met;
    a.entries.total_seconds += all.seconds;
    joined.set_reports(all.reports);
  }
  note_row_times(a, times);
}

// Which entries remain, their windows, and their places.
void rank_entries(LevelAnswer& a, SortKeyMaker& keys, StepTimes& times) {
  Stopwatch watch;
  tell_step(a.run, [&] {
    return "ranking " + with_commas(a.entries.count) + (a.question.row_level() ? " rows" : " entries");
  });
  if (a.inside)
    keep_inside(*a.inside, a.entries, a.run);  // first: their totals may be impossible, and no reader sees them
  compute_totals(a, a.entries);
  a.dropped = drop(a, a.entries);
  times.took(StepKind::total, watch.lap());
  a.whole = cut_early(a, a.entries, keys);
  add_late_columns(a.question, *a.joined, a.entries, a.run);

  // Windows over entries may use the order of places, where it does not need them.
  std::optional<Order> order;
  std::vector<ColumnPtr> by;
  if (a.plan.places_first) order.emplace(order_of_places(a, a.entries, {}, keys, by));
  const bool order_is_first = order.has_value();
  const double order_seconds = watch.lap();
  const EntryWindows early{.sorts = a.plan.entry_sorts, .late = false, .places = order ? &*order : nullptr};
  times.took(work_out_entry_windows(a.question, early, a.entries, a.entries.columns, a.run, a.window_notes),
             WindowStage::entries);
  watch.lap();

  a.places = rank(a, a.entries, keys, std::move(order), std::move(by));
  times.took(StepKind::rank, order_seconds + watch.lap());

  const EntryWindows late{
      .sorts = a.plan.late_sorts, .late = true, .places = order_is_first ? &*a.places.order : nullptr};
  times.took(work_out_entry_windows(a.question, late, a.entries, a.places.columns, a.run, a.window_notes),
             WindowStage::places);
}

Accounting account(const LevelAnswer& a) {
  Accounting out;
  out.read = rows_read(a);
  for (std::size_t j = 0; j < a.question.joins.size(); ++j) {
    const JoinedRows::Report& report = a.joined->reports()[j];
    const JoinType kind = a.question.joins[j].type;
    out.joins.push_back({a.question.tables[a.question.joins[j].table].source->name(), report.unmatched,
                         report.without_rows, kind == JoinType::inner || kind == JoinType::right ? report.unmatched : 0,
                         kind == JoinType::right || kind == JoinType::full ? report.without_rows : 0, report.more});
  }
  out.left_out = a.entries.rows.left_out;
  out.unknown = a.entries.rows.unknown;
  out.counted = a.entries.rows.counted;
  out.entries = a.dropped.before;
  out.dropped = a.dropped.failed;
  out.dropped_unknown = a.dropped.unknown;

  const auto count = [](const std::vector<std::uint8_t>& of, std::uint8_t what) {
    return static_cast<std::size_t>(std::count(of.begin(), of.end(), what));
  };
  out.ineligible = count(a.places.eligible, is_false);
  out.eligibility_unknown = count(a.places.eligible, is_unknown);
  if (a.places.order) {
    out.groups = a.places.order->groups();
    out.unranked = a.entries.count - count(a.places.ranked, 1);
    out.ranked = a.ranked_of() - out.unranked;
  }
  out.not_kept = a.kept.not_passed;
  out.listed = a.listed.rows.size();
  return out;
}

}  // namespace

std::size_t rows_read(const LevelInput& input) {
  return input.sifted != nullptr ? input.sifted->read : input.tables.first().rows();
}

Role role_of(const Question& question, std::size_t column) {
  const std::size_t entry_columns = question.entry_columns.size();
  if (column > entry_columns + question.also.size()) return Role::measure;  // was, moved
  if (column > entry_columns && question.level->also[column - entry_columns - 1].measure != Measure::place)
    return Role::measure;
  if (column >= entry_columns) return Role::place;
  const auto in = [&](const std::vector<std::size_t>& keys) {
    return std::find(keys.begin(), keys.end(), column) != keys.end();
  };
  if (in(question.within)) return Role::group;
  if (in(question.each)) return Role::key;
  const auto from = question.entry_columns[column].from;
  if (from == EntryColumn::From::windowed || from == EntryColumn::From::window) return Role::measure;
  return from == EntryColumn::From::total || from == EntryColumn::From::aggregate ? Role::total : Role::label;
}

LevelAnswer answer_level(const LevelInput& input, std::optional<TotalledRows> totalled, const Run& progress) {
  LevelAnswer a(input);
  StepTimes times(a);
  total_rows(a, std::move(totalled), progress, times);
  SortKeyMaker keys(a, a.entries, a.orderings);
  Stopwatch watch;
  try {
    rank_entries(a, keys, times);
  } catch (const RowFailure& failure) {
    throw Error(located(failure, "for " + a.names().entry_name(static_cast<std::uint32_t>(failure.row))));
  }
  watch.lap();

  // Which of them are meant, kept and listed.
  if (a.question.mark) {
    a.marked = truths(*a.question.mark, a.places.columns, a.entries.count, a.entries.context, a.run);
    for (std::uint8_t& one : a.marked) one = one == is_true;
  }
  a.kept = keep(a, a.entries, a.places);
  a.listed = list(a, a.entries, a.places, a.kept, keys);
  times.took(StepKind::list, watch.lap());

  if (a.entries.regroup) a.summaries = summarize(a, a.entries, a.listed, a.names());
  if (a.former != nullptr)
    a.departed = departed(a, a.entries, a.names(), *a.places.movement, a.places.place(a.question), a.listed);
  a.accounting = account(a);
  times.took(StepKind::remark, watch.lap());
  return a;
}

std::shared_ptr<StandingsData> standings_data(const LevelAnswer& a) {
  auto data = std::make_shared<StandingsData>();
  data->entries = a.ranked_of();
  data->whole = a.whole;
  data->columns = a.listed.columns;
  data->values = a.listed.values;
  data->rows = a.listed.rows;
  data->tied = a.places.tied;
  data->ranked = a.places.ranked;
  data->tied_by = a.listed.tied_by;
  data->group_start = a.listed.group_start;
  data->passed_over = a.listed.passed_over;
  data->cut_ties = a.listed.cut_ties;
  data->summaries = a.summaries.lines;
  data->departed = a.departed;
  data->accounting = a.accounting;
  data->probed = a.entries.probed;
  if (a.question.mark) {
    data->marked = a.marked;
    data->first_rows = a.entries.first_rows;
  }

  // What makes an entry, and what it is called.
  data->label = a.names().label();
  for (const auto* part : {&a.question.within, &a.question.each})
    for (const std::size_t key : *part) {
      data->key_names.push_back(a.question.entry_columns[key].name);
      data->keys.push_back(a.entries.columns[key]);
    }

  // What places go by.
  if (a.places.order) {
    data->place = a.places.place(a.question);
    data->place_name = a.question.place_names.front();
    data->order = a.places.order;
    data->by = a.places.by.front();
    data->by_name = a.question.by.front().text;
    data->descending = a.question.by.front().descending;
    data->ties = a.question.level->ties;
    for (const std::size_t group : a.question.within) data->within.push_back(a.entries.columns[group]);
  }
  return data;
}

}  // namespace lofty::engine
