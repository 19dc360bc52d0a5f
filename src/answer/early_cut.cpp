#include "answer/early_cut.hpp"

#include <algorithm>

#include "answer/places.hpp"
#include "answer/remaining.hpp"
#include "rank/best_rows.hpp"

namespace lofty::engine {
namespace {

bool looks_at_kept_rows_alone(const LevelInput& input) {
  const Question& q = input.question;
  if (!q.row_level() || !q.places) return false;  // without places there may be no level
  const Level& level = *q.level;
  const bool cut = level.best.value_or(0) > 0 && !level.worst && !level.best_percent && !level.worst_percent;
  return cut && !q.keep_where && !q.eligible && !q.mark && q.also.empty() && q.entry_windows.empty() && !level.others &&
         input.former == nullptr && input.ladder.compare.empty() && input.ladder.crossed.each.empty() &&
         input.ladder.levels.size() <= 1 && input.ladder.orderings.empty();
}

}  // namespace

std::vector<bool> waiting_columns(const LevelInput& input) {
  const Question& q = input.question;
  if (!looks_at_kept_rows_alone(input) || q.having || !q.totals.empty() || !q.windowed.empty()) return {};
  std::vector<bool> waits;
  for (const EntryColumn& column : q.entry_columns)
    waits.push_back(column.from == EntryColumn::From::row && column.node->op == Op::name);
  const auto needs = [&](std::size_t column) {
    if (column < waits.size()) waits[column] = false;
  };
  for (const std::size_t group : q.within) needs(group);
  for (const auto* keys : {&q.by, &q.tiebreak})
    for (const SortKey& key : *keys)
      each_node_below(*key.node, [&](const Node& below) {
        if (below.op == Op::name && below.column >= 0) needs(static_cast<std::size_t>(below.column));
      });
  return waits;
}

std::shared_ptr<const WholeOrder> cut_early(const LevelInput& input, Entries& entries, SortKeyMaker& keys) {
  constexpr std::size_t worth_it = 8;  // rows for each one that is left
  if (entries.count < least_rows_to_cut || !looks_at_kept_rows_alone(input)) return nullptr;
  std::vector<ColumnPtr> by, breakers;
  SortKeys sort = sort_keys(input, entries, {}, input.question.by, keys, by, breakers);
  std::vector<std::uint32_t> left = best_rows(entries.count, sort, *input.question.level->best, input.run);
  const Column& first = *by.front();
  if (left.size() + first.nulls() > entries.count / worth_it) return nullptr;
  if (first.nulls() > 0) {
    std::vector<std::uint8_t> null(entries.count);
    first.mark_nulls(null.data());
    for (std::size_t row = 0; row < null.size(); ++row)
      if (null[row] != 0) left.push_back(static_cast<std::uint32_t>(row));
    std::sort(left.begin(), left.end());
  }

  by.insert(by.end(), breakers.begin(), breakers.end());
  std::vector<ColumnPtr> within;
  for (const std::size_t column : input.question.within) within.push_back(entries.columns[column]);
  auto whole = std::make_shared<const WholeOrder>(entries.count, std::move(sort), std::move(within), std::move(by),
                                                  left, input.run);
  leave(entries, left, input.run);
  return whole;
}

}  // namespace lofty::engine
