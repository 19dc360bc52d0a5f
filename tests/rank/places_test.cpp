#include "lofty/places.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

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
    EXPECT_EQ(ties_from(ties_name(ties)), ties);
  EXPECT_FALSE(ties_from("competitive"));
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
