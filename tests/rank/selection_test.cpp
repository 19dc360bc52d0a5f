#include "lofty/selection.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>
#include <random>

#include "lofty/places.hpp"

using namespace lofty;

namespace {

// The reference: sort everything, and cut by places.
struct Expected {
  std::vector<std::uint32_t> rows;
  std::size_t tied_cuts = 0;
};

Expected by_sorting(const Order& o, std::size_t count, Cut cut, bool worst) {
  Expected out;
  for (std::size_t begin = 0; begin < o.size();) {
    std::size_t end = begin + 1, ranked = begin;
    while (end < o.size() && !o.starts_group(end)) ++end;
    while (ranked < end && o.ranked(ranked)) ++ranked;
    for (std::size_t i = begin; i < ranked; ++i) {
      // Peers of i: [first, last).
      std::size_t first = i, last = i + 1;
      while (!o.starts_peers(first)) --first;
      while (last < ranked && !o.starts_peers(last)) ++last;
      const std::size_t ahead =
          cut == Cut::strict ? (worst ? ranked - 1 - i : i - begin) : (worst ? ranked - last : first - begin);
      if (ahead < count) out.rows.push_back(o.rows()[i]);
    }
    if (ranked - begin > count && count > 0) out.tied_cuts += !o.starts_peers(worst ? ranked - count : begin + count);
    begin = end;
  }
  return out;
}

}  // namespace

TEST(Selection, ExampleOfTheHeader) {
  const std::vector<std::string> valley{"a", "b", "a", "a", "b", "a"};
  const std::vector<double> spend{5, 7, 9, 5, std::nan(""), 1};
  const Selection two = best(groups(valley), {descending(spend)}, 2);
  EXPECT_EQ(two.rows, (std::vector<std::uint32_t>{2, 0, 3, 1}));
  EXPECT_EQ(two.group_begin, (std::vector<std::uint32_t>{0, 3}));
  EXPECT_EQ(two.tied_cuts, 1u);
  EXPECT_EQ(best(groups(valley), {descending(spend)}, 2, Cut::strict).rows, (std::vector<std::uint32_t>{2, 0, 1}));
  EXPECT_EQ(worst(groups(valley), {descending(spend)}, 2).rows, (std::vector<std::uint32_t>{0, 3, 5, 1}));
  EXPECT_EQ(worst(groups(valley), {descending(spend)}, 2, Cut::strict).rows, (std::vector<std::uint32_t>{3, 5, 1}));
  EXPECT_TRUE(best({}, {descending(spend)}, 0).rows.empty());
}

// Every input of up to 6 rows over three values and null; every N, cut and end.
TEST(Selection, EverySmallInputOfOneKey) {
  for (std::size_t size = 1; size <= 6; ++size)
    for (std::size_t code = 0; code < std::size_t{1} << (2 * size); ++code) {
      std::vector<double> values;
      for (std::size_t i = 0; i < size; ++i) {
        const auto digit = code >> (2 * i) & 3;
        values.push_back(digit == 3 ? std::nan("") : static_cast<double>(digit));
      }
      const Order o = order({descending(values)});
      for (std::size_t count = 1; count <= size; ++count)
        for (const Cut cut : {Cut::with_ties, Cut::strict}) {
          ASSERT_EQ(best({}, {descending(values)}, count, cut).rows, by_sorting(o, count, cut, false).rows);
          ASSERT_EQ(worst({}, {descending(values)}, count, cut).rows, by_sorting(o, count, cut, true).rows);
        }
    }
}

RC_GTEST_PROP(SelectionProperty, AgreesWithSorting, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 80));
  const int spread = *rc::gen::element(2, 10, 1'000'000'000);
  const auto group = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 4));
  const auto value =
      *rc::gen::container<std::vector<std::int64_t>>(size, rc::gen::inRange<std::int64_t>(-spread, spread));
  const auto wide =
      *rc::gen::container<std::vector<std::int64_t>>(size, rc::gen::element<std::int64_t>(0, 1, INT64_MAX, INT64_MIN));
  const auto breaker = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  const auto mask =
      *rc::gen::container<std::vector<std::uint8_t>>(size, rc::gen::weightedElement<std::uint8_t>({{4, 0}, {1, 1}}));
  const auto count = static_cast<std::size_t>(*rc::gen::inRange(0, 30));
  const KeyOptions options{.nulls = *rc::gen::element(Nulls::first, Nulls::last), .null_mask = mask};
  const Groups within = *rc::gen::arbitrary<bool>() ? groups(group) : Groups{};
  // Two keys of over 64 bits together, so that the selection's own code does not tell all values apart.
  const std::vector<Key> by{descending(value, options), ascending(wide), descending(value)};
  const Order o = order(within, by, {ascending(breaker)});
  for (const Cut cut : {Cut::with_ties, Cut::strict}) {
    const Selection top = best(within, by, count, cut, {ascending(breaker)});
    const Expected expected = by_sorting(o, count, cut, false);
    RC_ASSERT(top.rows == expected.rows);
    RC_ASSERT(top.tied_cuts == expected.tied_cuts);
    const Selection bottom = worst(within, by, count, cut, {ascending(breaker)});
    RC_ASSERT(bottom.rows == by_sorting(o, count, cut, true).rows);
    RC_ASSERT(bottom.tied_cuts == by_sorting(o, count, cut, true).tied_cuts);
  }
}

// Long inputs, the one that improves with every row among them: what was pushed out is forgotten on the way.
TEST(Selection, ManyRows) {
  std::mt19937_64 random(7);
  const std::size_t size = 300'000;
  // Few groups, of which each thread keeps its own best; many, which they share; many that are numbered first.
  std::vector<std::int64_t> group(size), shop(size), id(size), mixed(size), rising(size);
  for (std::size_t i = 0; i < size; ++i) {
    group[i] = static_cast<std::int64_t>(random() % 500);
    shop[i] = static_cast<std::int64_t>(random() % 5000);
    id[i] = shop[i] * 1'000'000'007;
    mixed[i] = static_cast<std::int64_t>(random() % 5000);
    rising[i] = static_cast<std::int64_t>(i / 2);
  }
  for (const auto* values : {&mixed, &rising})
    for (const Groups& within : {Groups{}, groups(group), groups(shop), groups(id)})
      for (const std::size_t count : {1u, 3u, 40u}) {
        const Order o = order(within, {descending(*values)});
        for (const Cut cut : {Cut::with_ties, Cut::strict}) {
          ASSERT_EQ(best(within, {descending(*values)}, count, cut).rows, by_sorting(o, count, cut, false).rows);
          ASSERT_EQ(worst(within, {descending(*values)}, count, cut).rows, by_sorting(o, count, cut, true).rows);
        }
      }
}
