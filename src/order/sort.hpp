#pragma once
// From codes to an Order.
// Covered by tests/order/sort_test.cpp.

#include <cstdint>

#include "lofty/order.hpp"
#include "order/key_codes.hpp"
#include "order/order_data.hpp"

namespace lofty::engine {

struct SortKeys {
  KeyList within, by, tiebreak;
  // The first of `by` is a flag of one bit that marks rows to be left unranked: they come last in their group.
  bool flagged = false;
};

// Sorts rows 0 to size - 1 by all keys, and by row number last, so that equal rows keep their input order.
//
// Keys and row number are concatenated into words of 64 bits, which need no comparator. Large inputs are first
// partitioned by the leading key bits into buckets of about equal size, so that threads share the work, a bucket stays
// in the cache, and the bits that a bucket implies need not be stored. When keys are longer than a word, rows that are
// equal on what fits are sorted again by what follows, run by run: leading bits decide nearly always, and even when
// they never do, two sorts of 64-bit words cost less than one of 128-bit ones.
Order make_order(std::size_t size, const SortKeys& keys, const Run& run);

// An order whose first groups are those of `grouped`, in which they are together already: each is sorted separately by
// `keys`, which are what follows the keys of those groups. The groups are in the order of `grouped`, rows that
// are equal on all keys in their input order, as in an order made from the beginning. Worth while for groups that fit a
// cache, when the whole key does not fit a word. Precondition: the groups hold all rows; keys.flagged is false.
Order refine_order(const OrderData& grouped, const SortKeys& keys, const Run& run);

}  // namespace lofty::engine
