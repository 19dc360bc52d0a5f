// Answering a level of a ladder: the columns of places.
// Covered by tests/ladder/standings_test.cpp.
#include "ladder/asking.hpp"

#include <algorithm>

#include "ladder/windows.hpp"
#include "lofty/places.hpp"
#include "order/custom_order.hpp"
#include "rank/exact_sum.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

std::vector<std::uint8_t> Asking::tied_in(const Order& order) {
  std::vector<std::uint8_t> tied(order.size(), 0);
  const auto rows = order.rows();
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const bool alone = order.starts_peers(i) && (i + 1 == rows.size() || order.starts_peers(i + 1));
    tied[rows[i]] = order.ranked(i) && !alone;
  }
  return tied;
}

void Asking::add_also(const Also& also, const AlsoUse& use) {
  a_.also_tied.emplace_back();
  switch (also.measure) {
    case Measure::place: {
      if (use.by.empty()) return add_place_column(*a_.order, also.ties);
      std::vector<ColumnPtr> by_columns;
      const Order own = order_by(use.by, by_columns);
      a_.also_tied.back() = tied_in(own);
      return add_place_column(own, also.ties);
    }
    case Measure::tiers: {
      const std::vector<std::uint32_t> tier = tiers(*a_.order, static_cast<std::uint32_t>(also.count));
      a_.split_tiers.emplace_back(also.name, split_tiers(a_.order->data(), tier));
      return add_numbers(by_input_row(*a_.order, tier));
    }
    case Measure::percent_rank: return add_ratio(Ties::competition, 1);
    case Measure::cumulative_distribution: return add_ratio(Ties::modified, 0);
    default:
      return add_shares(*a_.entries.columns[static_cast<std::size_t>(use.of)], also.measure == Measure::running_share);
  }
}

void Asking::add_column(Piece piece) { a_.columns.push_back(Column::seal(std::move(piece))); }

void Asking::add_numbers(const std::vector<std::uint32_t>& numbers) {
  Piece piece(Type{.kind = Kind::integer});
  for (const std::uint32_t number : numbers) number == 0 ? piece.add_null() : piece.add_integer(number);
  add_column(std::move(piece));
}

void Asking::add_place_column(const Order& order, Ties ties) {
  if (ties != Ties::fractional) return add_numbers(places_by_row(order, ties, a_.run));
  Piece piece(Type{.kind = Kind::decimal, .scale = 1});
  for (const double place : fractional_places_by_row(order, a_.run))
    place == 0 ? piece.add_null() : piece.add_integer(static_cast<std::int64_t>(place * 10));
  add_column(std::move(piece));
}

void Asking::add_ratio(Ties ties, std::uint32_t less) {
  const std::vector<std::uint32_t> place = places(*a_.order, ties, a_.run);
  std::vector<std::int64_t> millionths(place.size(), int64_null);
  a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t) {
    const auto whole = static_cast<std::int64_t>(ranked - begin) - less;
    for (std::size_t i = begin; i < ranked; ++i)
      millionths[i] =
          whole == 0 ? 0
                     : static_cast<std::int64_t>(divide_half_even(int128{place[i] - less} * 1'000'000, int128{whole}));
  });
  Piece piece(Type{.kind = Kind::decimal, .scale = 6});
  for (const std::int64_t one : by_input_row(*a_.order, millionths))
    one == int64_null ? piece.add_null() : piece.add_integer(one);
  add_column(std::move(piece));
}

void Asking::add_shares(const Column& of, bool running) {
  std::vector<Value> out(a_.entries.count);
  const auto rows = a_.order->rows();
  const bool exact = of.type().exact();
  const int scale = exact ? std::min(of.type().scale + 6, Decimal::max_digits) : 0;
  a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
    int128 whole = 0, so_far = 0;
    ExactSum whole_floats, floats_so_far;
    const auto add = [&](std::size_t i, int128& sum, ExactSum& floats) {
      if (of.is_null(rows[i])) return;
      if (!exact)
        floats.add(of.float64(rows[i]));
      else if (__builtin_add_overflow(sum, of.integer(rows[i]), &sum))
        throw Error(Problem{Code::overflow, "the sum behind a share has more than 38 digits", {}, {}, {}});
    };
    for (std::size_t i = begin; i < end; ++i) add(i, whole, whole_floats);
    const double divisor = whole_floats.value();
    if (exact ? whole == 0 : divisor == 0) return;  // no share of nothing
    const auto part = [&](int128 sum, double floats) -> Value {
      if (!exact) return floats / divisor;
      int128 quotient = 0;
      if (!divide_decimals(sum, of.type().scale, whole, of.type().scale, scale, quotient))
        throw Error(Problem{Code::overflow, "a share has more than 38 digits", {}, {}, {}});
      return Decimal(quotient, scale);
    };
    for (std::size_t i = begin; !running && i < end; ++i)
      if (!of.is_null(rows[i])) out[rows[i]] = part(exact ? of.integer(rows[i]) : 0, exact ? 0 : of.float64(rows[i]));
    for (std::size_t i = begin; running && i < ranked;) {
      std::size_t last = i;
      do add(last++, so_far, floats_so_far);
      while (last < ranked && !a_.order->starts_peers(last));
      const Value share = part(so_far, exact ? 0 : floats_so_far.value());
      for (; i < last; ++i) out[rows[i]] = share;
    }
  });
  Piece piece(exact ? Type{.kind = Kind::decimal, .scale = scale} : Type{.kind = Kind::floating});
  for (const Value& value : out) piece.add(value);
  add_column(std::move(piece));
}

}  // namespace lofty::engine
