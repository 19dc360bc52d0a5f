// Shares of the whole, and running shares.

#include "lofty/shares.hpp"

#include <cassert>
#include <cmath>
#include <limits>

#include "rank/exact_sum.hpp"
#include "table/exact.hpp"

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

template <class Sum, class T>
std::vector<double> divide(const Order& order, std::span<const T> values, bool running) {
  assert(values.size() == order.size());
  std::vector<double> out(order.size(), none);
  const auto rows = order.rows();
  const std::size_t size = order.size();
  for (std::size_t begin = 0; begin < size;) {
    Sum total;
    std::size_t end = begin;
    do {
      if (!Sum::null(values[rows[end]])) total.add(values[rows[end]]);
      ++end;
    } while (end < size && !order.starts_group(end));

    // Each row's part, or that of all peers up to here.
    const double whole = total.value();
    Sum so_far;
    for (std::size_t i = begin; i < end && whole != 0;) {
      if (!running) {
        if (!Sum::null(values[rows[i]])) out[i] = static_cast<double>(values[rows[i]]) / whole;
        ++i;
        continue;
      }
      if (!order.ranked(i)) break;
      std::size_t last = i;
      do {
        if (!Sum::null(values[rows[last]])) so_far.add(values[rows[last]]);
        ++last;
      } while (last < end && !order.starts_peers(last));
      const double share = so_far.value() / whole;
      for (; i < last; ++i) out[i] = share;
    }
    begin = end;
  }
  return out;
}

}  // namespace

std::vector<double> shares(const Order& order, std::span<const std::int64_t> values) {
  return divide<WholeSum>(order, values, false);
}
std::vector<double> shares(const Order& order, std::span<const double> values) {
  return divide<DoubleSum>(order, values, false);
}
std::vector<double> running_shares(const Order& order, std::span<const std::int64_t> values) {
  return divide<WholeSum>(order, values, true);
}
std::vector<double> running_shares(const Order& order, std::span<const double> values) {
  return divide<DoubleSum>(order, values, true);
}

}  // namespace lofty
