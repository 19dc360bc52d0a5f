#include "lofty/places.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "rank/packed_places.hpp"
#include "support/plain.hpp"

using namespace lofty;

// As ARCHITECTURE's users read them, for the values 9 9 7.
TEST(Places, TheFiveRules) {
  const std::vector<int> values{7, 9, 9};
  const Order o = order({descending(values)});
  using P = std::vector<std::uint32_t>;
  EXPECT_EQ(places_by_row(o, Ties::competition), (P{3, 1, 1}));
  EXPECT_EQ(places_by_row(o, Ties::modified), (P{3, 2, 2}));
  EXPECT_EQ(places_by_row(o, Ties::dense), (P{2, 1, 1}));
  EXPECT_EQ(places_by_row(o, Ties::ordinal), (P{3, 1, 2}));
  EXPECT_EQ(fractional_places_by_row(o), (std::vector<double>{3, 1.5, 1.5}));
  EXPECT_EQ(places(o, Ties::competition), (P{1, 1, 3}));
  for (const Ties ties : {Ties::competition, Ties::modified, Ties::dense, Ties::ordinal, Ties::fractional})
    EXPECT_EQ(from_string<Ties>(to_string(ties)), ties);
  EXPECT_FALSE(from_string<Ties>("competitive"));
}

// Each rule against its definition in words, in groups, with nulls and tie-breakers.
RC_GTEST_PROP(PlacesProperty, AgreeWithTheirDefinitions, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 25));
  const auto group = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  const auto value = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 5));
  const auto breaker = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  const auto mask =
      *rc::gen::container<std::vector<std::uint8_t>>(size, rc::gen::weightedElement<std::uint8_t>({{4, 0}, {1, 1}}));
  const bool down = *rc::gen::arbitrary<bool>();
  const KeyOptions options{.null_mask = mask};
  const Order o =
      order(groups(group), {down ? descending(value, options) : ascending(value, options)}, {ascending(breaker)});
  for (const Ties ties : {Ties::competition, Ties::modified, Ties::dense, Ties::ordinal, Ties::fractional}) {
    std::vector<double> got;
    if (ties == Ties::fractional)
      got = fractional_places_by_row(o);
    else
      for (const std::uint32_t place : places_by_row(o, ties)) got.push_back(place);
    for (int g = 0; g < 3; ++g) {
      std::vector<std::size_t> members;
      for (std::size_t i = 0; i < size; ++i)
        if (group[i] == g) members.push_back(i);
      const auto expected = plain::places(
          members.size(), ties,
          [&](std::size_t a, std::size_t b) {
            return down ? value[members[a]] > value[members[b]] : value[members[a]] < value[members[b]];
          },
          [&](std::size_t a, std::size_t b) {
            return std::pair(breaker[members[a]], members[a]) < std::pair(breaker[members[b]], members[b]);
          },
          [&](std::size_t a) { return mask[members[a]] != 0; });
      for (std::size_t m = 0; m < members.size(); ++m) RC_ASSERT(got[members[m]] == expected[m].value_or(0));
    }
  }
}

namespace {

struct Groups3 {
  std::vector<int> group;
  std::vector<std::int64_t> value;
  std::vector<std::uint8_t> mask;
  Order order() const { return lofty::order(groups(group), {descending(value, {.null_mask = mask})}); }
};

Groups3 some_groups() {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(1, 40));
  return {
      *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3)),
      *rc::gen::container<std::vector<std::int64_t>>(size, rc::gen::inRange<std::int64_t>(0, 6)),
      *rc::gen::container<std::vector<std::uint8_t>>(size, rc::gen::weightedElement<std::uint8_t>({{4, 0}, {1, 1}}))};
}

}  // namespace

// percent rank = (rows that are better) / (ranked rows - 1), distribution = (as good or better) / (ranked rows).
RC_GTEST_PROP(PlacesProperty, PercentRanksAndDistributions, ()) {
  const Groups3 g = some_groups();
  const Order o = g.order();
  const auto percent = by_input_row(o, percent_ranks(o)), distribution = by_input_row(o, cumulative_distributions(o));
  for (std::size_t i = 0; i < g.group.size(); ++i) {
    if (g.mask[i] != 0) {
      RC_ASSERT(percent[i] != percent[i]);
      RC_ASSERT(distribution[i] != distribution[i]);
      continue;
    }
    double better = 0, as_good = 0, ranked = 0;
    for (std::size_t k = 0; k < g.group.size(); ++k) {
      if (g.group[k] != g.group[i] || g.mask[k] != 0) continue;
      ++ranked;
      better += g.value[k] > g.value[i];
      as_good += g.value[k] >= g.value[i];
    }
    RC_ASSERT(percent[i] == (ranked == 1 ? 0 : better / (ranked - 1)));
    RC_ASSERT(distribution[i] == as_good / ranked);
  }
}

// Tiers rise with the places, differ in size by one at most, and the larger ones come first.
RC_GTEST_PROP(PlacesProperty, TiersAreOfEqualSize, ()) {
  const Order o = some_groups().order();
  const auto count = *rc::gen::inRange<std::uint32_t>(1, 9);
  const auto tier = tiers(o, count);
  for (std::size_t begin = 0; begin < o.size();) {
    std::size_t end = begin + 1;
    while (end < o.size() && !o.starts_group(end)) ++end;
    std::vector<std::size_t> sizes(count + 1);
    for (std::size_t i = begin; i < end; ++i) {
      RC_ASSERT((tier[i] == 0) == !o.ranked(i));
      RC_ASSERT(tier[i] <= count);
      if (i > begin && tier[i] != 0) RC_ASSERT(tier[i] == tier[i - 1] || tier[i] == tier[i - 1] + 1);
      ++sizes[tier[i]];
    }
    for (std::uint32_t t = 2; t <= count; ++t) RC_ASSERT(sizes[t - 1] == sizes[t] || sizes[t - 1] == sizes[t] + 1);
    if (o.ranked(begin)) RC_ASSERT(sizes[1] >= sizes[count] && sizes[1] <= sizes[count] + 1);
    begin = end;
  }
}

// All five at once are the five, one by one, and four of them in few bytes too; in stretches on several threads as on
// one.
RC_GTEST_PROP(PlacesProperty, EveryPlaceAtOnce, ()) {
  const Order o = some_groups().order();
  const EveryPlace all = every_place(o);
  RC_ASSERT(all.competition == places(o, Ties::competition));
  RC_ASSERT(all.modified == places(o, Ties::modified));
  RC_ASSERT(all.dense == places(o, Ties::dense));
  RC_ASSERT(all.ordinal == places(o, Ties::ordinal));
  RC_ASSERT(all.fractional == fractional_places(o));
  for (const Ties ties : {Ties::competition, Ties::modified, Ties::dense, Ties::ordinal})
    for (const std::size_t most : {std::size_t{0xffff}, std::size_t{0x10000}}) {
      const engine::PackedNumbers packed = engine::packed_places(o, ties, most, {});
      RC_ASSERT(packed.width == (most == 0xffff ? 2 : 4));
      const std::vector<std::uint32_t> plain = places(o, ties);
      RC_ASSERT((packed.width == 2 ? std::equal(plain.begin(), plain.end(), packed.data<std::uint16_t>())
                                   : std::equal(plain.begin(), plain.end(), packed.data<std::uint32_t>())));
    }
}

TEST(Places, StretchesMeetWithinRunsAndGroups) {
  constexpr std::size_t size = 900'000;  // several stretches
  for (const std::size_t run : {std::size_t{1}, std::size_t{3}, std::size_t{400'000}, size})
    for (const std::size_t group : {std::size_t{7}, std::size_t{500'000}, size}) {
      std::vector<std::int64_t> groups_of(size), values(size);
      for (std::size_t i = 0; i < size; ++i) {
        groups_of[i] = static_cast<std::int64_t>(i / group);
        values[i] = static_cast<std::int64_t>(i / run);
      }
      const Order o = order(groups(groups_of), {ascending(values)});
      const EveryPlace all = every_place(o, {.threads = 2});
      std::size_t begin = 0, first = 0;
      std::uint32_t dense = 0;
      for (std::size_t i = 0; i < size; ++i) {
        if (i % group == 0) {
          begin = i;
          dense = 0;
        }
        if (i % group == 0 || i % run == 0) {
          first = i;
          ++dense;
        }
        const std::size_t last = std::min({size, (i / group + 1) * group, (i / run + 1) * run});
        ASSERT_EQ(all.competition[i], first - begin + 1) << run << " " << group << " " << i;
        ASSERT_EQ(all.modified[i], last - begin);
        ASSERT_EQ(all.dense[i], dense);
        ASSERT_EQ(all.ordinal[i], i - begin + 1);
        ASSERT_EQ(all.fractional[i], (static_cast<double>(first + last - begin - begin) + 1) / 2);
      }
    }
}

namespace {

template <class T>
void expect_by_input_row(const Order& o) {
  std::vector<T> sorted(o.size());
  for (std::size_t i = 0; i < sorted.size(); ++i) sorted[i] = static_cast<T>(i * 2'654'435'761u);
  const std::vector<T> found = by_input_row(o, sorted);
  for (std::size_t i = 0; i < sorted.size(); ++i) ASSERT_TRUE(found[o.rows()[i]] == sorted[i]) << sizeof(T);
}

}  // namespace

// Elements of every size, in one bucket of rows, in a full and a nearly empty one, and in many.
TEST(Places, ByInputRowWhateverTheElement) {
  for (const std::size_t size : {1u, 1000u, 32'768u, 32'769u, 300'001u}) {
    std::vector<std::uint64_t> key(size);
    for (std::size_t i = 0; i < size; ++i) key[i] = i * 0x9e37'79b9'7f4a'7c15 >> 40;
    const Order o = order({ascending(key)});
    expect_by_input_row<std::uint8_t>(o);
    expect_by_input_row<std::int16_t>(o);
    expect_by_input_row<float>(o);
    expect_by_input_row<double>(o);
    expect_by_input_row<long double>(o);
  }
}
