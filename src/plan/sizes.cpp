#include "plan/sizes.hpp"

#include <algorithm>
#include <cmath>

namespace lofty::engine {
namespace {

// A guess at the part of the rows for which a condition is true, from its form.
double passing(const Node& node) {
  const auto at = [&](std::size_t i) { return passing(*node.args[i]); };
  const auto turned = [&](double part) { return node.negated ? 1 - part : part; };
  switch (node.op) {
    case Op::logical_and: return at(0) * at(1);
    case Op::logical_or: return at(0) + at(1) - at(0) * at(1);
    case Op::logical_not: return 1 - at(0);
    case Op::equal: return 0.05;
    case Op::unequal: return 0.95;
    case Op::in_list: return turned(std::min(0.9, 0.05 * static_cast<double>(node.args.size() - 1)));
    case Op::less:
    case Op::less_equal:
    case Op::greater:
    case Op::greater_equal: return 0.5;
    case Op::between: return turned(0.25);
    case Op::like: return turned(0.1);
    case Op::is_null: return turned(0.02);
    default: return 1;
  }
}

}  // namespace

Sizes estimated_sizes(const std::vector<Question>& levels) {
  Sizes sizes;
  const Question& first = levels.front();
  for (const TableUse& use : first.tables) sizes.tables.push_back(use.source->size());

  // Joined rows, and rows that count.
  sizes.rows = sizes.counted = sizes.tables.front().rows;
  double pass = 1;
  for (const auto* terms : {&first.where_first, &first.where_last})
    for (const NodePtr& term : *terms) pass *= passing(*term);
  if (sizes.counted) *sizes.counted *= pass;

  // Entries of each level.
  for (const Question& question : levels) {
    // An entry that has its own table is counted there.
    double entries = question.row_level() ? sizes.counted.value_or(0) : std::sqrt(sizes.counted.value_or(0));
    if (!question.row_level())
      for (const JoinUse& join : question.joins) {
        const auto is_key = [&](const JoinUse::Pair& pair) {
          return std::any_of(question.each.begin(), question.each.end(), [&](std::size_t key) {
            if (key >= question.entry_columns.size()) return false;
            const Node& node = *question.entry_columns[key].node;
            return node.op == Op::name && node.column >= 0 &&
                   question.row_columns[static_cast<std::size_t>(node.column)] ==
                       RowColumn{pair.left_table, pair.left_column};
          });
        };
        if (!join.on.empty() && std::any_of(join.on.begin(), join.on.end(), is_key))
          entries = std::max(entries, sizes.tables[join.table].rows.value_or(0));
      }
    sizes.entries.push_back(std::min(entries, std::max(1.0, sizes.rows.value_or(0))));
  }
  return sizes;
}

}  // namespace lofty::engine
