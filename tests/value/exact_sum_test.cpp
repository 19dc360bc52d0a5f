#include "value/exact_sum.hpp"
#include "rank/moments.hpp"
#include "value/exact.hpp"

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

// ---- variances

namespace {

namespace engine = lofty::engine;
using lofty::int128;
using Whole = boost::multiprecision::cpp_int;
using Ratio = boost::multiprecision::cpp_rational;

// The definition: the mean of the squares around the mean.
template <class T>
Ratio plain_variance(const std::vector<T>& values, int less) {
  Ratio mean = 0, squares = 0;
  for (const T value : values) mean += Ratio(value);
  mean /= values.size();
  for (const T value : values) squares += (Ratio(value) - mean) * (Ratio(value) - mean);
  return squares / (values.size() - static_cast<std::size_t>(less));
}

// To a whole number, half to even.
Whole rounded(const Ratio& ratio) {
  const Whole twice = 2 * numerator(ratio), by = denominator(ratio);
  Whole floor = numerator(ratio) / by;
  const Whole rest = twice - 2 * floor * by;  // twice what is left
  if (rest > by || (rest == by && floor % 2 != 0)) ++floor;
  return floor;
}

}  // namespace

RC_GTEST_PROP(Moments, OfWholeNumbersHaveOneRounding, ()) {
  const int less = *rc::gen::inRange(0, 2), digits = *rc::gen::inRange(0, 13);
  const auto base = *rc::gen::element<std::int64_t>(0, 7, -1'000'000'000'000, 1'000'000'000'000'000'000);
  const auto spread = *rc::gen::element<std::int64_t>(2, 1000, 1'000'000'000);
  std::vector<std::int64_t> values;
  const std::size_t count = static_cast<std::size_t>(less) + 1 + *rc::gen::inRange<std::size_t>(0, 50);
  for (std::size_t i = 0; i < count; ++i) values.push_back(base + *rc::gen::inRange<std::int64_t>(-spread, spread));

  // In two parts, with values that come and go.
  engine::ExactMoments first, second;
  for (std::size_t i = 0; i < count; ++i) RC_ASSERT((i % 3 == 0 ? second : first).add(values[i]));
  for (const std::int64_t gone : {base, base + 1}) RC_ASSERT(first.add(gone) && first.add(gone, -1));
  RC_ASSERT(first.add(second));
  int128 found = 0;
  RC_ASSERT(first.variance(less, digits, found));
  const Ratio exact = plain_variance(values, less);
  RC_ASSERT(Whole(engine::integer_text(found)) ==
            rounded(exact * Whole(engine::integer_text(engine::power_of_ten(digits)))));
  const double root = std::sqrt(exact.convert_to<double>());
  RC_ASSERT(std::fabs(first.deviation(less, 0) - root) <= root * 4e-16);
}

RC_GTEST_PROP(Moments, OfFloatsKeepEveryDigitThatTheMeanSharesWithThem, ()) {
  const int less = *rc::gen::inRange(0, 2);
  const double base = *rc::gen::element(0.0, 1e8, -1e15, 1e100), unit = *rc::gen::element(1e-3, 1.0, 1e-30);
  std::vector<double> values;
  const std::size_t count = static_cast<std::size_t>(less) + 1 + *rc::gen::inRange<std::size_t>(0, 30);
  for (std::size_t i = 0; i < count; ++i) values.push_back(base + unit * *rc::gen::inRange(-1'000'000, 1'000'000));
  engine::FloatMoments first, second;
  for (std::size_t i = 0; i < count; ++i) (i % 3 == 0 ? second : first).add(values[i]);
  for (const double gone : {1e200, -3.5, 1e-150}) {
    first.add(gone);
    first.add(gone, -1);
  }
  first.add(second);
  const double exact = plain_variance(values, less).convert_to<double>();
  RC_ASSERT(std::fabs(first.variance(less) - exact) <= std::fabs(exact) * 4e-16);
}

TEST(Moments, SquaresThatAreJustInRangeAreExactToo) {
  for (const auto& values : {std::vector<double>{1.1e154, 1e154},
                             {1.2e154, -1.2e154},
                             {1.3e154, 1.3e154, 1.3e154},
                             {1.3e154, 1, -1.3e154, 1e154},
                             {1e-120, 3e-120}}) {
    engine::FloatMoments moments;
    for (const double value : values) moments.add(value);
    const double exact = plain_variance(values, 0).convert_to<double>();
    EXPECT_LE(std::fabs(moments.variance(0) - exact), exact * 4e-16) << exact;
  }
}

TEST(Moments, BeyondTheRangeIsSaid) {
  engine::FloatMoments floats;
  floats.add(1e200);
  floats.add(1);
  EXPECT_TRUE(std::isinf(floats.variance(0)));
  floats.add(1e200, -1);
  floats.add(3);
  EXPECT_EQ(floats.variance(1), 2);
  engine::ExactMoments exact;
  EXPECT_FALSE(exact.add(engine::decimal_limit - 1));
}
