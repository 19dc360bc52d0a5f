#include "answer/sort_keys.hpp"

namespace lofty::engine {

void SortKeyMaker::encode(const Column& column, std::size_t index, bool descending, Nulls nulls, bool places,
                          KeyList& out) {
  CustomReport report;
  const bool listed =
      encode_sort_key(input_.ladder(), column, {index, descending, nulls, places}, input_.run, out, &report);
  if (index == no_ordering || (places && column.type().numeric())) return;
  const bool used_before = !notes_.used.insert(index).second;
  if (listed && !used_before) notes_.reports.emplace_back(input_.ladder().orderings[index].column, std::move(report));
}

KeyList SortKeyMaker::codes(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                            std::vector<ColumnPtr>& kept, bool places) {
  KeyList codes;
  const ColumnSource source(entries_.count, columns);
  for (const SortKey& key : keys) {
    const bool named = key.node->op == Op::name;
    const auto index = static_cast<std::size_t>(named ? key.node->column : 0);
    kept.push_back(named ? columns[index] : evaluate_column(*key.node, source, entries_.context, input_.run));
    encode(*kept.back(), named ? ordering_of_entry_column(input_.question, index) : no_ordering, key.descending,
           key.nulls, places, codes);
  }
  return codes;
}

KeyList SortKeyMaker::codes(const std::vector<std::size_t>& columns) {
  KeyList codes;
  for (const std::size_t column : columns)
    encode(*entries_.columns[column], ordering_of_entry_column(input_.question, column), false, Nulls::last, false,
           codes);
  return codes;
}

}  // namespace lofty::engine
