// Answering a level of a ladder: from rows to ranked entries.
// Covered by tests/ladder/standings_test.cpp.
#include "ladder/asking.hpp"

#include <numeric>
#include <set>

#include "ladder/doubtful.hpp"
#include "ladder/prose.hpp"
#include "ladder/remarks.hpp"
#include "ladder/sort_codes.hpp"
#include "ladder/window_remarks.hpp"
#include "ladder/windows.hpp"
#include "lofty/places.hpp"
#include "order/custom_order.hpp"
#include "order/sort.hpp"
#include "rank/exact_sum.hpp"
#include "table/stopwatch.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

std::shared_ptr<StandingsData> Asking::answer() {
  Stopwatch watch;
  JoinedRows rows(a_.question, a_.run);
  a_.joined = &rows;
  try {
    a_.entries = run_rows(a_.question, rows, a_.ladder, rows_run_);
  } catch (const RowFailure& failure) {
    throw Error(row_problem(failure));
  }
  for (std::size_t j = 0; j < rows.reports().size(); ++j) took("join", j, rows.reports()[j].seconds);
  took("count", 0, a_.entries.count_seconds);
  took("total", 0, a_.entries.total_seconds);
  took(a_.entries.window_times, 0);
  watch.lap();
  try {
    if (a_.outer != nullptr) drop_outside();  // first: their totals may be impossible, and nobody asks for them
    work_out_totals();
    drop();
    a_.data->times[time_name("total", a_.level, 0)] += watch.lap();
    if (places_come_first(a_.question)) a_.order.emplace(order_by(a_.question.by, a_.by_columns));
    const Order* const in_places = a_.order ? &*a_.order : nullptr;
    const double places_seconds = watch.lap();
    WindowTimes times;
    work_out_entry_windows(a_.question, a_.entries.count, a_.entries.columns, false, a_.ladder, a_.run, a_.window_notes,
                           times, in_places);
    took(times, 100);
    watch.lap();
    rank();
    took("rank", 0, places_seconds + watch.lap());
    times = {};
    work_out_entry_windows(a_.question, a_.entries.count, a_.columns, true, a_.ladder, a_.run, a_.window_notes, times,
                           in_places);
    took(times, 200);
    watch.lap();
  } catch (const RowFailure& failure) {
    throw Error(entry_problem(failure));
  }
  account(rows);
  if (a_.question.mark) {
    a_.data->marked = truths(*a_.question.mark, a_.columns);
    for (std::uint8_t& one : a_.data->marked) one = one == is_true;
    a_.data->first_rows = a_.entries.first_rows;
  }
  keep();
  list();
  took("list", 0, watch.lap());
  if (a_.entries.regroup) summarize();
  if (a_.earlier != nullptr) find_departed();
  a_.data->label = words_.label();
  add_remarks(a_, a_.data->remarks);
  add_window_remarks(a_, a_.data->remarks);
  if (a_.entries.count > 0) add_doubtful(a_, a_.data->remarks);
  if (a_.order) {
    a_.data->order = a_.order;
    a_.data->by = a_.by_columns.front();
    a_.data->by_name = a_.question.by.front().text;
    a_.data->descending = a_.question.by.front().descending;
    a_.data->ties = a_.question.level->ties;
    for (const std::size_t group : a_.question.within) a_.data->within.push_back(a_.entries.columns[group]);
  }
  for (const auto* part : {&a_.question.within, &a_.question.each})
    for (const std::size_t key : *part) {
      a_.data->key_names.push_back(a_.question.entry_columns[key].name);
      a_.data->keys.push_back(a_.entries.columns[key]);
    }
  a_.data->title = filled_in(a_.ladder.title, a_.ladder.choices);
  a_.data->question = words_.sentence();
  a_.data->shown_of_total = words_.foot();
  took("remark", 0, watch.lap());
  a_.joined = nullptr;
  return a_.data;
}

void Asking::took(const char* step, std::size_t number, double seconds) {
  a_.data->times[time_name(step, a_.level, number)] = seconds;
}

void Asking::took(const WindowTimes& times, std::size_t first) {
  for (std::size_t s = 0; s < times.sorts.size(); ++s) took("sort", first + s, times.sorts[s]);
  for (std::size_t i = 0; i < times.items.size(); ++i) took("window", first + i, times.items[i]);
}

Problem Asking::located(const RowFailure& failure, const std::string& where) {
  Problem p{failure.code, failure.sentence + ", " + where, {}, {}, failure.advice};
  if (failure.node->origin) {
    p.place.key = failure.node->origin->key;
    p.place.text = failure.node->origin->text;
    p.place.offset = failure.node->begin;
    p.place.length = failure.node->end - failure.node->begin;
  }
  return p;
}

Problem Asking::row_problem(const RowFailure& failure) const {
  const std::string place = a_.joined->place_of(failure.row);
  return located(failure,
                 "in " + place +
                     (place.find(" of ") == std::string::npos ? " of " + a_.question.tables.front().table.name() : ""));
}

Problem Asking::entry_problem(const RowFailure& failure) const {
  return located(failure, "for " + words_.entry_name(static_cast<std::uint32_t>(failure.row)));
}

void Asking::work_out_totals() {
  for (const std::size_t total : a_.question.totals) {
    const ColumnSource source(a_.entries.count, a_.entries.columns);
    a_.entries.columns[total] =
        evaluate_column(*a_.question.entry_columns[total].node, source, a_.question.slots, a_.run);
  }
}

std::vector<std::uint8_t> Asking::truths(const Node& condition, const std::vector<ColumnPtr>& columns) const {
  const ColumnSource source(a_.entries.count, columns);
  const ColumnPtr values = evaluate_column(condition, source, a_.question.slots, a_.run);
  std::vector<std::uint8_t> out(a_.entries.count);
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] = values->is_null(i) ? is_unknown : values->int64(i) == 1 ? is_true : is_false;
  return out;
}

void Asking::drop_outside() {
  std::set<EntryKey> inside;
  for (const std::uint32_t entry : a_.outer->rows) inside.insert(key_at(a_.outer->keys, entry));
  std::vector<ColumnPtr> keys;
  for (const std::string& name : a_.outer->key_names)
    for (const std::size_t g : a_.question.within)
      if (a_.question.entry_columns[g].name == name) keys.push_back(a_.entries.columns[g]);
  std::vector<std::uint32_t> left;
  for (std::uint32_t e = 0; e < a_.entries.count; ++e)
    if (inside.contains(key_at(keys, e))) left.push_back(e);
  pick(left);
}

void Asking::drop() {
  a_.entries_before = a_.entries.count;
  if (!a_.question.having) return;
  const std::vector<std::uint8_t> passes = truths(*a_.question.having, a_.entries.columns);
  std::vector<std::uint32_t> left;
  for (std::uint32_t i = 0; i < passes.size(); ++i) {
    if (passes[i] == is_true) left.push_back(i);
    a_.data->accounting.dropped += passes[i] == is_false;
    a_.data->accounting.dropped_unknown += passes[i] == is_unknown;
  }
  pick(left);
}

void Asking::pick(const std::vector<std::uint32_t>& left) {
  if (left.size() == a_.entries.count) return;
  if (!a_.entries.numbered_as) {
    a_.entries.numbered_as.emplace(a_.entries.count);
    std::iota(a_.entries.numbered_as->begin(), a_.entries.numbered_as->end(), 0u);
    a_.numbered = a_.entries.count;
  }
  const auto pick_from = [&](auto& of) {
    for (std::size_t i = 0; i < left.size() && !of.empty(); ++i) of[i] = of[left[i]];  // left[i] is never before i
    if (!of.empty()) of.resize(left.size());
  };
  pick_from(a_.entries.first_rows);
  pick_from(a_.entries.row_counts);
  pick_from(*a_.entries.numbered_as);
  for (Entries::Mean& mean : a_.entries.means) {
    pick_from(mean.sums);
    pick_from(mean.counts);
  }
  for (ColumnPtr& column : a_.entries.columns) {
    if (!column) continue;  // a total that is yet to be worked out
    Piece piece(column->type());
    for (const std::uint32_t row : left) piece.add(column->value(row));
    column = Column::seal(std::move(piece));
  }
  a_.entries.count = left.size();
}

void Asking::encode_column(const Column& column, const std::string& name, bool descending, Nulls nulls, bool places,
                           KeyList& out) {
  const std::size_t index = ordering_of(a_.question, name);
  CustomReport report;
  const bool listed =
      encode_sort_key(a_.ladder, a_.question, column, name, descending, nulls, places, a_.run, out, &report);
  if (index == no_ordering || (places && column.type().numeric())) return;
  const bool used_before = !a_.orderings_used.insert(index).second;
  if (listed && !used_before) a_.reports.emplace_back(name, std::move(report));
}

KeyList Asking::codes_of(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                         std::vector<ColumnPtr>& kept, bool places) {
  KeyList codes;
  const ColumnSource source(a_.entries.count, columns);
  for (const SortKey& key : keys) {
    const bool named = key.node->op == Op::name;
    const auto index = static_cast<std::size_t>(named ? key.node->column : 0);
    kept.push_back(named ? columns[index] : evaluate_column(*key.node, source, a_.question.slots, a_.run));
    encode_column(
        *kept.back(),
        named && index < a_.question.entry_columns.size() ? a_.question.entry_columns[index].name : std::string(),
        key.descending, key.nulls, places, codes);
  }
  return codes;
}

KeyList Asking::codes_of(const std::vector<std::size_t>& indices) {
  KeyList codes;
  for (const std::size_t index : indices)
    encode_column(*a_.entries.columns[index], a_.question.entry_columns[index].name, false, Nulls::last, false, codes);
  return codes;
}

Order Asking::order_by(const std::vector<SortKey>& by, std::vector<ColumnPtr>& by_columns) {
  SortKeys keys;
  std::vector<ColumnPtr> breakers;
  keys.within = codes_of(a_.question.within);
  KeyList codes = codes_of(by, a_.entries.columns, by_columns, true);
  if (a_.eligible.empty()) {
    encode_nulls(*by_columns.front(), keys.by);
  } else {
    std::vector<std::uint8_t> unranked(a_.entries.count);
    for (std::size_t i = 0; i < unranked.size(); ++i)
      unranked[i] = a_.eligible[i] != is_true || by_columns.front()->is_null(i);
    encode_flags(std::move(unranked), keys.by);
  }
  keys.flagged = !keys.by.empty();
  for (auto& one : codes) keys.by.push_back(std::move(one));
  // Behind the tie-breakers stands the entry's own key, which is unique: shuffled rows give the same standings.
  keys.tiebreak = codes_of(a_.question.tiebreak, a_.entries.columns, breakers);
  for (auto& one : codes_of(a_.question.row_level() ? std::vector<std::size_t>{} : a_.question.each))
    keys.tiebreak.push_back(std::move(one));
  return make_order(a_.entries.count, keys, a_.run);
}

void Asking::rank() {
  a_.columns = a_.entries.columns;
  if (!a_.question.places) return;
  if (a_.question.eligible) a_.eligible = truths(*a_.question.eligible, a_.entries.columns);
  if (!a_.order) a_.order.emplace(order_by(a_.question.by, a_.by_columns));
  a_.competition = places(*a_.order, Ties::competition, a_.run);
  a_.data->ranked.assign(a_.entries.count, 0);
  const auto rows = a_.order->rows();
  for (std::size_t i = 0; i < rows.size(); ++i) a_.data->ranked[rows[i]] = a_.order->ranked(i);
  a_.data->tied = tied_in(*a_.order);
  add_place_column(*a_.order, a_.question.level->ties);
  a_.data->place = a_.columns.back();
  a_.data->place_name = a_.question.place_names.front();
  for (std::size_t a = 0; a < a_.question.also.size(); ++a) add_also(a_.question.level->also[a], a_.question.also[a]);
  if (a_.earlier != nullptr) compare();
}

}  // namespace lofty::engine
