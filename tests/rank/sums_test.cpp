#include "lofty/sums.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <boost/multiprecision/cpp_int.hpp>
#include <cmath>
#include <map>
#include <random>

#include "base/mix.hpp"
#include "lofty/error.hpp"
#include "lofty/order.hpp"
#include "lofty/shares.hpp"
#include "order/numbering.hpp"

using namespace lofty;

namespace {

using Rational = boost::multiprecision::cpp_rational;

// The double next to an exact sum, by trying its neighbours.
double nearest(const Rational& exact) {
  double guess = exact.convert_to<double>();
  for (int step = 0; step < 4; ++step)
    for (const double way : {-INFINITY, INFINITY}) {
      const double other = std::nextafter(guess, way);
      if (!std::isfinite(other)) continue;
      const Rational here = abs(Rational(guess) - exact), there = abs(Rational(other) - exact);
      if (there < here || (there == here && (std::bit_cast<std::uint64_t>(other) & 1) == 0)) guess = other;
    }
  return guess;
}

}  // namespace

TEST(Groups, AreNumberedInTheOrderOfTheirFirstRows) {
  const std::vector<std::string> valley{"moor", "ash", "moor", "dell"};
  const std::vector<int> year{1, 1, 2, 1};
  const GroupNumbers one = number_groups(groups(valley)), two = number_groups(groups(valley, year));
  EXPECT_EQ(one.of_row, (std::vector<std::uint32_t>{0, 1, 0, 2}));
  EXPECT_EQ(one.first_rows, (std::vector<std::uint32_t>{0, 1, 3}));
  EXPECT_EQ(two.of_row, (std::vector<std::uint32_t>{0, 1, 2, 3}));
  const std::vector<int> nothing;
  EXPECT_EQ(number_groups(groups(nothing)).size(), 0u);
  const std::vector<double> values{1, std::nan(""), 1, std::nan("")};
  EXPECT_EQ(number_groups(groups(values)).of_row, (std::vector<std::uint32_t>{0, 1, 0, 1}));
}

// Small and large ranges, several long keys: against a map.
RC_GTEST_PROP(GroupsProperty, AgreeWithAMap, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 120));
  const auto any = rc::gen::oneOf(rc::gen::inRange<std::int64_t>(-3, 3), rc::gen::arbitrary<std::int64_t>(),
                                  rc::gen::element<std::int64_t>(INT64_MIN, INT64_MAX));
  const auto a = *rc::gen::container<std::vector<std::int64_t>>(size, any);
  const auto b = *rc::gen::container<std::vector<std::int64_t>>(size, any);
  const auto c = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  const auto mask = *rc::gen::container<std::vector<std::uint8_t>>(size, rc::gen::element<std::uint8_t>(0, 1));
  const Groups keys{{ascending(a, {.null_mask = mask}), ascending(c), ascending(b)}};
  std::map<std::tuple<bool, std::int64_t, int, std::int64_t>, std::uint32_t> expected;
  const GroupNumbers got = number_groups(keys);
  for (std::size_t i = 0; i < size; ++i) {
    const auto number = static_cast<std::uint32_t>(expected.size());
    const auto [at, fresh] = expected.try_emplace({mask[i] != 0, mask[i] != 0 ? 0 : a[i], c[i], b[i]}, number);
    RC_ASSERT(got.of_row[i] == at->second);
    if (fresh) RC_ASSERT(got.first_rows[number] == i);
  }
  RC_ASSERT(got.size() == expected.size());
}

TEST(Sums, WholeNumbersBeyond64BitsAndBack) {
  const std::vector<int> group{0, 1, 0, 0, 1, 0};
  const std::vector<std::int64_t> values{INT64_MAX, 5, INT64_MAX, 3, -7, INT64_MIN};
  const std::vector<std::uint8_t> mask{0, 0, 0, 0, 1, 0};
  const GroupNumbers numbers = number_groups(groups(group));
  const auto got = sums(numbers, std::span<const std::int64_t>(values), mask);
  EXPECT_EQ(got[0].text(), "9223372036854775809");
  EXPECT_EQ(got[1].text(), "5");
  EXPECT_EQ(sums(numbers, std::span<const std::int64_t>(values))[1].text(), "-2");
}

TEST(Sums, DecimalsOfSeveralScales) {
  const std::vector<int> group{0, 0, 1};
  const std::vector<Decimal> values{*Decimal::parse("1.5"), *Decimal::parse("0.25"), *Decimal::parse("7")};
  const auto got = sums(number_groups(groups(group)), std::span<const Decimal>(values));
  EXPECT_EQ(got[0], *Decimal::parse("1.75"));
  EXPECT_EQ(got[1], *Decimal::parse("7"));
  const std::vector<Decimal> long_ones(2, *Decimal::parse("99999999999999999999999999999999999999"));
  const std::vector<int> same{0, 0};
  EXPECT_THROW(sums(number_groups(groups(same)), std::span<const Decimal>(long_ones)), Error);
}

// Into memory that holds something else already, and over no rows at all.
TEST(Sums, IntoTheCallersMemory) {
  const std::vector<int> group{0, 0, 1, 2};
  const std::vector<std::int64_t> wholes{3, 4, 5, 6};
  const std::vector<double> doubles{0.1, 0.2, 5, 6};
  const std::vector<Decimal> decimals{Decimal(15, 1), Decimal(25, 2), Decimal(7, 0), Decimal(0, 3)};
  const std::vector<std::uint8_t> mask{0, 0, 0, 1};
  const GroupNumbers numbers = number_groups(groups(group));
  std::vector<Decimal> exact(3, Decimal(99, 0));
  std::vector<double> rounded(3, 99);
  sums(numbers, wholes, mask, std::span(exact));
  EXPECT_EQ(exact, sums(numbers, wholes, mask));
  sums(numbers, decimals, mask, std::span(exact));
  EXPECT_EQ(exact, sums(numbers, decimals, mask));
  EXPECT_EQ(exact[0], Decimal(175, 2));
  sums(numbers, doubles, mask, std::span(rounded));
  EXPECT_EQ(rounded, (std::vector<double>{0.1 + 0.2, 5, 0}));

  // All null: 0 in each group, whatever was there.
  const std::vector<std::uint8_t> all(4, 1);
  rounded.assign(3, 99);
  sums(numbers, doubles, all, std::span(rounded));
  EXPECT_EQ(rounded, std::vector<double>(3, 0));
}

// Against exact rational arithmetic: one fixed point, and a range too wide for it.
RC_GTEST_PROP(SumsProperty, DoublesAreRoundedOnce, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 40));
  const int reach = *rc::gen::element(3, 20, 900);
  std::vector<double> values;
  std::vector<int> group;
  for (std::size_t i = 0; i < size; ++i) {
    const auto mantissa = *rc::gen::oneOf(rc::gen::arbitrary<std::int64_t>(), rc::gen::inRange<std::int64_t>(-9, 9));
    values.push_back(std::ldexp(static_cast<double>(mantissa), *rc::gen::inRange(-reach, reach)));
    group.push_back(*rc::gen::inRange(0, 2));
  }
  if (*rc::gen::inRange(0, 4) == 0) values[0] = std::nan("");
  const GroupNumbers numbers = number_groups(groups(group));
  const auto got = sums(numbers, std::span<const double>(values));
  std::vector<Rational> exact(numbers.size());
  for (std::size_t i = 0; i < size; ++i)
    if (!std::isnan(values[i])) exact[numbers.of_row[i]] += Rational(values[i]);
  for (std::size_t g = 0; g < got.size(); ++g) RC_ASSERT(got[g] == nearest(exact[g]));
}

TEST(Sums, InfinitiesAsIeeeHasThem) {
  const std::vector<int> group{0, 0, 1, 1, 2};
  const std::vector<double> values{INFINITY, 1, INFINITY, -INFINITY, 3};
  const auto got = sums(number_groups(groups(group)), std::span<const double>(values));
  EXPECT_EQ(got[0], INFINITY);
  EXPECT_TRUE(std::isnan(got[1]));
  EXPECT_EQ(got[2], 3);
}

// So many rows that several threads share them, with sums that leave 64 bits in each share and come back in the whole.
TEST(Sums, LargeTablesAgreeWithAMapForAnyNumberOfThreads) {
  constexpr std::size_t size = 150'000;
  for (const std::uint64_t distinct : {3ull, 30'000ull, 10'000'000'000ull}) {
    SCOPED_TRACE(distinct);
    std::mt19937_64 random(11);
    std::vector<std::uint64_t> id(size);
    std::vector<std::int64_t> value(size);
    for (std::size_t i = 0; i < size; ++i) {
      id[i] = engine::mix(random() % distinct + 1);  // all over 64 bits
      value[i] = static_cast<std::int64_t>(random()) | (i < size / 2 ? INT64_MIN : 0);
    }
    std::map<std::uint64_t, std::uint32_t> number_of;
    std::vector<std::uint32_t> firsts;
    std::vector<int128> exact;
    std::vector<std::uint32_t> of_row;
    for (std::size_t i = 0; i < size; ++i) {
      const auto [at, fresh] = number_of.try_emplace(id[i], static_cast<std::uint32_t>(firsts.size()));
      if (fresh) firsts.push_back(static_cast<std::uint32_t>(i)), exact.push_back(0);
      exact[at->second] += value[i];
      of_row.push_back(at->second);
    }
    for (const int threads : {1, 2, 7}) {
      const GroupNumbers got = number_groups(groups(id), {.threads = threads});
      ASSERT_EQ(got.of_row, of_row);
      ASSERT_EQ(got.first_rows, firsts);
      const auto sum = sums(got, std::span<const std::int64_t>(value), {}, {.threads = threads});
      for (std::size_t g = 0; g < exact.size(); ++g) ASSERT_EQ(sum[g], Decimal(exact[g], 0));
    }
  }
}

TEST(Shares, OfTheWholeAndRunning) {
  const std::vector<std::int64_t> spend{10, 40, 40, 10};
  const Order o = order({descending(spend)});
  EXPECT_EQ(shares(o, std::span<const std::int64_t>(spend)), (std::vector<double>{0.4, 0.4, 0.1, 0.1}));
  EXPECT_EQ(running_shares(o, std::span<const std::int64_t>(spend)), (std::vector<double>{0.8, 0.8, 1, 1}));
}

TEST(Shares, UnrankedRowsCountInTheWholeAndHaveNoRunningShare) {
  const std::vector<int> group{1, 1, 1, 2};
  const std::vector<double> by{3, std::nan(""), 5, 1}, value{1, 2, 1, 0};
  const Order o = order(groups(group), {descending(by)});
  const auto of_whole = shares(o, std::span<const double>(value)),
             running = running_shares(o, std::span<const double>(value));
  EXPECT_EQ(of_whole[0], 0.25);
  EXPECT_EQ(of_whole[2], 0.5);
  EXPECT_TRUE(std::isnan(of_whole[3]));  // a whole of 0
  EXPECT_EQ(running[1], 0.5);
  EXPECT_TRUE(std::isnan(running[2]));
}
