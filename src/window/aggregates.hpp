#pragma once
// Aggregates over frames, at a cost that does not depend on the frames' width.
// Covered by tests/window/arrays_test.cpp and tests/window/windows_test.cpp, against the definition.

#include <cstdint>
#include <vector>

#include "lofty/decimal.hpp"
#include "rank/moments.hpp"
#include "table/column.hpp"
#include "window/gathered.hpp"
#include "window/slide.hpp"

namespace lofty::engine {

// Results by position; nulls are the special values of Piece.
struct Results {
  enum class Lane : std::uint8_t { int64, int128, float64 };
  Lane lane = Lane::int64;
  Buffer<std::int64_t> ints;
  Buffer<int128> wide;
  Buffer<double> doubles;
};

// How many values that are not null each frame holds; without values, how many positions. (uint32 a position.)
Buffer<std::uint32_t> frame_counts(const WindowJob& job, const Gathered* values);
// How many positions each frame holds, in the fewest bytes where no frame holds more than `most`.
PackedNumbers packed_counts(const WindowJob& job, std::size_t most);

// Sums: null over none. Exact integers by running 64- or 128-bit arithmetic, which can take away what it added; floats
// in 128-bit fixed point where the range of their exponents allows it, else in an accumulator over the whole range:
// exact until the one rounding, so that nothing ever drifts. Values may be packed. Throws Error(overflow) beyond 38
// digits.
Results frame_sums(const WindowJob& job, const Gathered& values);
// The same straight into `out` and `nulls` (1: null, and 0 in `out`). False, and nothing done, where the values are not
// 64-bit integers whose sums are sure to fit.
bool frame_sums(const WindowJob& job, const Gathered& values, std::int64_t* out, std::uint8_t* nulls);
// The same in the fewest bytes, where no frame holds more than `most` rows. None, and nothing done, where the values
// are not packed, or a sum might need more than 32 bits.
PackedNumbers packed_sums(const WindowJob& job, const Gathered& values, std::size_t most);
// The sums from each group's start to the row itself, of values by input row, none of them null: they are summed where
// they are gathered to, piece by piece, and what came before a piece is added. False where a sum might not fit; then
// `out` holds nothing of use.
bool running_sums(const OrderData& order, std::span<const std::int64_t> values, std::int64_t* out, const Run& run);
// Means: exact ones with `scale` decimals, rounded half to even.
Results frame_averages(const WindowJob& job, const Gathered& values, int scale);

// Variances and deviations, null for too few values: exact ones with `scale` decimals, rounded half to even; those of
// floats and all deviations are floats.
Results frame_spreads(const WindowJob& job, const Gathered& values, const Spread& spread, int scale);

// Different values that are not null. `codes` are equal where values are, below `distinct`; no_position is null.
Buffer<std::uint32_t> frame_distinct_counts(const WindowJob& job, const std::vector<std::uint32_t>& codes,
                                            std::size_t distinct);
// Codes for it: dense, by value.
std::vector<std::uint32_t> distinct_codes(const Gathered& values, const Run& run, std::size_t& distinct);

// The values of each group in ascending order, for percentiles: `rank_at` by position (no_position for null),
// `position_at` by rank. The ranks of a group are the numbers of its positions, nulls at the end.
struct ValueRanks {
  std::vector<std::uint32_t> rank_at, position_at;
};
ValueRanks value_ranks(const OrderData& order, const Gathered& values, const Run& run);

// Where a fraction falls among `count` > 0 values in ascending order; `descending` counts from the other end.
// percentile_disc: the first, from 0, whose cumulative distribution reaches the fraction.
std::uint32_t discrete_rank(const Decimal& fraction, std::uint32_t count, bool descending);
// percentile_cont: `rest` / `whole` of the way from the value at `low` to the next one.
struct ContinuousRank {
  std::uint32_t low = 0;
  int128 rest = 0, whole = 1;
};
ContinuousRank continuous_rank(const Decimal& fraction, std::uint32_t count, bool descending);
double interpolated(double low, double high, const ContinuousRank& at);
// Times `shift`, a power of ten; rounded half to even. Throws Error(overflow) beyond 38 digits.
int128 interpolated(int128 low, int128 high, const ContinuousRank& at, int128 shift);

// percentile_disc: the position of the first value, by rank, whose cumulative distribution reaches `fraction`.
// Precondition: 0 <= fraction <= 1.
Buffer<std::uint32_t> frame_percentile_positions(const WindowJob& job, const ValueRanks& ranks, const Decimal& fraction,
                                                 bool descending);
// percentile_cont: between the two nearest values; exact ones with `scale` decimals, rounded half to even.
Results frame_percentiles(const WindowJob& job, const Gathered& values, const ValueRanks& ranks,
                          const Decimal& fraction, bool descending, int scale);

// How many frames were cut short by their group's ends, for a remark.
// `positions` takes the first `most` of them, ascending.
std::size_t short_frames(const WindowJob& job, std::vector<std::uint32_t>& positions, std::size_t most);

}  // namespace lofty::engine
