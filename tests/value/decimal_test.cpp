#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>
#include <boost/multiprecision/cpp_int.hpp>

#include "lofty/decimal.hpp"

using lofty::Decimal;
using Big = boost::multiprecision::cpp_int;

namespace {

Big big(lofty::int128 value) {
  const bool negative = value < 0;
  __extension__ using wide = unsigned __int128;
  const wide magnitude = negative ? -static_cast<wide>(value) : static_cast<wide>(value);
  Big out = (Big(static_cast<std::uint64_t>(magnitude >> 64)) << 64) + Big(static_cast<std::uint64_t>(magnitude));
  return negative ? Big(-out) : out;
}

Big power(int exponent) { return boost::multiprecision::pow(Big(10), static_cast<unsigned>(exponent)); }

// n / d, half to even, in unbounded integers.
Big half_even(Big n, Big d) {
  if (d < 0) {
    n = -n;
    d = -d;
  }
  Big q = n / d, r = n % d;
  if (r < 0) {
    r += d;
    --q;
  }
  const Big twice = r * 2;
  if (twice > d || (twice == d && (q & 1) != 0)) ++q;
  return q;
}

Decimal any_decimal() {
  const auto high = *rc::gen::arbitrary<std::int64_t>();
  const auto low = *rc::gen::arbitrary<std::uint64_t>();
  const int shrink = *rc::gen::inRange(0, 38);
  lofty::int128 value = ((static_cast<lofty::int128>(high) << 62) ^ static_cast<lofty::int128>(low >> 2)) / 2;
  for (int i = 0; i < shrink; ++i) value /= 10;
  while (big(value) >= power(38) || big(value) <= -power(38)) value /= 10;
  return Decimal(value, *rc::gen::inRange(0, 16));
}

}  // namespace

TEST(Decimal, ReadsAndWritesEveryDigit) {
  const std::pair<const char*, const char*> cases[] = {
      {"12.50", "12.50"}, {"-3", "-3"},
      {"+.5", "0.5"},     {"7.", "7"},
      {"0", "0"},         {"-0.00", "0.00"},
      {"-0.05", "-0.05"}, {"99999999999999999999999999999999999999", "99999999999999999999999999999999999999"}};
  for (const auto& [in, out] : cases) {
    const auto read = Decimal::parse(in);
    ASSERT_TRUE(read) << in;
    EXPECT_EQ(read->text(), out);
  }
  for (const char* bad :
       {"", "-", ".", "1e3", " 1", "1,000", "1.2.3", "999999999999999999999999999999999999999", "0x1"})
    EXPECT_FALSE(Decimal::parse(bad)) << bad;
  EXPECT_EQ(Decimal::parse("-1234567.5")->grouped_text(), "-1,234,567.5");
  EXPECT_EQ(Decimal::parse("999")->grouped_text(), "999");
}

TEST(Decimal, EqualValuesAreEqualWhateverTheirScale) {
  EXPECT_EQ(*Decimal::parse("1.50"), *Decimal::parse("1.5"));
  EXPECT_LT(*Decimal::parse("1.49999999999999999999"), *Decimal::parse("1.5"));
  EXPECT_GT(*Decimal::parse("99999999999999999999999999999999999999"),
            *Decimal::parse("0.00000000000000000000000000000000000001"));
}

TEST(Decimal, DivisionRoundsOnceHalfToEvenToSixMoreDecimals) {
  EXPECT_EQ(lofty::divide(Decimal(3, 0), Decimal(2, 0))->text(), "1.500000");
  EXPECT_EQ(lofty::divide(Decimal(2, 0), Decimal(3, 0))->text(), "0.666667");
  EXPECT_EQ(lofty::divide(Decimal(1, 0), Decimal(2'000'000, 0))->text(), "0.000000");  // exactly half: to the even 0
  EXPECT_EQ(lofty::divide(Decimal(3, 0), Decimal(2'000'000, 0))->text(), "0.000002");  // exactly half: to the even 2
  EXPECT_FALSE(lofty::divide(Decimal(1, 0), Decimal(0, 2)));
}

RC_GTEST_PROP(DecimalProperty, ArithmeticIsExactOrRefused, ()) {
  const Decimal a = any_decimal(), b = any_decimal();
  const int scale = std::max(a.scale(), b.scale());
  const Big x = big(a.coefficient()) * power(scale - a.scale()), y = big(b.coefficient()) * power(scale - b.scale());
  const auto fits = [](const Big& v) { return v < power(38) && v > -power(38); };
  const auto sum = lofty::add(a, b);
  RC_ASSERT(sum.has_value() == (fits(x) && fits(y) && fits(x + y)));
  if (sum) RC_ASSERT(big(sum->coefficient()) == x + y);
  const auto product = lofty::multiply(a, b);
  RC_ASSERT(product.has_value() == fits(big(a.coefficient()) * big(b.coefficient())));
  if (product) RC_ASSERT(big(product->coefficient()) == big(a.coefficient()) * big(b.coefficient()));
  RC_ASSERT((a < b) == (x < y));
  RC_ASSERT((a == b) == (x == y));
}

RC_GTEST_PROP(DecimalProperty, DivisionAgreesWithUnboundedIntegers, ()) {
  const Decimal a = any_decimal(), b = any_decimal();
  RC_PRE(b.coefficient() != 0);
  const int scale = a.scale() + 6;
  const Big expected = half_even(big(a.coefficient()) * power(scale - a.scale() + b.scale()), big(b.coefficient()));
  const auto quotient = lofty::divide(a, b);
  RC_ASSERT(quotient.has_value() == (expected < power(38) && expected > -power(38)));
  if (quotient) RC_ASSERT(big(quotient->coefficient()) == expected);
}

RC_GTEST_PROP(DecimalProperty, TextReadsBack, ()) {
  const Decimal a = any_decimal();
  const auto back = Decimal::parse(a.text());
  RC_ASSERT(back.has_value());
  RC_ASSERT(back->coefficient() == a.coefficient());
  RC_ASSERT(back->scale() == a.scale());
}
