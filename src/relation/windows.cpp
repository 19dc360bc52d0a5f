#include "relation/windows.hpp"

#include <algorithm>

#include "base/access.hpp"
#include "formula/evaluator.hpp"
#include "relation/some_rows.hpp"
#include "relation/sort_codes.hpp"

namespace lofty::engine {
namespace {

// The rows that count of the joined tables.
class CountedRows : public WindowRelation {
 public:
  CountedRows(const Question& question, const JoinedRows& all, const std::vector<std::uint32_t>& counted,
              const Run& run)
      : question_(question), all_(all), counted_(counted), run_(run) {}

  std::size_t rows() const override { return counted_.size(); }

  ColumnPtr column(const Node& node) const override { return values_at(all_, node, counted_, run_); }

  void encode(const Node& node, const Column& values, bool descending, Nulls nulls, KeyList& out) const override {
    encode_sort_key(*question_.ladder, values, {ordering_of_row_key(question_, node), descending, nulls}, run_, out);
  }
  void encode_tiebreak(KeyList&) const override {}  // rows that tie stay as they came in
  bool input_decides() const override { return true; }
  std::vector<std::pair<std::string, ColumnPtr>> named_columns() const override {
    std::vector<std::pair<std::string, ColumnPtr>> out;
    std::vector<std::size_t> own;  // a row of another table may be the partner of several
    for (std::size_t c = 0; c < question_.row_columns.size(); ++c)
      if (!question_.row_columns[c].of_window() && question_.row_columns[c].table == 0) own.push_back(c);
    std::sort(own.begin(), own.end(), [&](std::size_t a, std::size_t b) {
      return question_.row_columns[a].column < question_.row_columns[b].column;
    });
    for (const std::size_t c : own) {
      const RowColumn& at = question_.row_columns[c];
      Node node;
      node.op = Op::name;
      node.column = static_cast<int>(c);
      node.type = all_.tables().data(at.table).columns[at.column]->type();
      out.emplace_back(question_.tables[at.table].source->headings()[at.column], values_at(all_, node, counted_, run_));
    }
    return out;
  }

 private:
  const Question& question_;
  const JoinedRows& all_;
  const std::vector<std::uint32_t>& counted_;
  const Run& run_;
};

class EntryRelation : public WindowRelation {
 public:
  EntryRelation(const Question& question, const Entries& entries, const std::vector<ColumnPtr>& columns, const Run& run)
      : question_(question), entries_(entries), columns_(columns), run_(run) {}

  std::size_t rows() const override { return entries_.count; }
  ColumnPtr column(const Node& node) const override {
    if (node.op == Op::name) return columns_[static_cast<std::size_t>(node.column)];
    return evaluate_column(node, ColumnSource(entries_.count, columns_), entries_.context, run_);
  }
  void encode(const Node& node, const Column& values, bool descending, Nulls nulls, KeyList& out) const override {
    const std::size_t ordering =
        node.op == Op::name ? ordering_of_entry_column(question_, static_cast<std::size_t>(node.column)) : no_ordering;
    encode_sort_key(*question_.ladder, values, {ordering, descending, nulls}, run_, out);
  }
  // Entries that tie go by their own key, so that shuffled rows give the same values; only single rows go as they came.
  void encode_tiebreak(KeyList& out) const override {
    if (question_.row_level()) return;
    for (const auto* keys : {&question_.within, &question_.each})
      for (const std::size_t key : *keys)
        encode_sort_key(*question_.ladder, *columns_[key], {ordering_of_entry_column(question_, key)}, run_, out);
  }
  bool input_decides() const override { return question_.row_level(); }

 private:
  const Question& question_;
  const Entries& entries_;
  const std::vector<ColumnPtr>& columns_;
  const Run& run_;
};

}  // namespace

RowWindows work_out_row_windows(const Question& question, const std::vector<SortStep>& sorts, JoinedRows& rows,
                                const std::vector<std::uint32_t>& counted, const Run& run) {
  RowWindows out;
  out.notes.resize(question.row_windows.size());
  std::vector<std::uint32_t> number_of;  // by row of the relation: among those that count
  if (counted.size() < rows.rows()) {
    number_of.assign(rows.rows(), Column::none);
    for (std::size_t i = 0; i < counted.size(); ++i) number_of[counted[i]] = static_cast<std::uint32_t>(i);
  }

  // Notes speak of rows of the relation, whichever of them count.
  const auto done = [&](std::size_t item, ColumnPtr values, const WindowNotes& noted) {
    rows.set_window(item, number_of.empty() ? std::move(values) : Column::picked(*values, number_of, run));
    WindowNotes& notes = out.notes[item] = noted;
    for (std::uint32_t& row : notes.short_rows) row = counted[row];
    if (noted.undecided > 0) {
      notes.one = counted[noted.one];
      notes.other = counted[noted.other];
    }
  };
  const auto made = [&](const SortStep& step, const WindowSort& sort) {
    if (out.listed.empty() && step.also_needed) out.listed.assign(sort.rows().begin(), sort.rows().end());
  };
  const CountedRows relation(question, rows, counted, run);
  work_out(row_window_items(question), sorts, relation, run, {.done = done, .times = &out.times, .made = made});
  return out;
}

WindowTimes work_out_entry_windows(const Question& question, const EntryWindows& windows, const Entries& entries,
                                   std::vector<ColumnPtr>& columns, const Run& run, std::vector<WindowNotes>& notes) {
  WindowTimes times;
  const std::vector<std::size_t> targets = entry_item_columns(question, windows.late);
  if (targets.empty()) return times;
  notes.resize(question.entry_windows.size());
  const EntryRelation relation(question, entries, columns, run);
  const auto done = [&](std::size_t item, ColumnPtr values, const WindowNotes& noted) {
    const EntryColumn& target = question.entry_columns[targets[item]];
    if (target.from == EntryColumn::From::window) notes[target.index] = noted;
    columns[targets[item]] =
        values ? std::move(values)
               : evaluate_column(*target.node, ColumnSource(entries.count, columns), entries.context, run);
  };
  const auto ready = [&](const SortStep& step) { return step.also_needed ? windows.places : nullptr; };
  work_out(entry_window_items(question, windows.late), windows.sorts, relation, run,
           {.done = done, .times = &times, .ready = ready});
  return times;
}

}  // namespace lofty::engine
