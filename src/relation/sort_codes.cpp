#include "relation/sort_codes.hpp"

#include <algorithm>
#include <string_view>

namespace lofty::engine {

namespace {

std::size_t named(const Question& question, std::string_view name) {
  for (std::size_t i = 0; i < question.orderings.size(); ++i)
    if (!name.empty() && question.orderings[i] == name) return i;
  return no_ordering;
}

// The figure that the node is; empty if it is part of a formula only.
std::string_view figure_of(const Node& node) {
  constexpr std::string_view figures = "figures.";
  if (!node.origin || !node.origin->key.starts_with(figures)) return {};
  const std::string_view text = node.origin->text;
  constexpr const char* around = " \t\r\n()";
  const bool whole = text.substr(0, node.begin).find_first_not_of(around) == std::string_view::npos &&
                     text.substr(std::min(node.end, text.size())).find_first_not_of(around) == std::string_view::npos;
  return whole ? std::string_view(node.origin->key).substr(figures.size()) : std::string_view();
}

}  // namespace

std::size_t ordering_of_row_key(const Question& question, const Node& key) {
  if (const std::size_t own = named(question, figure_of(key)); own != no_ordering) return own;
  if (key.op != Op::name || key.column < 0) return no_ordering;
  const RowColumn& at = question.row_columns[static_cast<std::size_t>(key.column)];
  return at.of_window() ? no_ordering : named(question, question.tables[at.table].source->headings()[at.column]);
}

std::size_t ordering_of_entry_column(const Question& question, std::size_t column) {
  if (column >= question.entry_columns.size()) return no_ordering;
  const EntryColumn& entry = question.entry_columns[column];
  if (const std::size_t own = named(question, entry.name); own != no_ordering) return own;
  const bool over_rows = entry.from == EntryColumn::From::key || entry.from == EntryColumn::From::carried ||
                         entry.from == EntryColumn::From::row;
  return over_rows && entry.node ? ordering_of_row_key(question, *entry.node) : no_ordering;
}

std::set<std::size_t> orderings_of_windows_and_totals(const Question& question) {
  std::set<std::size_t> used;
  const auto over_entries = [&](const Node& node) {
    return node.op == Op::name ? ordering_of_entry_column(question, static_cast<std::size_t>(node.column))
                               : no_ordering;
  };
  const auto over_rows = [&](const Node& node) { return ordering_of_row_key(question, node); };
  const auto add_windows = [&](const std::vector<WindowUse>& windows, const auto& ordering_of) {
    for (const WindowUse& use : windows) {
      for (const WindowKey& key : use.call->order) used.insert(ordering_of(*key.node));
      if (use.call->function == WindowFunction::percentile_disc) used.insert(ordering_of(*use.call->value));
    }
  };
  add_windows(question.row_windows, over_rows);
  add_windows(question.entry_windows, over_entries);
  for (const auto& aggregate : question.aggregates) {
    for (const SortKey& key : aggregate->order) used.insert(over_rows(*key.node));
    if (aggregate->kind == AggregateKind::percentile_disc) used.insert(over_rows(*aggregate->argument));
  }
  used.erase(no_ordering);
  return used;
}

bool encode_sort_key(const Ladder& ladder, const Column& column, const KeyOrder& order, const Run& run, KeyList& out,
                     CustomReport* report) {
  ColumnKey key{&column, order.descending, {.nulls = order.nulls, .locale = ladder.data.locale}};
  if (order.ordering == no_ordering || (order.as_number && column.type().numeric())) {
    encode(key, run, out);
    return false;
  }
  const Ordering& ordering = ladder.orderings[order.ordering];
  key.options.text = ordering.text;
  const CustomOrder listed{ordering.first, ordering.last, ordering.sequence};
  if (listed.first.empty() && listed.last.empty() && listed.sequence.empty()) {
    encode(key, run, out);
    return false;
  }
  key.descending = false;
  CustomKey custom{
      {}, [&column](std::size_t row) { return column.value(row); }, &listed, order.descending, order.nulls};
  encode(key, run, custom.usual);
  CustomReport unread;
  encode_custom(std::move(custom), column.rows(), run, out, report != nullptr ? report : &unread);
  return true;
}

}  // namespace lofty::engine
