#include "lofty/order.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>
#include <limits>
#include <numeric>

#include "lofty/memory.hpp"
#include "lofty/places.hpp"
#include "support/plain.hpp"

using namespace lofty;

namespace {

std::vector<std::uint32_t> rows_of(const Order& order) { return {order.rows().begin(), order.rows().end()}; }

// The reference: a comparator straight from the definition, and a stable sort.
template <class T>
std::vector<std::uint32_t> sorted_plainly(const std::vector<std::optional<T>>& values, bool descending, Nulls nulls) {
  std::vector<std::uint32_t> rows(values.size());
  std::iota(rows.begin(), rows.end(), 0u);
  std::stable_sort(rows.begin(), rows.end(), [&](std::uint32_t a, std::uint32_t b) {
    if (!values[a] || !values[b]) return nulls == Nulls::first ? !values[a] && values[b] : values[a] && !values[b];
    return descending ? *values[b] < *values[a] : *values[a] < *values[b];
  });
  return rows;
}

template <class T>
struct Masked {
  std::vector<T> values;
  std::vector<std::uint8_t> mask;
  explicit Masked(const std::vector<std::optional<T>>& from) {
    for (const auto& v : from) {
      values.push_back(v.value_or(T{}));
      mask.push_back(!v);
    }
  }
  Key key(bool down, Nulls nulls, TextOrder text = TextOrder::language) const {
    KeyOptions options{.nulls = nulls, .text = text, .null_mask = mask};
    return down ? descending(values, options) : ascending(values, options);
  }
};

template <class T>
void check_one_key(const std::vector<std::optional<T>>& values) {
  const Masked<T> masked(values);
  for (const bool down : {false, true})
    for (const Nulls nulls : {Nulls::last, Nulls::first}) {
      // As a tie-breaker nulls go where they are told; as the first key they are unranked, and last.
      const std::vector<int> nothing(values.size(), 0);
      if (values.empty()) continue;
      const Order by_tiebreak = order({ascending(nothing)}, {masked.key(down, nulls)});
      ASSERT_EQ(rows_of(by_tiebreak), sorted_plainly(values, down, nulls));
      const Order first = order({masked.key(down, nulls)});
      ASSERT_EQ(rows_of(first), sorted_plainly(values, down, Nulls::last));
      for (std::size_t i = 0; i < first.size(); ++i) ASSERT_EQ(first.ranked(i), values[first.rows()[i]].has_value());
    }
}

}  // namespace

TEST(Order, ExampleOfTheHeader) {
  const std::vector<double> spend{40, 90, 90};
  const Order o = order({descending(spend)});
  EXPECT_EQ(rows_of(o), (std::vector<std::uint32_t>{1, 2, 0}));
  EXPECT_FALSE(o.starts_peers(1));
  EXPECT_TRUE(o.starts_peers(2));
  EXPECT_EQ(o.inverse(), (std::vector<std::uint32_t>{2, 0, 1}));
}

// All inputs of up to 6 rows over three values and null.
// What an earlier call left in the memory that a later one gets is never seen.
TEST(Order, InKeptMemory) {
  std::vector<std::int64_t> keys(1'300'000), others(keys.size());
  for (std::size_t i = 0; i < keys.size(); ++i) {
    keys[i] = static_cast<std::int64_t>(i * 7919 % 1'000'003);
    others[i] = static_cast<std::int64_t>(i * 104'729 % 997);
  }
  const Order fresh = order({descending(others)}, {ascending(keys)});
  const KeepMemory keep;
  for (int round = 0; round < 2; ++round) {
    const KeepMemory within;
    const Order first = order({ascending(keys)});
    EXPECT_EQ(keys[first.rows()[0]], 0);
    const Order second = order({descending(others)}, {ascending(keys)});
    ASSERT_EQ(rows_of(second), rows_of(fresh));
    ASSERT_EQ(places(second, Ties::dense), places(fresh, Ties::dense));
  }
}

TEST(Order, EverySmallInputOfOneKey) {
  for (std::size_t size = 1; size <= 6; ++size) {
    const auto total = static_cast<std::size_t>(std::pow(4, static_cast<double>(size)));
    for (std::size_t code = 0; code < total; ++code) {
      std::vector<std::optional<std::int32_t>> values;
      for (std::size_t i = 0, rest = code; i < size; ++i, rest /= 4)
        values.push_back(rest % 4 == 3
                             ? std::nullopt
                             : std::optional<std::int32_t>(static_cast<std::int32_t>(rest % 4) * 1000 - 1000));
      check_one_key(values);
    }
  }
}

// All inputs of up to 3 rows with two keys, under every direction and null placement of both.
TEST(Order, EverySmallInputOfTwoKeys) {
  for (std::size_t size = 1; size <= 3; ++size) {
    const auto total = static_cast<std::size_t>(std::pow(16, static_cast<double>(size)));
    for (std::size_t code = 0; code < total; ++code) {
      std::vector<std::optional<int>> a, b;
      for (std::size_t i = 0, rest = code; i < size; ++i, rest /= 16) {
        a.push_back(rest % 4 == 3 ? std::nullopt : std::optional<int>(static_cast<int>(rest % 4)));
        b.push_back(rest / 4 % 4 == 3 ? std::nullopt : std::optional<int>(static_cast<int>(rest / 4 % 4)));
      }
      const Masked<int> ma(a), mb(b);
      for (int way = 0; way < 8; ++way) {
        const bool down_a = (way & 1) != 0, down_b = (way & 2) != 0;
        const Nulls nulls = (way & 4) != 0 ? Nulls::first : Nulls::last;
        std::vector<std::uint32_t> expected = sorted_plainly(b, down_b, nulls);
        std::stable_sort(expected.begin(), expected.end(), [&](std::uint32_t x, std::uint32_t y) {
          if (!a[x] || !a[y]) return a[x] && !a[y];
          return down_a ? *a[y] < *a[x] : *a[x] < *a[y];
        });
        const Order o = order({ma.key(down_a, Nulls::last), mb.key(down_b, nulls)});
        ASSERT_EQ(rows_of(o), expected);
        for (std::size_t i = 1; i < size; ++i)
          ASSERT_EQ(!o.starts_peers(i), a[expected[i]] == a[expected[i - 1]] && b[expected[i]] == b[expected[i - 1]]);
        // Within groups of `a` the same, group by group.
        const Order grouped = order(groups(ma.values), {mb.key(down_b, nulls)});
        std::size_t group_count = 0;
        for (std::size_t i = 0; i < size; ++i) group_count += grouped.starts_group(i);
        ASSERT_EQ(grouped.groups(), group_count);
        for (std::size_t i = 1; i < size; ++i) {
          const auto x = grouped.rows()[i - 1], y = grouped.rows()[i];
          ASSERT_EQ(grouped.starts_group(i), ma.values[x] != ma.values[y]);
          if (!grouped.starts_group(i)) {
            ASSERT_FALSE(b[y] && !b[x]);
          }
        }
      }
    }
  }
}

RC_GTEST_PROP(OrderProperty, SixtyFourBitValuesOfTheWholeRange, (const std::vector<std::int64_t>& raw)) {
  std::vector<std::optional<std::int64_t>> values;
  for (const std::int64_t v : raw) values.push_back(v % 5 == 0 ? std::nullopt : std::optional(v % 3 == 0 ? v % 7 : v));
  values.emplace_back(std::numeric_limits<std::int64_t>::min());
  values.emplace_back(std::numeric_limits<std::int64_t>::max());
  values.emplace_back();
  check_one_key(values);
}

RC_GTEST_PROP(OrderProperty, DecimalsOfAnyScale, ()) {
  std::vector<std::optional<Decimal>> values;
  const int count = *rc::gen::inRange(1, 30);
  for (int i = 0; i < count; ++i) {
    const auto coefficient =
        *rc::gen::oneOf(rc::gen::arbitrary<std::int64_t>(), rc::gen::inRange<std::int64_t>(-20, 20));
    const bool huge = *rc::gen::inRange(0, 8) == 0;
    values.emplace_back(
        Decimal(huge ? static_cast<int128>(coefficient) * 1'000'000'000'000'000'000 : static_cast<int128>(coefficient),
                *rc::gen::element(0, 1, 2, 30)));
    if (*rc::gen::inRange(0, 6) == 0) values.emplace_back();
  }
  check_one_key(values);
}

TEST(Order, NanIsNullAndThereIsOneZero) {
  const double nan = std::nan("");
  const std::vector<double> values{
      nan,   0.0, -0.0, -1, std::numeric_limits<double>::infinity(), nan, -std::numeric_limits<double>::infinity(),
      5e-324};
  const Order o = order({ascending(values)});
  EXPECT_EQ(rows_of(o), (std::vector<std::uint32_t>{6, 3, 1, 2, 7, 4, 0, 5}));
  EXPECT_FALSE(o.starts_peers(3));  // -0.0 after 0.0
  EXPECT_FALSE(o.ranked(6));
  EXPECT_EQ(places(o, Ties::competition), (std::vector<std::uint32_t>{1, 2, 3, 3, 5, 6, 0, 0}));
}

TEST(Order, KeysWiderThanAWord) {
  // 3 x 64 bits, with ties in front: the row number still decides last.
  std::vector<std::uint64_t> a(200), b(200), c(200);
  for (std::size_t i = 0; i < 200; ++i) {
    a[i] = i % 2 == 0 ? 0 : ~std::uint64_t{0};
    b[i] = i % 3 == 0 ? 0 : ~std::uint64_t{0} - i % 5;
    c[i] = i % 7 == 0 ? 0 : ~std::uint64_t{0};
  }
  for (const auto& keys : {std::vector<Key>{descending(a)}, std::vector<Key>{descending(a), ascending(b)},
                           std::vector<Key>{descending(a), ascending(b), descending(c)}}) {
    const Order o = order(keys);
    for (std::size_t i = 1; i < 200; ++i) {
      const auto x = o.rows()[i - 1], y = o.rows()[i];
      const auto tuple = [&](std::uint32_t r) {
        return std::tuple(~a[r], keys.size() > 1 ? b[r] : 0, keys.size() > 2 ? ~c[r] : 0, r);
      };
      ASSERT_LT(tuple(x), tuple(y));
    }
  }
}

TEST(Order, TieBreakersDoNotMakePeersDifferent) {
  const std::vector<int> spend{5, 5, 7};
  const std::vector<std::string> shop{"b", "a", "c"};
  const Order o = order({descending(spend)}, {ascending(shop)});
  EXPECT_EQ(rows_of(o), (std::vector<std::uint32_t>{2, 1, 0}));
  EXPECT_FALSE(o.starts_peers(2));
  EXPECT_EQ(o.undecided(), 0u);
  EXPECT_EQ(order({descending(spend)}).undecided(), 1u);
}

TEST(Order, NothingAndOneRow) {
  const std::vector<int> none, one{3};
  EXPECT_EQ(order({ascending(none)}).size(), 0u);
  EXPECT_EQ(order({ascending(none)}).groups(), 0u);
  EXPECT_EQ(rows_of(order({ascending(one)})), std::vector<std::uint32_t>{0});
}
