#include "answer/early_cut.hpp"

#include <algorithm>

#include "answer/places.hpp"
#include "answer/remaining.hpp"
#include "rank/best_rows.hpp"

namespace lofty::engine {
std::shared_ptr<const WholeOrder> cut_early(const LevelInput& input, Entries& entries, SortKeyMaker& keys) {
  constexpr std::size_t worth_it = 8;  // rows for each one that is left
  if (entries.count < least_rows_to_cut || !input.plan.cuts_early) return nullptr;
  OrderKeys sort = order_keys(input, entries, {}, input.question.by, keys);
  std::vector<ColumnPtr> by = std::move(sort.by);
  std::vector<std::uint32_t> left = best_rows(entries.count, sort.keys, *input.question.level->best, input.run);
  const Column& first = *by.front();
  if (left.size() + first.nulls() > entries.count / worth_it) return nullptr;
  if (first.nulls() > 0) {
    std::vector<std::uint8_t> null(entries.count);
    first.mark_nulls(null.data());
    for (std::size_t row = 0; row < null.size(); ++row)
      if (null[row] != 0) left.push_back(static_cast<std::uint32_t>(row));
    std::sort(left.begin(), left.end());
  }

  by.insert(by.end(), sort.breakers.begin(), sort.breakers.end());
  std::vector<ColumnPtr> within;
  for (const std::size_t column : input.question.within) within.push_back(entries.columns[column]);
  auto whole = std::make_shared<const WholeOrder>(entries.count, std::move(sort.keys), std::move(within), std::move(by),
                                                  left, input.run);
  leave(entries, left, input.run);
  return whole;
}

}  // namespace lofty::engine
