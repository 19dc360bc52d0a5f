#include "relation/ordered_totals.hpp"

#include <algorithm>

#include "formula/problem_at.hpp"
#include "lofty/error.hpp"
#include "order/sort.hpp"
#include "relation/some_rows.hpp"
#include "relation/sort_codes.hpp"
#include "value/exact_sum.hpp"
#include "window/aggregates.hpp"

namespace lofty::engine {
namespace {

class OrderedTotal {
 public:
  OrderedTotal(const Aggregate& aggregate, const ColumnPtr& values, std::size_t groups)
      : aggregate_(aggregate), values_(*values), picked_(groups, Column::none), piece_(aggregate.type) {}

  void begin(std::size_t groups) {
    if (!picks()) between_.assign(groups, Value{});
  }
  // A group's rows (as numbers among those that were collected), in their order; nulls last.
  void group(std::uint32_t number, std::span<const std::uint32_t> rows) {
    switch (aggregate_.kind) {
      case AggregateKind::first: picked_[number] = rows.front(); return;
      case AggregateKind::last: picked_[number] = rows.back(); return;
      case AggregateKind::joined_texts: between_[number] = joined(rows); return;
      default: break;
    }
    while (!rows.empty() && values_.is_null(rows.back())) rows = rows.first(rows.size() - 1);
    if (rows.empty()) return;
    if (aggregate_.kind == AggregateKind::sum_distinct || aggregate_.kind == AggregateKind::average_distinct) {
      between_[number] = of_distinct(rows);
      return;
    }
    const auto count = static_cast<std::uint32_t>(rows.size());
    if (aggregate_.kind == AggregateKind::percentile_disc) {
      picked_[number] = rows[discrete_rank(aggregate_.fraction, count, false)];
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
    if (picks()) return Column::picked(values_, picked_, run);
    for (const Value& value : between_) piece_.add(value);
    return Column::seal(std::move(piece_));
  }

 private:
  // Is the result one of the values?
  bool picks() const {
    return aggregate_.kind == AggregateKind::first || aggregate_.kind == AggregateKind::last ||
           aggregate_.kind == AggregateKind::percentile_disc;
  }

  // The texts one after the other; null where there is none.
  Value joined(std::span<const std::uint32_t> rows) const {
    std::string out;
    bool any = false;
    for (const std::uint32_t row : rows) {
      if (values_.is_null(row)) continue;
      if (any) out += aggregate_.separator;
      out += values_.dictionary().text(values_.code(row));
      any = true;
    }
    return any ? Value(std::move(out)) : Value{};
  }

  // The sum or the mean of rows whose values ascend, each value once.
  Value of_distinct(std::span<const std::uint32_t> rows) const {
    const bool floats = values_.lane() == Lane::float64;
    std::vector<double> doubles;
    int128 sum = 0, count = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (i > 0 && values_.value(rows[i]) == values_.value(rows[i - 1])) continue;
      ++count;
      if (floats)
        doubles.push_back(values_.float64(rows[i]));
      else if (__builtin_add_overflow(sum, values_.integer(rows[i]), &sum))
        throw Error(Problem{Code::overflow, "`" + aggregate_.text + "` has more than 38 digits", {}, {}, {}});
    }
    const bool mean = aggregate_.kind == AggregateKind::average_distinct;
    if (floats) {
      ExactSum exact;
      for (const double one : doubles) exact.add(one);
      return mean ? exact.value() / static_cast<double>(count) : exact.value();
    }
    if (!mean) return Decimal(sum, values_.type().scale);
    int128 lifted = 0;
    if (!scale_up(sum, aggregate_.type.scale - values_.type().scale, lifted))
      throw Error(Problem{Code::overflow, "`" + aggregate_.text + "` has more than 38 digits", {}, {}, {}});
    return Decimal(divide_half_even(lifted, count), aggregate_.type.scale);
  }

  const Aggregate& aggregate_;
  const Column& values_;
  std::vector<std::uint32_t> picked_;
  std::vector<Value> between_;
  Piece piece_;
};

// Of the group at these positions: does its first or last row have a peer of another value?
void note_peers(const Aggregate& aggregate, const Column& values, const Order& sorted, const RowRange& group,
                const std::vector<std::uint32_t>& rows, InputDecided& decided) {
  const auto [begin, end] = group;
  const bool first = aggregate.kind == AggregateKind::first;
  if (!first && aggregate.kind != AggregateKind::last) return;
  const auto order = sorted.rows();
  const std::size_t chosen = first ? begin : end - 1;
  for (std::size_t i = chosen;
       first ? i + 1 < end && !sorted.starts_peers(i + 1) : i > begin && !sorted.starts_peers(i); first ? ++i : --i) {
    const std::size_t peer = first ? i + 1 : i - 1;
    if (values.value(order[peer]) == values.value(order[chosen])) continue;
    if (decided.groups++ == 0) {
      decided.one = rows[order[std::min(peer, chosen)]];
      decided.other = rows[order[std::max(peer, chosen)]];
    }
    return;
  }
}

}  // namespace

ColumnPtr ordered_total(const Aggregate& aggregate, const JoinedRows& relation, const RowsOfGroups& of, const Run& run,
                        InputDecided* decided) {
  const auto& [rows, group_of, groups] = of;
  const Question& question = relation.question();
  const ColumnPtr values = values_at(relation, *aggregate.argument, rows, run);

  // The rows in order: by group, then by the order that is asked for.
  SortKeys keys;
  encode(ascending(group_of), run, keys.within);
  std::vector<ColumnPtr> kept{values};
  if (aggregate.order.empty()) {  // by the value itself, as it is sorted elsewhere
    // A custom order is no mirror image when it descends: pinned values stay where they are.
    const bool descending = aggregate.kind == AggregateKind::percentile_disc && aggregate.descending;
    encode_sort_key(*question.ladder, *values,
                    {ordering_of_row_key(question, *aggregate.argument), descending, Nulls::last, true}, run, keys.by);
  } else {
    for (const SortKey& key : aggregate.order) {
      kept.push_back(values_at(relation, *key.node, rows, run));
      encode_sort_key(*question.ladder, *kept.back(),
                      {ordering_of_row_key(question, *key.node), key.descending, key.nulls}, run, keys.by);
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
    if (group < groups) {
      try {
        total.group(group, order.subspan(begin, end - begin));
      } catch (const Error& error) {
        throw placed(error, *aggregate.argument);
      }
      if (decided != nullptr) note_peers(aggregate, *values, sorted, {begin, end}, rows, *decided);
    }
    begin = end;
  }
  return total.column(run);
}

}  // namespace lofty::engine
