#pragma once
// The sorting permutation of plain arrays.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/key.hpp"
#include "lofty/run.hpp"

namespace lofty::engine {
struct Access;
}

namespace lofty LOFTY_EXPORT {

// Rows in sorted order, and where groups and peers begin. Positions count from 0 in sorted order; groups follow one
// another, ascending by their keys. Within a group the rows whose first `by` key is null come last, unranked.
// Immutable and cheap to copy; safe to share between threads. A position beyond size() is a CallError. An order that
// was moved from may only be assigned to and destroyed.
class Order {
 public:
  struct Data;  // what the library holds; not for callers

  std::size_t size() const;
  std::span<const std::uint32_t> rows() const&;  // the input row at each position; valid as long as a copy of this
  std::span<const std::uint32_t> rows() const&& = delete;  // would outlive the rows
  bool starts_group(std::size_t position) const;           // the first of its group?
  bool starts_peers(std::size_t position) const;           // different from the one before on a group or `by` key?
  bool ranked(std::size_t position) const;                 // is its first `by` key a value?
  std::size_t groups() const;
  std::vector<std::uint32_t> inverse(const Run& run = {}) const;  // the position of each input row; O(n), 4 bytes a row
  // Positions whose row equals the one before on every key, tie-breakers too: there the input order decided.
  std::size_t undecided() const;

 private:
  friend struct engine::Access;
  explicit Order(std::shared_ptr<const Data> data) : data_(std::move(data)) {}
  std::shared_ptr<const Data> data_;
};

// Orders rows by `by` within groups; `tiebreak` orders rows that are equal on all of `by`, without making them
// different (they stay peers). Rows equal on everything keep their input order.
//
//   std::vector<double> spend{40, 90, 90};
//   auto o = lofty::order({lofty::descending(spend)});   // o.rows(): 1, 2, 0; o.starts_peers(1) is false
//
// Preconditions: all arrays have the same length, below 2^32 - 1; `by` is not empty. O(n log n) time.
// Throws std::bad_alloc, and Error for texts that ICU refuses (a locale that it does not know).
[[nodiscard]] Order order(const Groups& within, const std::vector<Key>& by, const std::vector<Key>& tiebreak = {},
                          const Run& run = {});
[[nodiscard]] Order order(const std::vector<Key>& by, const std::vector<Key>& tiebreak = {}, const Run& run = {});

}  // namespace lofty
