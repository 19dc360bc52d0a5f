#include "relation/ordered_totals.hpp"

#include "order/sort.hpp"
#include "relation/some_rows.hpp"
#include "relation/sort_codes.hpp"
#include "window/aggregates.hpp"

namespace lofty::engine {
namespace {

class OrderedTotal {
 public:
  OrderedTotal(const Aggregate& aggregate, const ColumnPtr& values, std::size_t groups)
      : aggregate_(aggregate), values_(*values), picked_(groups, Column::none), piece_(aggregate.type) {}

  void begin(std::size_t groups) {
    if (aggregate_.kind == AggregateKind::percentile_cont) between_.assign(groups, Value{});
  }
  // A group's rows (as numbers among those that were collected), in their order; nulls last.
  void group(std::uint32_t number, std::span<const std::uint32_t> rows) {
    switch (aggregate_.kind) {
      case AggregateKind::first: picked_[number] = rows.front(); return;
      case AggregateKind::last: picked_[number] = rows.back(); return;
      default: break;
    }
    while (!rows.empty() && values_.is_null(rows.back())) rows = rows.first(rows.size() - 1);
    if (rows.empty()) return;
    const auto count = static_cast<std::uint32_t>(rows.size());
    if (aggregate_.kind == AggregateKind::percentile_disc) {
      picked_[number] = rows[discrete_rank(aggregate_.fraction, count, aggregate_.descending)];
      return;
    }
    const ContinuousRank at = continuous_rank(aggregate_.fraction, count, aggregate_.descending);
    const std::uint32_t low = rows[at.low], high = rows[at.rest == 0 ? at.low : at.low + 1];
    if (aggregate_.type.kind == Kind::floating)
      between_[number] = interpolated(values_.float64(low), values_.float64(high), at);
    else
      between_[number] = Decimal(interpolated(values_.integer(low), values_.integer(high), at,
                                              power_of_ten(aggregate_.type.scale - values_.type().scale)),
                                 aggregate_.type.scale);
  }
  ColumnPtr column(const Run& run) {
    if (aggregate_.kind != AggregateKind::percentile_cont) return Column::picked(values_, picked_, run);
    for (const Value& value : between_) piece_.add(value);
    return Column::seal(std::move(piece_));
  }

 private:
  const Aggregate& aggregate_;
  const Column& values_;
  std::vector<std::uint32_t> picked_;
  std::vector<Value> between_;
  Piece piece_;
};

}  // namespace

ColumnPtr ordered_total(const Aggregate& aggregate, const JoinedRows& relation, const std::vector<std::uint32_t>& rows,
                        const std::vector<std::uint32_t>& group_of, std::size_t groups, const Ladder& ladder,
                        const Question& question, const Run& run) {
  const ColumnPtr values = values_at(relation, *aggregate.argument, rows, run);

  // The rows in order: by group, then by the order that is asked for.
  SortKeys keys;
  encode(ascending(group_of), run, keys.within);
  std::vector<ColumnPtr> kept{values};
  if (aggregate.order.empty()) {
    encode(ColumnKey{values.get(), false, {}}, run, keys.by);
  } else {
    for (const SortKey& key : aggregate.order) {
      kept.push_back(values_at(relation, *key.node, rows, run));
      encode_sort_key(ladder, question, *kept.back(), key.node->op == Op::name ? key.text : std::string(),
                      key.descending, key.nulls, false, run, keys.by);
    }
  }
  const Order sorted = make_order(rows.size(), keys, run);

  // Group by group.
  OrderedTotal total(aggregate, values, groups);
  total.begin(groups);
  const auto order = sorted.rows();
  for (std::size_t begin = 0; begin < order.size();) {
    std::size_t end = begin + 1;
    while (end < order.size() && !sorted.starts_group(end)) ++end;
    const std::uint32_t group = group_of[order[begin]];
    if (group < groups) total.group(group, order.subspan(begin, end - begin));
    begin = end;
  }
  return total.column(run);
}

}  // namespace lofty::engine
