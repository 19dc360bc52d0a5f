#include "relation/windows.hpp"

#include <algorithm>
#include <functional>

#include "formula/evaluator.hpp"
#include "relation/some_rows.hpp"
#include "relation/sort_codes.hpp"
#include "table/access.hpp"

namespace lofty::engine {
namespace {

template <class Found>
void each_column(const Node& node, const Found& found) {
  each_node_below(node, [&](const Node& at) {
    if (at.op == Op::name && at.column >= 0) found(static_cast<std::size_t>(at.column));
  });
}

// Adds to `item` what `needed` says of each column that the call mentions: an item's number, or none.
template <class Needed>
void add_needs(const WindowCall& call, WindowItem& item, const Needed& needed) {
  const auto add = [&](const Node& node, bool key) {
    each_column(node, [&](std::size_t column) {
      const std::size_t need = needed(column);
      if (need == ~std::size_t{0}) return;
      item.needs.push_back(need);
      if (key) item.key_needs.push_back(need);
    });
  };
  for (const NodePtr* node : {&call.value, &call.filter, &call.otherwise})
    if (*node) add(**node, false);
  for (const NodePtr* node : {&call.range_from, &call.range_to})
    if (*node) add(**node, true);
  for (const auto* keys : {&call.partition, &call.order})
    for (const WindowKey& key : *keys) add(*key.node, true);
}

// The rows that count of the joined tables.
class CountedRows : public WindowRelation {
 public:
  CountedRows(const Question& question, const JoinedRows& all, const std::vector<std::uint32_t>& counted,
              const Ladder& ladder, const Run& run)
      : question_(question), all_(all), counted_(counted), ladder_(ladder), run_(run) {}

  std::size_t rows() const override { return counted_.size(); }

  ColumnPtr column(const Node& node) const override { return values_at(all_, node, counted_, run_); }

  void encode(const Node& node, const Column& values, bool descending, Nulls nulls, KeyList& out) const override {
    encode_sort_key(ladder_, values, ordering_of_row_key(question_, node), descending, nulls, false, run_, out);
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
      node.type = engine::Access::data(question_.tables[at.table].table).columns[at.column]->type();
      out.emplace_back(question_.tables[at.table].source->headings()[at.column], values_at(all_, node, counted_, run_));
    }
    return out;
  }

 private:
  const Question& question_;
  const JoinedRows& all_;
  const std::vector<std::uint32_t>& counted_;
  const Ladder& ladder_;
  const Run& run_;
};

class EntryRelation : public WindowRelation {
 public:
  EntryRelation(const Question& question, const FormulaContext& context, std::size_t entries,
                const std::vector<ColumnPtr>& columns, const Ladder& ladder, const Run& run)
      : question_(question), context_(context), entries_(entries), columns_(columns), ladder_(ladder), run_(run) {}

  std::size_t rows() const override { return entries_; }
  ColumnPtr column(const Node& node) const override {
    if (node.op == Op::name) return columns_[static_cast<std::size_t>(node.column)];
    return evaluate_column(node, ColumnSource(entries_, columns_), context_, run_);
  }
  void encode(const Node& node, const Column& values, bool descending, Nulls nulls, KeyList& out) const override {
    const std::size_t ordering =
        node.op == Op::name ? ordering_of_entry_column(question_, static_cast<std::size_t>(node.column)) : no_ordering;
    encode_sort_key(ladder_, values, ordering, descending, nulls, false, run_, out);
  }
  // Entries that tie go by their own key, so that shuffled rows give the same values; only single rows go as they came.
  void encode_tiebreak(KeyList& out) const override {
    if (question_.row_level()) return;
    for (const auto* keys : {&question_.within, &question_.each})
      for (const std::size_t key : *keys)
        encode_sort_key(ladder_, *columns_[key], ordering_of_entry_column(question_, key), false, Nulls::last, false,
                        run_, out);
  }
  bool input_decides() const override { return question_.row_level(); }

 private:
  const Question& question_;
  const FormulaContext& context_;
  const std::size_t entries_;
  const std::vector<ColumnPtr>& columns_;
  const Ladder& ladder_;
  const Run& run_;
};

// The entry columns of the items of entry_window_items().
std::vector<std::size_t> entry_item_columns(const Question& question, bool late) {
  if (!late) return question.windowed;
  std::vector<std::size_t> columns;
  for (const WindowUse& use : question.entry_windows)
    if (use.late) columns.push_back(use.column);
  return columns;
}

}  // namespace

std::vector<WindowItem> row_window_items(const Question& question) {
  std::vector<WindowItem> items;
  for (const WindowUse& use : question.row_windows) {
    WindowItem item{use.call.get(), {}, {}};
    add_needs(*use.call, item, [&](std::size_t column) {
      const RowColumn& at = question.row_columns[column];
      return at.of_window() ? at.column : ~std::size_t{0};
    });
    items.push_back(std::move(item));
  }
  return items;
}

std::vector<WindowItem> entry_window_items(const Question& question, bool late) {
  const std::vector<std::size_t> columns = entry_item_columns(question, late);
  const auto item_of = [&](std::size_t column) {
    const auto found = std::find(columns.begin(), columns.end(), column);
    return found == columns.end() ? ~std::size_t{0} : static_cast<std::size_t>(found - columns.begin());
  };
  std::vector<WindowItem> items;
  for (const std::size_t c : columns) {
    const EntryColumn& column = question.entry_columns[c];
    WindowItem item;
    if (column.from == EntryColumn::From::window) {
      item.call = question.entry_windows[column.index].call.get();
      add_needs(*item.call, item, item_of);
    } else {
      each_column(*column.node, [&](std::size_t other) {
        if (item_of(other) != ~std::size_t{0}) item.needs.push_back(item_of(other));
      });
    }
    items.push_back(std::move(item));
  }
  return items;
}

std::vector<WindowNotes> work_out_row_windows(const Question& question, JoinedRows& rows,
                                              const std::vector<std::uint32_t>& counted, const Ladder& ladder,
                                              const Run& run, WindowTimes& times, std::vector<std::uint32_t>& listed) {
  std::vector<WindowNotes> notes(question.row_windows.size());
  std::vector<std::uint32_t> number_of;  // by row of the relation: among those that count
  if (counted.size() < rows.rows()) {
    number_of.assign(rows.rows(), Column::none);
    for (std::size_t i = 0; i < counted.size(); ++i) number_of[counted[i]] = static_cast<std::uint32_t>(i);
  }

  // Notes speak of rows of the relation, whichever of them count.
  const CountedRows relation(question, rows, counted, ladder, run);
  const std::vector<WindowItem> items = row_window_items(question);
  work_out(items, plan_windows(items), relation, run,
           [&](std::size_t item, ColumnPtr values, const WindowNotes& noted) {
             rows.set_window(item, number_of.empty() ? std::move(values) : Column::picked(*values, number_of, run));
             notes[item] = noted;
             for (std::uint32_t& row : notes[item].short_rows) row = counted[row];
             if (noted.undecided > 0) {
               notes[item].one = counted[noted.one];
               notes[item].other = counted[noted.other];
             }
           },
           &times, {.made = [&](const SortStep& step, const WindowSort& sort) {
             if (listed.empty() && stands_as_listed(question, step))
               listed.assign(sort.rows().begin(), sort.rows().end());
           }});
  return notes;
}

void work_out_entry_windows(const Question& question, const FormulaContext& context, std::size_t entries,
                            std::vector<ColumnPtr>& columns, bool late, const Ladder& ladder, const Run& run,
                            std::vector<WindowNotes>& notes, WindowTimes& times, const Order* places) {
  const std::vector<std::size_t> targets = entry_item_columns(question, late);
  if (targets.empty()) return;
  notes.resize(question.entry_windows.size());
  const EntryRelation relation(question, context, entries, columns, ladder, run);
  const std::vector<WindowItem> items = entry_window_items(question, late);
  work_out(items, plan_windows(items), relation, run,
           [&](std::size_t item, ColumnPtr values, const WindowNotes& noted) {
             const EntryColumn& target = question.entry_columns[targets[item]];
             if (target.from == EntryColumn::From::window) notes[target.index] = noted;
             columns[targets[item]] = values
                                          ? std::move(values)
                                          : evaluate_column(*target.node, ColumnSource(entries, columns), context, run);
           },
           &times, {.ready = [&](const SortStep& step) {
             return places != nullptr && stands_as_places(question, step, items) ? places : nullptr;
           }});
}

bool places_come_first(const Question& question) {
  // Texts and numbers of an order of their own are ordered otherwise among places than in a window.
  if (!question.places || question.eligible || !question.orderings.empty() || question.entry_windows.empty())
    return false;
  const std::function<bool(const Node&)> of_window = [&](const Node& node) {
    if (node.op == Op::name && node.column >= 0 &&
        static_cast<std::size_t>(node.column) < question.entry_columns.size()) {
      const auto from = question.entry_columns[static_cast<std::size_t>(node.column)].from;
      if (from == EntryColumn::From::window || from == EntryColumn::From::windowed) return true;
    }
    return std::any_of(node.args.begin(), node.args.end(), [&](const NodePtr& arg) { return of_window(*arg); });
  };
  for (const auto* keys : {&question.by, &question.tiebreak})
    if (std::any_of(keys->begin(), keys->end(), [&](const SortKey& key) { return of_window(*key.node); })) return false;
  return true;
}

bool stands_as_places(const Question& question, const SortStep& step, const std::vector<WindowItem>& items) {
  const std::size_t groups = question.within.size();
  if (step.shape.partition != groups || step.keys.size() != groups + question.by.size()) return false;
  for (std::size_t k = 0; k < groups; ++k) {
    const Node& node = *step.keys[k].node;
    const auto column = static_cast<std::size_t>(node.column);
    if (node.op != Op::name ||
        std::find(question.within.begin(), question.within.end(), column) == question.within.end())
      return false;
  }
  for (std::size_t k = 0; k < question.by.size(); ++k) {
    const SortKey& place = question.by[k];
    const WindowSort::SortBy& own = step.keys[groups + k];
    if (own.descending != place.descending || own.nulls != Nulls::last || place.nulls != Nulls::last ||
        signature(*own.node) != signature(*place.node))
      return false;
  }
  // Tie-breakers order those that tie otherwise than their own keys do.
  return question.tiebreak.empty() || std::none_of(step.serves.begin(), step.serves.end(), [&](std::size_t item) {
           return items[item].call->sees_peers_order();
         });
}

bool stands_as_listed(const Question& question, const SortStep& step) {
  if (!question.row_level() || question.places || !question.orderings.empty() || question.list_order.empty() ||
      step.keys.size() != question.list_order.size())
    return false;
  for (std::size_t k = 0; k < step.keys.size(); ++k) {
    const SortKey& listed = question.list_order[k];
    const auto column = static_cast<std::size_t>(listed.node->column);
    if (listed.node->op != Op::name || listed.node->column < 0 || column >= question.entry_columns.size() ||
        question.entry_columns[column].from != EntryColumn::From::row ||
        signature(*question.entry_columns[column].node) != signature(*step.keys[k].node) ||
        listed.descending != step.keys[k].descending || listed.nulls != step.keys[k].nulls)
      return false;
  }
  return true;
}

}  // namespace lofty::engine
