#include "answer/places.hpp"

#include <algorithm>

#include "answer/conditions.hpp"
#include "base/access.hpp"
#include "base/large_vector.hpp"
#include "base/parallel.hpp"
#include "base/through_buckets.hpp"
#include "lofty/places.hpp"
#include "order/codes.hpp"
#include "order/order_data.hpp"
#include "order/sort.hpp"
#include "value/exact.hpp"
#include "value/exact_sum.hpp"

namespace lofty::engine {
namespace {

// By entry.
struct PlacesOfEntries {
  std::vector<std::uint32_t> place;        // 0: it has none
  std::vector<std::uint8_t> tied, ranked;  // does it share its place, has it one?
};

// `place` is by position.
PlacesOfEntries by_entry(const Order& order, const std::vector<std::uint32_t>& place, const Run& run) {
  constexpr std::uint64_t is_tied = std::uint64_t{1} << 32, is_ranked = is_tied << 1;
  const OrderData& data = Access::data(order);
  const std::size_t size = order.size();
  PlacesOfEntries out{large_vector<std::uint32_t>(size, run), large_vector<std::uint8_t>(size, run),
                      large_vector<std::uint8_t>(size, run)};
  const auto starts = [&](std::size_t i) { return (data.marks[i] & OrderData::peer_start) != 0; };

  // The three of them go together.
  const auto fill = [&](std::size_t begin, std::size_t count, DealtBlock<std::uint64_t, 1>& block) {
    for (std::size_t i = begin; i < begin + count; ++i) {
      const bool alone = starts(i) && (i + 1 == size || starts(i + 1));
      const bool has_place = (data.marks[i] & OrderData::is_ranked) != 0;
      block[0][i - begin] = place[i] | (has_place ? is_ranked : 0) | (has_place && !alone ? is_tied : 0);
    }
  };
  const auto take = [&](std::size_t row, std::size_t count, const std::uint64_t* records) {
    for (std::size_t i = 0; i < count; ++i) {
      out.place[row + i] = static_cast<std::uint32_t>(records[i]);
      out.tied[row + i] = (records[i] & is_tied) != 0;
      out.ranked[row + i] = (records[i] & is_ranked) != 0;
    }
  };
  through_buckets<std::uint64_t, 1>(
      order.rows(), run, fill, [] {}, take);
  return out;
}

// Numbers from 1; 0 is null.
ColumnPtr column_of(const std::vector<std::uint32_t>& numbers, const Run& run) {
  const Type type{.kind = Kind::integer};
  const RowRanges cut = RowRanges::fixed(numbers.size());
  std::vector<Piece> pieces;
  for (std::size_t p = 0; p < cut.count(); ++p) pieces.emplace_back(type);
  parallel_for(cut, run, [&](const RowRange& range, std::size_t p) {
    pieces[p].ints.resize(range.size());
    for (std::size_t i = 0; i < range.size(); ++i) {
      const std::uint32_t number = numbers[range.begin + i];
      pieces[p].ints[i] = number == 0 ? int64_null : static_cast<std::int64_t>(number);
    }
    pieces[p].pack();
  });
  return Column::seal(type, std::move(pieces), run);
}

ColumnPtr fractional_column(const Order& order, const Run& run) {
  Piece piece(Type{.kind = Kind::decimal, .scale = 1});
  for (const double place : fractional_places_by_row(order, run))
    place == 0 ? piece.add_null() : piece.add_integer(static_cast<std::int64_t>(place * 10));
  return Column::seal(std::move(piece));
}

// (place - less) / (ranked - less), with six decimals: a division of counts.
ColumnPtr ratio_column(const Places& of, Ties ties, std::uint32_t less, const Run& run) {
  const std::vector<std::uint32_t> place = places(*of.order, ties, run);
  std::vector<std::int64_t> millionths(place.size(), int64_null);
  of.each_group([&](std::size_t begin, std::size_t ranked, std::size_t) {
    const auto whole = static_cast<std::int64_t>(ranked - begin) - less;
    for (std::size_t i = begin; i < ranked; ++i)
      millionths[i] =
          whole == 0 ? 0
                     : static_cast<std::int64_t>(divide_half_even(int128{place[i] - less} * 1'000'000, int128{whole}));
  });
  Piece piece(Type{.kind = Kind::decimal, .scale = 6});
  for (const std::int64_t one : by_input_row(*of.order, millionths))
    one == int64_null ? piece.add_null() : piece.add_integer(one);
  return Column::seal(std::move(piece));
}

// Sums of one column over positions of the order: exact, of floats too.
class ShareSums {
 public:
  explicit ShareSums(const Column& of) : of_(of), exact_(of.type().exact()) {}
  void add(std::uint32_t row) {
    if (of_.is_null(row)) return;
    if (!exact_)
      floats_.add(of_.float64(row));
    else if (__builtin_add_overflow(whole_, of_.integer(row), &whole_))
      throw Error(Problem{Code::overflow, "the sum of a share has more than 38 digits", {}, {}, {}});
  }
  bool is_zero() const { return exact_ ? whole_ == 0 : floats_.value() == 0; }
  int128 whole() const { return whole_; }
  double floats() const { return floats_.value(); }

 private:
  const Column& of_;
  bool exact_;
  int128 whole_ = 0;
  ExactSum floats_;
};

// Of each entry, its value's part of the sum over its group, unranked entries included; or the sum up to its peers.
ColumnPtr share_column(const Places& places, const Column& of, std::size_t entries, bool running) {
  const bool exact = of.type().exact();
  const int scale = exact ? std::min(of.type().scale + 6, Decimal::max_digits) : 0;
  const auto rows = places.order->rows();
  std::vector<Value> out(entries);
  places.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
    ShareSums all(of), so_far(of);
    for (std::size_t i = begin; i < end; ++i) all.add(rows[i]);
    if (all.is_zero()) return;  // no share of nothing
    const double divisor = all.floats();
    const auto part = [&](int128 sum, double floats) -> Value {
      if (!exact) return floats / divisor;
      int128 quotient = 0;
      if (!divide_decimals(sum, of.type().scale, all.whole(), of.type().scale, scale, quotient))
        throw Error(Problem{Code::overflow, "a share has more than 38 digits", {}, {}, {}});
      return Decimal(quotient, scale);
    };
    for (std::size_t i = begin; !running && i < end; ++i)
      if (!of.is_null(rows[i])) out[rows[i]] = part(exact ? of.integer(rows[i]) : 0, exact ? 0 : of.float64(rows[i]));

    // Peers have the sum up to the last of them.
    for (std::size_t i = begin; running && i < ranked;) {
      std::size_t last = i;
      do so_far.add(rows[last++]);
      while (last < ranked && !places.order->starts_peers(last));
      const Value share = part(so_far.whole(), exact ? 0 : so_far.floats());
      for (; i < last; ++i)
        if (!of.is_null(rows[i])) out[rows[i]] = share;  // null has no part in it
    }
  });
  Piece piece(exact ? Type{.kind = Kind::decimal, .scale = scale} : Type{.kind = Kind::floating});
  for (const Value& value : out) piece.add(value);
  return Column::seal(std::move(piece));
}

// The order of the entries by keys, those of the level or of a column of rank.also; `by_columns` gets their values.
Order order_by(const LevelInput& input, const Entries& entries, const std::vector<std::uint8_t>& eligible,
               const std::vector<SortKey>& by, SortKeyMaker& maker, std::vector<ColumnPtr>& by_columns) {
  OrderKeys keys = order_keys(input, entries, eligible, by, maker);
  by_columns = std::move(keys.by);
  return make_order(entries.count, keys.keys, input.run);
}

// A column of rank.also.
ColumnPtr further_column(const LevelInput& input, const Entries& entries, SortKeyMaker& keys, const Also& also,
                         const AlsoUse& use, Places& places) {
  places.also_tied.emplace_back();
  switch (also.measure) {
    case Measure::place: {
      if (use.by.empty()) return place_column(*places.order, also.ties, input.run);
      const bool fractional = also.ties == Ties::fractional;
      std::vector<ColumnPtr> by;
      const Order own = order_by(input, entries, places.eligible, use.by, keys, by);
      const Ties ties = fractional ? Ties::competition : also.ties;
      PlacesOfEntries of_entries = by_entry(own, lofty::places(own, ties, input.run), input.run);
      places.also_tied.back() = std::move(of_entries.tied);
      return fractional ? fractional_column(own, input.run) : column_of(of_entries.place, input.run);
    }
    case Measure::tiers: {
      const std::vector<std::uint32_t> tier = tiers(*places.order, static_cast<std::uint32_t>(also.count));
      places.split_tiers.emplace_back(also.name, split_tiers(Access::data(*places.order), tier));
      return column_of(by_input_row(*places.order, tier), input.run);
    }
    case Measure::percent_rank: return ratio_column(places, Ties::competition, 1, input.run);
    case Measure::cumulative_distribution: return ratio_column(places, Ties::modified, 0, input.run);
    default:
      return share_column(places, *entries.columns[static_cast<std::size_t>(use.of)], entries.count,
                          also.measure == Measure::running_share);
  }
}

}  // namespace

void Places::each_group(const GroupWork& work) const {
  const std::uint8_t* const marks = Access::data(*order).marks.data();
  for (std::size_t begin = 0; begin < order->size();) {
    std::size_t end = order->groups() == 1 ? order->size() : begin + 1;
    while (end < order->size() && (marks[end] & OrderData::group_start) == 0) ++end;
    const auto is_ranked = [](std::uint8_t mark) { return (mark & OrderData::is_ranked) != 0; };
    const auto ranked_end = std::partition_point(marks + begin, marks + end, is_ranked) - marks;
    work(begin, static_cast<std::size_t>(ranked_end), end);
    begin = end;
  }
}

OrderKeys order_keys(const LevelInput& input, const Entries& entries, const std::vector<std::uint8_t>& eligible,
                     const std::vector<SortKey>& by, SortKeyMaker& maker) {
  const Question& question = input.question;
  OrderKeys out;
  SortKeys& keys = out.keys;
  keys.within = maker.codes(question.within);
  KeyList codes = maker.codes(by, entries.columns, out.by, true);

  // Entries without a place come last: those whose first key is null, and those that are not eligible.
  if (eligible.empty()) {
    encode_nulls(*out.by.front(), keys.by);
  } else {
    std::vector<std::uint8_t> unranked(entries.count);
    for (std::size_t i = 0; i < unranked.size(); ++i)
      unranked[i] = eligible[i] != is_true || out.by.front()->is_null(i);
    encode_flags(std::move(unranked), keys.by);
  }
  keys.flagged = !keys.by.empty();
  for (auto& one : codes) keys.by.push_back(std::move(one));

  // After the tie-breakers comes the entry's own key, which is unique: shuffled rows give the same standings.
  keys.tiebreak = maker.codes(question.tiebreak, entries.columns, out.breakers);
  for (auto& one : maker.codes(question.row_level() ? std::vector<std::size_t>{} : question.each))
    keys.tiebreak.push_back(std::move(one));
  return out;
}

Order order_of_places(const LevelInput& input, const Entries& entries, const std::vector<std::uint8_t>& eligible,
                      SortKeyMaker& keys, std::vector<ColumnPtr>& by) {
  return order_by(input, entries, eligible, input.question.by, keys, by);
}

ColumnPtr place_column(const Order& order, Ties ties, const Run& run) {
  if (ties == Ties::fractional) return fractional_column(order, run);
  return column_of(by_input_row(order, places(order, ties, run)), run);
}

Places rank(const LevelInput& input, const Entries& entries, SortKeyMaker& keys, std::optional<Order> order,
            std::vector<ColumnPtr> by) {
  const Question& question = input.question;
  Places out;
  out.columns = entries.columns;
  if (!question.places) return out;

  // Who may have a place, and the order of places.
  if (question.eligible)
    out.eligible = truths(*question.eligible, entries.columns, entries.count, entries.context, input.run);
  out.order = std::move(order);
  out.by = std::move(by);
  if (!out.order) out.order.emplace(order_of_places(input, entries, out.eligible, keys, out.by));

  // The places themselves.
  out.competition = places(*out.order, Ties::competition, input.run);
  const Ties ties = question.level->ties;
  const bool shown_as_they_are = ties == Ties::competition || ties == Ties::fractional;
  PlacesOfEntries of_entries =
      by_entry(*out.order, shown_as_they_are ? out.competition : places(*out.order, ties, input.run), input.run);
  out.tied = std::move(of_entries.tied);
  out.ranked = std::move(of_entries.ranked);
  out.columns.push_back(ties == Ties::fractional ? fractional_column(*out.order, input.run)
                                                 : column_of(of_entries.place, input.run));

  // Further columns, and what was before.
  for (std::size_t a = 0; a < question.also.size(); ++a)
    out.columns.push_back(further_column(input, entries, keys, question.level->also[a], question.also[a], out));
  if (input.former != nullptr) {
    out.movement = movement(input, entries, out.place(question), out.by.front());
    out.columns.push_back(out.movement->was);
    out.columns.push_back(out.movement->moved);
    if (out.movement->value_before) {
      out.columns.push_back(out.movement->value_before);
      out.columns.push_back(out.movement->value_change);
    }
  }
  return out;
}

}  // namespace lofty::engine
