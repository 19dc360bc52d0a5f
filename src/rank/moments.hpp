#pragma once
// Variances whose only rounding is the last one, so that neither the order of the values nor a large mean shows.
// Covered by tests/value/exact_sum_test.cpp.

#include <cstdint>
#include <optional>

#include "lofty/decimal.hpp"
#include "lofty/value.hpp"
#include "value/exact_sum.hpp"

namespace lofty::engine {

// The functions var_pop, var_samp, stddev_pop and stddev_samp.
struct Spread {
  bool root = false;  // the deviation
  int less = 0;       // 1 of a sample, whose squares are divided by n - 1
};
// The type of the result over values of that type: decimals with 12 decimals more than a square has. Nothing if a
// square has more than 38 decimals.
std::optional<Type> type_of(const Spread& spread, const Type& values);

// What to do where squares of floats are out of range.
inline constexpr const char* smaller_values = "divide the values by a constant first";

// Of whole numbers, such as the coefficients of decimals of one scale.
class ExactMoments {
 public:
  // `times` is 1 to add the value and -1 to take it away. Returns false, with the state then unusable, if the sum of
  // squares needs more than 127 bits.
  [[nodiscard]] bool add(int128 value, int times = 1);
  [[nodiscard]] bool add(const ExactMoments& other);

  std::int64_t count() const { return count_; }
  // The sum of the squares around the mean, over count() - less, times 10^digits and rounded half to even. Returns
  // false if that has more than 38 digits. Preconditions: count() > less, 0 <= less <= 1, 0 <= digits <= 12.
  [[nodiscard]] bool variance(int less, int digits, int128& out) const;
  // The root of the same, of decimals with `scale` decimals. Same preconditions, and 0 <= scale <= 19.
  double deviation(int less, int scale) const;

 private:
  struct Quotient;
  Quotient quotient(int less) const;
  std::int64_t count_ = 0;
  int128 sum_ = 0, squares_ = 0;
};

// Of floats: sums of values and of squares are exact (ExactSum), the difference of n times the squares and the square
// of the sum too. 1,200 bytes. A square beyond the range of floats (values over 1.3e154) makes the variance infinite;
// squares of values under 1e-131 are rounded.
class FloatMoments {
 public:
  // Precondition: not NaN.
  void add(double value, int times = 1);
  void add(const FloatMoments& other);

  std::int64_t count() const { return count_; }
  // Preconditions: count() > less, 0 <= less <= 1.
  double variance(int less) const;

 private:
  ExactSum sum_, squares_;
  std::int64_t count_ = 0, beyond_ = 0;  // values whose squares are out of range
};

}  // namespace lofty::engine
