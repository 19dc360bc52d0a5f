#pragma once
// Exact integer arithmetic under decimals: powers of ten, checked 128-bit operations, rounding division.
// Covered by tests/value/decimal_test.cpp.

#include <array>
#include <cstdint>
#include <limits>
#include <string>
#include <vector>

#include "lofty/decimal.hpp"

namespace lofty::engine {

__extension__ using uint128 = unsigned __int128;

inline constexpr int128 int128_max = static_cast<int128>(~uint128{0} >> 1);
inline constexpr int128 int128_min = -int128_max - 1;

inline constexpr auto powers_of_ten = [] {
  std::array<int128, 39> powers{};
  int128 power = 1;
  for (int i = 0; i < 39; ++i) {
    powers[static_cast<std::size_t>(i)] = power;
    if (i < 38) power *= 10;
  }
  return powers;
}();

// Precondition: 0 <= exponent <= 38. Throws std::out_of_range otherwise, also in release builds.
inline constexpr int128 power_of_ten(int exponent) { return powers_of_ten.at(static_cast<std::size_t>(exponent)); }

// 38 digits: what a decimal may hold.
inline constexpr int128 decimal_limit = power_of_ten(38);
inline bool fits_decimal(int128 value) { return value < decimal_limit && value > -decimal_limit; }
inline bool fits_int64(int128 value) {
  return value <= std::numeric_limits<std::int64_t>::max() && value >= std::numeric_limits<std::int64_t>::min();
}

// value * 10^digits; false on overflow of 38 digits.
bool scale_up(int128 value, int digits, int128& out);
// value / 10^digits, half to even.
int128 scale_down(int128 value, int digits);
// numerator / denominator, half to even. Precondition: denominator is not 0.
inline int128 divide_half_even(int128 numerator, int128 denominator) {
  int128 quotient, rest;
  if (fits_int64(numerator) && fits_int64(denominator) && denominator > 0) {
    const auto n = static_cast<std::int64_t>(numerator), d = static_cast<std::int64_t>(denominator);
    quotient = n / d;
    rest = n % d;
  } else {
    quotient = numerator / denominator;
    rest = numerator - quotient * denominator;
  }
  if (rest == 0) return quotient;
  const uint128 part = rest < 0 ? -static_cast<uint128>(rest) : static_cast<uint128>(rest);
  const uint128 whole = denominator < 0 ? -static_cast<uint128>(denominator) : static_cast<uint128>(denominator);
  const uint128 other = whole - part;  // part against whole/2 without doubling, which could overflow
  const bool up = part > other || (part == other && (quotient & 1) != 0);
  if (!up) return quotient;
  return (numerator < 0) == (denominator < 0) ? quotient + 1 : quotient - 1;
}
// (a / 10^sa) / (b / 10^sb) as a coefficient of scale `scale` >= sa, half to even; false when it has over 38 digits.
bool divide_decimals(int128 a, int sa, int128 b, int sb, int scale, int128& out);
// a / 10^sa against b / 10^sb, exactly, for any scales: negative, 0 or positive.
int compare_decimals(int128 a, int sa, int128 b, int sb);

std::string integer_text(int128 value);

}  // namespace lofty::engine
