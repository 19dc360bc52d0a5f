#pragma once
// "Are any still equal?" After a sort: the rows that only their input order tells apart.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/order.hpp"

namespace lofty LOFTY_EXPORT {

struct Undecided {
  std::size_t rows = 0;                                            // equal to another on every key
  std::optional<std::pair<std::uint32_t, std::uint32_t>> example;  // two of them (input rows); the first in the order
  std::optional<std::size_t> would_decide;                         // the first candidate that tells all of them apart
  std::optional<std::size_t> would_help;  // else the one that leaves the fewest, where one leaves fewer
  std::size_t left = 0;                   // rows that `would_help` leaves equal
};

// Looks for rows of `order` that are equal on every key, tie-breakers included, and among the candidate keys for one
// that would tell them apart. O(n) time, and O(m log m) a candidate for m such rows. Thread-safe.
[[nodiscard]] Undecided undecided(const Order& order, const std::vector<Key>& candidates = {}, const Run& run = {});

}  // namespace lofty
