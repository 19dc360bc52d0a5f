#pragma once
// Values in the order of positions: gathered once, and then read from front to back.

#include <cstdint>
#include <span>

#include "base/buffer.hpp"
#include "lofty/key.hpp"
#include "table/column.hpp"
#include "table/packed_numbers.hpp"
#include "value/exact.hpp"

namespace lofty::engine {

// One array is in use, told by `lane`; nulls are the special values of Piece. Texts are numbers that compare as their
// code points do.
struct Gathered {
  enum class Lane : std::uint8_t { int64, int128, float64 };
  Lane lane = Lane::int64;
  Buffer<std::int64_t> ints;
  PackedNumbers packed;  // instead of `ints`, from gather_packed()
  Buffer<int128> wide;
  Buffer<double> doubles;
  int scale = 0;          // of decimals
  bool no_nulls = false;  // known to have none
  int128 magnitude = 0;   // no value's absolute is greater; lane int64 only
  std::size_t size() const {
    if (packed) return packed.size;
    return lane == Lane::int64 ? ints.size() : lane == Lane::int128 ? wide.size() : doubles.size();
  }
  // Precondition of both: not packed.
  bool is_null(std::size_t i) const;
  void make_null(std::size_t i);
  void unpack(const Run& run);  // whole numbers into `ints`
};

Gathered gather(const Column& column, std::span<const std::uint32_t> rows, const Run& run);
// The same from a caller's array, which holds no texts. Decimals may differ in scale; throws Error(overflow) where they
// cannot be brought to one.
Gathered gather(const Key& key, std::span<const std::uint32_t> rows, const Run& run);

// The same for sums and extremes, which take whole numbers packed as well as not.
Gathered gather_packed(const Column& column, std::span<const std::uint32_t> rows, const Run& run);
Gathered gather_packed(const Key& key, std::span<const std::uint32_t> rows, const Run& run);

// The number of a position, in full width.
template <bool some_null>
struct IntReader {
  static constexpr bool nulls = some_null;
  const std::int64_t* ints;
  std::int64_t operator()(std::size_t i) const { return ints[i]; }
};

// Calls with(reader) for the 64-bit values, packed or not.
template <class With>
void with_integers(const Gathered& values, const With& with) {
  if (values.packed.width == 2)
    with_words<std::uint16_t>(values.packed, with);
  else if (values.packed)
    with_words<std::uint32_t>(values.packed, with);
  else if (values.no_nulls)
    with(IntReader<false>{values.ints.data()});
  else
    with(IntReader<true>{values.ints.data()});
}

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
