#pragma once
// Windows over plain arrays: for every row a value computed from the rows around it.
//
//   std::vector<std::int64_t> day{1, 1, 2, 5}, amount{10, 20, 30, 40};
//   auto o = lofty::order({lofty::ascending(day)});
//   auto running = lofty::frame_sums(o, lofty::last_rows(2), amount);                    // 10 30 50 70
//   lofty::Frame days{.from = lofty::preceding(1), .by = lofty::ascending(day)};         // today and yesterday
//   auto by_day = lofty::frame_sums(o, days, amount);                                    // 30 30 60 40
//   auto before = lofty::rows_before(o, 1);                                              // none, 0, 1, 2
//
// Groups of the order are partitions; peers are rows that are equal on all of its `by` keys. Every result is in the
// order's positions; by_input_row() brings it back to the rows' own sequence, for some 10 ns a row. Values are given
// by input row, nulls by a mask (not 0: null; NaN is null too).
//
// The cost of all of them is independent of how wide frames are: a row enters a frame once and leaves it once. Memory:
// the result, the gathered values (8 bytes a row), and what each says. Preconditions: arrays are as long as
// the order; distances are not negative; a range with a distance has `by`, which is the order's only key. Errors:
// CallError for a precondition; Error(overflow) where said; Error(stopped); std::bad_alloc. Thread-safe; the same bytes
// for any number of threads.

#include <cstdint>
#include <span>
#include <vector>

#include "lofty/decimal.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/frame.hpp"
#include "lofty/order.hpp"
#include "lofty/run.hpp"

namespace lofty LOFTY_EXPORT {

// Sums; null over no value. Integers and decimals are exact (Error(overflow) beyond 64 bits, or 38 digits); doubles are
// exact until the one rounding at the end, so that nothing drifts as frames move on.
[[nodiscard]] ColumnValues<std::int64_t> frame_sums(const Order& order, const Frame& frame,
                                                    std::span<const std::int64_t> values, NullMask nulls = {},
                                                    const Run& run = {});
[[nodiscard]] ColumnValues<double> frame_sums(const Order& order, const Frame& frame, std::span<const double> values,
                                              NullMask nulls = {}, const Run& run = {});
[[nodiscard]] ColumnValues<Decimal> frame_sums(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                               NullMask nulls = {}, const Run& run = {});
// The same into the caller's memory, which saves making it: a null has 0 in `out` and 1 in `out_nulls`.
void frame_sums(const Order& order, const Frame& frame, std::span<const std::int64_t> values, NullMask nulls,
                std::span<std::int64_t> out, std::span<std::uint8_t> out_nulls, const Run& run = {});
void frame_sums(const Order& order, const Frame& frame, std::span<const double> values, NullMask nulls,
                std::span<double> out, std::span<std::uint8_t> out_nulls, const Run& run = {});
void frame_sums(const Order& order, const Frame& frame, std::span<const Decimal> values, NullMask nulls,
                std::span<Decimal> out, std::span<std::uint8_t> out_nulls, const Run& run = {});
// The running sum along the order, from each group's start to the row itself, of values in the order
// already: one pass, into the caller's memory. Throws Error(overflow) where a sum is beyond 64 bits.
void running_sums(const Order& order, std::span<const std::int64_t> in_order, std::span<std::int64_t> out,
                  const Run& run = {});

// Means; null over no value. Decimals have six decimals more, rounded half to even.
[[nodiscard]] ColumnValues<double> frame_means(const Order& order, const Frame& frame, std::span<const double> values,
                                               NullMask nulls = {}, const Run& run = {});
[[nodiscard]] ColumnValues<Decimal> frame_means(const Order& order, const Frame& frame, std::span<const Decimal> values,
                                                NullMask nulls = {}, const Run& run = {});

// How many rows, or values that are not null, each frame holds.
[[nodiscard]] std::vector<std::uint32_t> frame_counts(const Order& order, const Frame& frame, NullMask nulls = {},
                                                      const Run& run = {});
// How many different values that are not null. 8 bytes a row in addition.
[[nodiscard]] std::vector<std::uint32_t> frame_distinct_counts(const Order& order, const Frame& frame,
                                                               const Key& values, const Run& run = {});

// The input row of each frame's least, or greatest, value (the first of several), none over no value. Texts compare by
// code points.
inline constexpr std::uint32_t no_input_row = 0xffffffff;
[[nodiscard]] std::vector<std::uint32_t> frame_least(const Order& order, const Frame& frame, const Key& values,
                                                     const Run& run = {});
[[nodiscard]] std::vector<std::uint32_t> frame_greatest(const Order& order, const Frame& frame, const Key& values,
                                                        const Run& run = {});
void frame_least(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                 const Run& run = {});  // into the caller's memory
void frame_greatest(const Order& order, const Frame& frame, const Key& values, std::span<std::uint32_t> out,
                    const Run& run = {});

// The value below which `fraction` (0 to 1) of a frame's values is, between the two nearest; 0.5 is the median. Null
// over no value. One more sort (of the values within their groups), and 20 bytes a row in addition.
[[nodiscard]] ColumnValues<double> frame_percentiles(const Order& order, const Frame& frame,
                                                     std::span<const double> values, const Decimal& fraction,
                                                     NullMask nulls = {}, const Run& run = {});
[[nodiscard]] ColumnValues<Decimal> frame_percentiles(const Order& order, const Frame& frame,
                                                      std::span<const Decimal> values, const Decimal& fraction,
                                                      NullMask nulls = {}, const Run& run = {});

// The input row so many rows before, or after, in the same group; none where there is no such row. With a mask rows
// that are null are passed over (ISO SQL's `ignore nulls`).
[[nodiscard]] std::vector<std::uint32_t> rows_before(const Order& order, std::uint32_t distance, NullMask nulls = {},
                                                     const Run& run = {});
[[nodiscard]] std::vector<std::uint32_t> rows_after(const Order& order, std::uint32_t distance, NullMask nulls = {},
                                                    const Run& run = {});
// The input row that is the n-th of each frame, from 1, or the n-th from its end. With a mask as above.
enum class From : std::uint8_t { first, last };
[[nodiscard]] const char* to_string(From value);
template <>
std::optional<From> from_string<From>(std::string_view name);
[[nodiscard]] std::vector<std::uint32_t> nth_rows(const Order& order, const Frame& frame, std::uint32_t n,
                                                  From from = From::first, NullMask nulls = {}, const Run& run = {});

}  // namespace lofty
