// Shares of the whole, and running shares.

#include "lofty/shares.hpp"

#include <cmath>
#include <limits>

#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "order/key_check.hpp"
#include "value/exact.hpp"
#include "value/exact_sum.hpp"

namespace lofty {

using namespace engine;

namespace {

constexpr double none = std::numeric_limits<double>::quiet_NaN();

struct WholeSum {
  int128 sum = 0;
  void add(std::int64_t value) { sum += value; }
  double value() const { return static_cast<double>(sum); }
  static bool null(std::int64_t) { return false; }
};

// Sums of decimals brought to one scale; the quotient of two of them does not depend on it.
struct DecimalSum {
  int128 sum = 0;
  void add(int128 value) {
    if (__builtin_add_overflow(sum, value, &sum))
      throw Error(Problem{Code::overflow, "the sum has more than 38 digits", {}, {}, "use doubles"});
  }
  double value() const { return static_cast<double>(sum); }
  static bool null(int128) { return false; }
};

struct DoubleSum {
  ExactSum sum;
  double special = 0;  // of infinities
  void add(double value) {
    if (std::isinf(value))
      special += value;
    else
      sum.add(value);
  }
  double value() const { return special != 0 ? special : sum.value(); }
  static bool null(double value) { return std::isnan(value); }
};

// `get(row)` is the value of an input row.
template <class Sum, class Get>
std::vector<double> divide(const Order& order, const Get& get, const NullMask& nulls, bool running, const Run& run) {
  std::vector<double> out(order.size(), none);
  const auto rows = order.rows();
  const std::size_t size = order.size();
  const auto null = [&](std::size_t row) { return nulls.is_null(row) || Sum::null(get(row)); };
  Progress progress(run, 2 * size);  // each position is looked at twice
  std::size_t untold = 0;
  const auto told = [&] {
    if (++untold < RowRanges::usual_rows) return;
    progress.add(untold);
    untold = 0;
  };
  for (std::size_t begin = 0; begin < size;) {
    Sum total;
    std::size_t end = begin;
    do {
      if (!null(rows[end])) total.add(get(rows[end]));
      told();
      ++end;
    } while (end < size && !order.starts_group(end));

    // Each row's part, or that of all peers up to here.
    const double whole = total.value();
    Sum so_far;
    for (std::size_t i = begin; i < end && whole != 0;) {
      if (!running) {
        if (!null(rows[i])) out[i] = static_cast<double>(get(rows[i])) / whole;
        told();
        ++i;
        continue;
      }
      if (!order.ranked(i)) break;
      std::size_t last = i;
      do {
        if (!null(rows[last])) so_far.add(get(rows[last]));
        told();
        ++last;
      } while (last < end && !order.starts_peers(last));
      const double share = so_far.value() / whole;
      for (; i < last; ++i)
        if (!null(rows[i])) out[i] = share;
    }
    begin = end;
  }
  progress.finish();
  return out;
}

template <class Sum, class T>
std::vector<double> divide(const Order& order, std::span<const T> values, const NullMask& nulls, bool running,
                           const Run& run) {
  require(values.size() == order.size(), "the values are as many as the rows of the order");
  require_mask(nulls, values.size());
  return divide<Sum>(
      order, [values](std::size_t row) { return values[row]; }, nulls, running, run);
}

std::vector<double> divide(const Order& order, std::span<const Decimal> values, const NullMask& nulls, bool running,
                           const Run& run) {
  require(values.size() == order.size(), "the values are as many as the rows of the order");
  require_mask(nulls, values.size());

  // All at the scale of the value that has most decimals.
  const Phases phases(run, {1, 2});
  int scale = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (i % RowRanges::usual_rows == 0) check_stop(run);
    if (!nulls.is_null(i)) scale = std::max(scale, values[i].scale());
  }
  const auto coefficient = [values, scale](std::size_t row) {
    int128 value = 0;
    if (!scale_up(values[row].coefficient(), scale - values[row].scale(), value))
      throw Error(Problem{
          Code::overflow, "a value at the decimals of the others has more than 38 digits", {}, {}, "use doubles"});
    return value;
  };
  return divide<DecimalSum>(order, coefficient, nulls, running, phases[1]);
}

}  // namespace

std::vector<double> shares(const Order& order, std::span<const std::int64_t> values, NullMask nulls, const Run& run) {
  return divide<WholeSum>(order, values, nulls, false, run);
}
std::vector<double> shares(const Order& order, std::span<const double> values, NullMask nulls, const Run& run) {
  return divide<DoubleSum>(order, values, nulls, false, run);
}
std::vector<double> shares(const Order& order, std::span<const Decimal> values, NullMask nulls, const Run& run) {
  return divide(order, values, nulls, false, run);
}
std::vector<double> running_shares(const Order& order, std::span<const std::int64_t> values, NullMask nulls,
                                   const Run& run) {
  return divide<WholeSum>(order, values, nulls, true, run);
}
std::vector<double> running_shares(const Order& order, std::span<const double> values, NullMask nulls, const Run& run) {
  return divide<DoubleSum>(order, values, nulls, true, run);
}
std::vector<double> running_shares(const Order& order, std::span<const Decimal> values, NullMask nulls,
                                   const Run& run) {
  return divide(order, values, nulls, true, run);
}

}  // namespace lofty
