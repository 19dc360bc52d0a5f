#include "rank/exact_sum.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>
#include <boost/multiprecision/cpp_int.hpp>

#include <bit>
#include <cmath>

using lofty::engine::ExactSum;
using Big = boost::multiprecision::cpp_int;

namespace {

// A double as a whole number of 2^-1074.
Big units(double value) {
  int exponent = 0;
  const double mantissa = std::frexp(value, &exponent);
  const auto whole = static_cast<std::int64_t>(std::ldexp(mantissa, 53));
  Big out = whole < 0 ? Big(-whole) : Big(whole);
  const int shift = exponent - 53 + 1074;
  out = shift >= 0 ? Big(out << shift) : Big(out >> -shift);
  return whole < 0 ? Big(-out) : out;
}

// The double nearest to a whole number of 2^-1074, ties to even.
double nearest(Big sum) {
  const bool negative = sum < 0;
  if (negative) sum = -sum;
  if (sum == 0) return 0;
  const int bits = static_cast<int>(boost::multiprecision::msb(sum)) + 1;
  const int drop = std::max(0, bits - 53);
  Big kept = sum >> drop;
  const Big rest = sum - (kept << drop);
  if (drop > 0) {
    const Big half = Big(1) << (drop - 1);
    if (rest > half || (rest == half && (kept & 1) != 0)) ++kept;
  }
  const double magnitude = std::ldexp(static_cast<double>(kept.convert_to<std::uint64_t>()), drop - 1074);
  return negative ? -magnitude : magnitude;
}

double any_double() {
  const int kind = *rc::gen::inRange(0, 4);
  const auto bits = *rc::gen::arbitrary<std::uint64_t>();
  if (kind == 0)
    return std::ldexp(static_cast<double>(static_cast<std::int64_t>(bits) >> 20), static_cast<int>(bits % 40) - 20);
  if (kind == 1) return static_cast<double>(bits % 1000) * 0.1;
  if (kind == 2) return std::ldexp(1.0, -1074) * static_cast<double>(bits % 100);
  const double any = std::bit_cast<double>(bits);
  return std::isfinite(any) && std::fabs(any) < 1e300 ? any : 1.5;
}

}  // namespace

TEST(ExactSum, WhatPlainAdditionLoses) {
  ExactSum sum;
  for (const double value : {1e16, 1.0, -1e16}) sum.add(value);
  EXPECT_EQ(sum.value(), 1.0);
  ExactSum tenths;
  for (int i = 0; i < 10; ++i) tenths.add(0.1);
  EXPECT_EQ(tenths.value(), 1.0);
  EXPECT_EQ(ExactSum().value(), 0.0);
}

RC_GTEST_PROP(ExactSumProperty, IsTheNearestDoubleInAnyOrderAndAnyParts, ()) {
  const int count = *rc::gen::inRange(1, 40);
  std::vector<double> values;
  Big exact = 0;
  for (int i = 0; i < count; ++i) {
    values.push_back(any_double() * (*rc::gen::arbitrary<bool>() ? 1 : -1));
    if (*rc::gen::inRange(0, 4) == 0)
      values.push_back(-values[static_cast<std::size_t>(*rc::gen::inRange<int>(0, static_cast<int>(values.size())))]);
  }
  for (const double value : values) exact += units(value);
  ExactSum forwards, left, right;
  for (std::size_t i = 0; i < values.size(); ++i) {
    forwards.add(values[i]);
    (i % 3 == 0 ? left : right).add(values[values.size() - 1 - i]);
  }
  left.add(right);
  RC_ASSERT(forwards.value() == nearest(exact));
  RC_ASSERT(left.value() == nearest(exact));
}
