#pragma once
// Groups numbered, and exact sums by group.

#include <cstdint>
#include <span>
#include <vector>

#include "lofty/decimal.hpp"
#include "lofty/export.hpp"
#include "lofty/key.hpp"
#include "lofty/run.hpp"

namespace lofty LOFTY_EXPORT {

// Which group each row belongs to. Groups are numbered from 0 in the order of their first rows.
struct GroupNumbers {
  std::vector<std::uint32_t> of_row;
  std::vector<std::uint32_t> first_rows;  // by group
  std::size_t size() const { return first_rows.size(); }
};

// Rows whose keys are equal get one number; nulls are equal to each other. Keys of a small range index an array, others
// are looked up in a table. O(n) time; 4 bytes a row, 4 a group, and the table's 32 to 128 a group. Precondition:
// there is a key, and all are of one length.
// Throws std::bad_alloc, and Error as order() does. Thread-safe.
[[nodiscard]] GroupNumbers number_groups(const Groups& groups, const Run& run = {});

// The sum of each group, by number; null values (mask not 0, NaN) are left out, and a group of nothing but nulls has 0.
// Exact: integers and decimals by 128-bit arithmetic, so that no order of rows ever shows; doubles are exact until the
// one rounding at the end (infinities as IEEE has them). Preconditions, else CallError: as many values as rows, a mask
// that is empty or as long, and group numbers below groups.size().
// Throws Error(overflow) where a decimal sum has more than 38 digits. Thread-safe.
[[nodiscard]] std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const std::int64_t> values,
                                        NullMask null_mask = {}, const Run& run = {});
[[nodiscard]] std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const Decimal> values,
                                        NullMask null_mask = {}, const Run& run = {});
[[nodiscard]] std::vector<double> sums(const GroupNumbers& groups, std::span<const double> values,
                                       NullMask null_mask = {}, const Run& run = {});

// The same into the caller's memory, one sum for each group. Precondition: as many results as groups. After an Error
// the results are undefined.
void sums(const GroupNumbers& groups, std::span<const std::int64_t> values, NullMask null_mask, std::span<Decimal> out,
          const Run& run = {});
void sums(const GroupNumbers& groups, std::span<const Decimal> values, NullMask null_mask, std::span<Decimal> out,
          const Run& run = {});
void sums(const GroupNumbers& groups, std::span<const double> values, NullMask null_mask, std::span<double> out,
          const Run& run = {});

}  // namespace lofty
