#pragma once
// Shares of a group's total, and running shares in the order of places.

#include <cstdint>
#include <span>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/order.hpp"

namespace lofty LOFTY_EXPORT {

// Of each position of `order`: its row's value divided by the sum over its group, unranked rows included. Values are
// given by input row; null values (mask not 0, NaN) have NaN, and so has a whole group whose sum is 0. The sums are
// exact, so tied rows have equal shares whatever their order. O(n). Preconditions: as
// many values as rows. Throws CallError, Error(stopped), std::bad_alloc. Thread-safe.
//
//   lofty::shares(o, std::vector<std::int64_t>{30, 60, 10})      0.6 0.3 0.1 where o is descending
[[nodiscard]] std::vector<double> shares(const Order& order, std::span<const std::int64_t> values, NullMask nulls = {},
                                         const Run& run = {});
[[nodiscard]] std::vector<double> shares(const Order& order, std::span<const double> values, NullMask nulls = {},
                                         const Run& run = {});
[[nodiscard]] std::vector<double> shares(const Order& order, std::span<const Decimal> values, NullMask nulls = {},
                                         const Run& run = {});

// The sum from the group's first position to the last peer of each, divided by the sum over the group: "a fifth of the
// shops bring how much of the money?" Tied rows share one value; unranked ones have NaN. Else as shares().
[[nodiscard]] std::vector<double> running_shares(const Order& order, std::span<const std::int64_t> values,
                                                 NullMask nulls = {}, const Run& run = {});
[[nodiscard]] std::vector<double> running_shares(const Order& order, std::span<const double> values,
                                                 NullMask nulls = {}, const Run& run = {});
[[nodiscard]] std::vector<double> running_shares(const Order& order, std::span<const Decimal> values,
                                                 NullMask nulls = {}, const Run& run = {});

}  // namespace lofty
