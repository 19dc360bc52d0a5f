#include "answer/remaining.hpp"

#include "answer/conditions.hpp"
#include "answer/standings_data.hpp"

namespace lofty::engine {
void leave(Entries& entries, const std::vector<std::uint32_t>& left, const Run& run) {
  if (left.size() == entries.count) return;
  const bool numbered = entries.numbered_as.has_value();
  if (!numbered) {
    entries.numbered_as = left;
    entries.numbered = entries.count;
  }

  const auto pick_from = [&](auto& of) {
    for (std::size_t i = 0; i < left.size() && !of.empty(); ++i) of[i] = of[left[i]];  // left[i] is never before i
    if (!of.empty()) of.resize(left.size());
  };
  pick_from(entries.first_rows);
  pick_from(entries.row_counts);
  if (numbered) pick_from(*entries.numbered_as);
  for (Entries::Mean& mean : entries.means) {
    pick_from(mean.sums);
    pick_from(mean.counts);
  }

  for (ColumnPtr& column : entries.columns) {
    if (!column) continue;  // a total that is yet to be computed
    if (column->lane() != Lane::code) {
      column = Column::picked(*column, left, run);
      continue;
    }
    Piece piece(column->type());
    for (const std::uint32_t row : left) piece.add(column->value(row));
    column = Column::seal(std::move(piece));
  }
  entries.count = left.size();
}

Inside inside_of(const LevelInput& input) {
  Inside inside;
  for (const std::uint32_t entry : input.outer->rows) inside.keys.insert(key_at(input.outer->keys, entry));
  for (const std::string& name : input.outer->key_names)
    for (const std::size_t g : input.question.within)
      if (input.question.entry_columns[g].name == name) inside.columns.push_back(g);
  return inside;
}

void keep_inside(const Inside& inside, Entries& entries, const Run& run) {
  std::vector<ColumnPtr> keys;
  for (const std::size_t column : inside.columns) keys.push_back(entries.columns[column]);
  std::vector<std::uint32_t> left;
  for (std::uint32_t e = 0; e < entries.count; ++e)
    if (inside.keys.contains(key_at(keys, e))) left.push_back(e);
  leave(entries, left, run);
}

Dropped drop(const LevelInput& input, Entries& entries) {
  Dropped out{.before = entries.count};
  if (!input.question.having) return out;
  const std::vector<std::uint8_t> passes =
      truths(*input.question.having, entries.columns, entries.count, entries.context, input.run);
  std::vector<std::uint32_t> left;
  for (std::uint32_t i = 0; i < passes.size(); ++i) {
    if (passes[i] == is_true) left.push_back(i);
    out.failed += passes[i] == is_false;
    out.unknown += passes[i] == is_unknown;
  }
  leave(entries, left, input.run);
  return out;
}

void compute_totals(const LevelInput& input, Entries& entries) {
  for (const std::size_t total : input.question.totals)
    entries.columns[total] = evaluate_column(*input.question.entry_columns[total].node,
                                             ColumnSource(entries.count, entries.columns), entries.context, input.run);
}

}  // namespace lofty::engine
