#pragma once
// Values in the order of positions: gathered once, and then read from front to back.

#include <cstdint>
#include <span>

#include "lofty/key.hpp"
#include "table/buffer.hpp"
#include "table/column.hpp"
#include "table/exact.hpp"

namespace lofty::engine {

// One array is in use, told by `lane`; nulls are the special values of Piece. Texts are numbers that compare as their
// code points do.
struct Gathered {
  enum class Lane : std::uint8_t { int64, int128, float64 };
  Lane lane = Lane::int64;
  Buffer<std::int64_t> ints;
  Buffer<int128> wide;
  Buffer<double> doubles;
  int scale = 0;          // of decimals
  bool no_nulls = false;  // known to have none
  int128 magnitude = 0;   // no value's absolute is greater; lane int64 only
  std::size_t size() const {
    return lane == Lane::int64 ? ints.size() : lane == Lane::int128 ? wide.size() : doubles.size();
  }
  bool is_null(std::size_t i) const;
  void make_null(std::size_t i);
};

Gathered gather(const Column& column, std::span<const std::uint32_t> rows, const Run& run);
// The same from a caller's array, which holds no texts. Decimals may differ in scale; throws Error(overflow) where they
// cannot be brought to one.
Gathered gather(const Key& key, std::span<const std::uint32_t> rows, const Run& run);

// A copy of a caller's whole numbers in the fewest bytes that they need, in memory that is quick to go about in, for
// going to every row of a large array: two steps from front to back cost a fraction of what they save. None where the
// array is small, or has a value that the copy would take for null.
ColumnPtr packed_copy(const Key& key, const Run& run);

inline bool Gathered::is_null(std::size_t i) const {
  switch (lane) {
    case Lane::int64: return ints[i] == int64_null;
    case Lane::int128: return wide[i] == int128_min;
    case Lane::float64: return doubles[i] != doubles[i];
  }
  return true;
}

inline void Gathered::make_null(std::size_t i) {
  no_nulls = false;
  switch (lane) {
    case Lane::int64: ints[i] = int64_null; break;
    case Lane::int128: wide[i] = int128_min; break;
    case Lane::float64: doubles[i] = std::numeric_limits<double>::quiet_NaN(); break;
  }
}

}  // namespace lofty::engine
