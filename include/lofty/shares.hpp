#pragma once
// Shares of a group's total, and running shares in the order of places.

#include <cstdint>
#include <span>
#include <vector>

#include "lofty/order.hpp"

namespace lofty {

// Of each position of `order`: its row's value divided by the sum over its group, unranked rows included. Values are
// given by input row; NaN is null. NaN where the value is null or the sum 0. The sums are exact, so tied rows have
// equal shares whatever their order. O(n). Preconditions (asserted): as many values as rows. Thread-safe.
std::vector<double> shares(const Order& order, std::span<const std::int64_t> values);
std::vector<double> shares(const Order& order, std::span<const double> values);

// The sum from the group's first position to the last peer of each, divided by the sum over the group: "a fifth of the
// shops bring how much of the money?" Tied rows share one value; unranked ones have NaN.
std::vector<double> running_shares(const Order& order, std::span<const std::int64_t> values);
std::vector<double> running_shares(const Order& order, std::span<const double> values);

}  // namespace lofty
