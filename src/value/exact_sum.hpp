#pragma once
// Sums of doubles that are exact until the last rounding, so that the order of the values never shows.

#include <array>
#include <cstdint>

namespace lofty::engine {

// A fixed-point accumulator over the whole range of doubles: 32 bits of the value in each 64-bit limb, the upper bits
// being room for carries. (R. M. Neal, "Fast exact summation using small and large superaccumulators", 2015: the small
// one.) 560 bytes; an addition touches three limbs.
class ExactSum {
 public:
  // Precondition: finite.
  void add(double value);
  void add(const ExactSum& other);
  // The nearest double to the exact sum, ties to even. Infinite when it is out of range.
  double value() const;

 private:
  static constexpr int limbs = 70;  // (1024 + 1074 + 53 + room) / 32
  void carry();
  std::array<std::int64_t, limbs> limb_{};
  std::uint32_t pending_ = 0;  // additions since the last carry: at most 2^29 fit the room above 32 bits
};

}  // namespace lofty::engine
