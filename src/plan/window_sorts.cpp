#include "plan/window_sorts.hpp"

#include <algorithm>

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

}  // namespace

std::vector<std::size_t> entry_item_columns(const Question& question, bool late) {
  if (!late) return question.windowed;
  std::vector<std::size_t> columns;
  for (const WindowUse& use : question.entry_windows)
    if (use.late) columns.push_back(use.column);
  return columns;
}

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

namespace {

// True if all windows of a step over entries find these in the order of places.
bool orders_places(const Question& question, const SortStep& step, const std::vector<WindowItem>& items) {
  const std::size_t groups = question.within.size();
  if (step.shape.partition != groups || step.keys.size() != groups + question.by.size()) return false;
  for (std::size_t k = 0; k < groups; ++k) {
    const Node& node = *key_of(items, step.keys[k]).node;
    const auto column = static_cast<std::size_t>(node.column);
    if (node.op != Op::name ||
        std::find(question.within.begin(), question.within.end(), column) == question.within.end())
      return false;
  }
  for (std::size_t k = 0; k < question.by.size(); ++k) {
    const SortKey& place = question.by[k];
    const SortStep::Key& own = step.keys[groups + k];
    if (own.descending != place.descending || own.nulls != Nulls::last || place.nulls != Nulls::last ||
        signature(*key_of(items, own).node) != signature(*place.node))
      return false;
  }
  // Tie-breakers order those that tie otherwise than their own keys do.
  return question.tiebreak.empty() || std::none_of(step.serves.begin(), step.serves.end(), [&](std::size_t item) {
           return items[item].call->sees_peers_order();
         });
}

// True if a step over rows is the order of the listing.
bool orders_listing(const Question& question, const SortStep& step, const std::vector<WindowItem>& items) {
  if (!question.row_level() || question.places || !question.orderings.empty() || question.list.order.empty() ||
      step.keys.size() != question.list.order.size())
    return false;
  for (std::size_t k = 0; k < step.keys.size(); ++k) {
    const SortKey& listed = question.list.order[k];
    const auto column = static_cast<std::size_t>(listed.node->column);
    if (listed.node->op != Op::name || listed.node->column < 0 || column >= question.entry_columns.size() ||
        question.entry_columns[column].from != EntryColumn::From::row ||
        signature(*question.entry_columns[column].node) != signature(*key_of(items, step.keys[k]).node) ||
        listed.descending != step.keys[k].descending || listed.nulls != step.keys[k].nulls)
      return false;
  }
  return true;
}

}  // namespace

std::vector<SortStep> row_window_sorts(const Question& question) {
  const std::vector<WindowItem> items = row_window_items(question);
  std::vector<SortStep> sorts = plan_windows(items);
  for (SortStep& step : sorts) step.also_needed = orders_listing(question, step, items);
  return sorts;
}

std::vector<SortStep> entry_window_sorts(const Question& question, bool late, bool places_first) {
  const std::vector<WindowItem> items = entry_window_items(question, late);
  std::vector<SortStep> sorts = plan_windows(items);
  for (SortStep& step : sorts) step.also_needed = places_first && orders_places(question, step, items);
  return sorts;
}

}  // namespace lofty::engine
