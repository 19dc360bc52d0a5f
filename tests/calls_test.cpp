// Calls over arrays: what is refused, in every build; what does not compile; stopping and progress of each call.
#include <gtest/gtest.h>

#include <array>
#include <functional>
#include <numeric>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"
#include "support/long_calls.hpp"

namespace {

using lofty::CallError;
using Texts = std::vector<std::string>;

// ---- temporaries: a key, a group and a mask are views, so the arrays have to outlive them

template <class Range>
concept MakesKey = requires(Range&& range) {
  lofty::ascending(std::forward<Range>(range));
};
template <class Range>
concept MakesDescendingKey = requires(Range&& range) {
  lofty::descending(std::forward<Range>(range));
};
template <class Range>
concept MakesGroups = requires(Range&& range) {
  lofty::groups(std::forward<Range>(range));
};
template <class Range>
concept MakesMask = std::is_constructible_v<lofty::NullMask, Range>;

static_assert(MakesKey<std::vector<int>&> && !MakesKey<std::vector<int>>);
static_assert(MakesKey<const std::vector<int>&> && !MakesKey<const std::vector<int>>);
static_assert(MakesKey<std::array<double, 3>&> && !MakesKey<std::array<double, 3>>);
static_assert(MakesKey<std::vector<std::string>&> && !MakesKey<std::vector<std::string>>);
static_assert(MakesKey<std::span<const std::int64_t>>, "a span is a view already");
static_assert(MakesDescendingKey<std::vector<int>&> && !MakesDescendingKey<std::vector<int>>);
static_assert(MakesGroups<std::vector<int>&> && !MakesGroups<std::vector<int>>);
static_assert(MakesMask<std::vector<std::uint8_t>&> && !MakesMask<std::vector<std::uint8_t>>);
static_assert(MakesMask<std::span<const std::uint8_t>> && !MakesMask<std::vector<int>&>);

template <class T>
concept RowsOf = requires(T&& order) {
  std::forward<T>(order).rows();
};
static_assert(RowsOf<const lofty::Order&> && !RowsOf<lofty::Order>, "the rows of a temporary order would be gone");

// ---- wrong calls

struct Wrong {
  const char* precondition;
  std::function<void()> call;
};

class Calls : public ::testing::Test {
 protected:
  const std::vector<std::int64_t> spend{40, 90, 90}, two{1, 2};
  const std::vector<double> doubles{1, 2, 3}, two_doubles{1, 2};
  const std::vector<lofty::Decimal> decimals{lofty::Decimal(1, 0), lofty::Decimal(25, 1), lofty::Decimal(3, 0)},
      two_decimals{lofty::Decimal(1, 0), lofty::Decimal(2, 0)};
  const std::vector<std::string> words{"a", "b", "c"};
  const std::vector<std::uint8_t> short_mask{0, 1};
  const lofty::Order order = lofty::order({lofty::descending(spend)});
  const lofty::GroupNumbers numbers = lofty::number_groups(lofty::groups(spend));
  std::vector<std::uint32_t> short_places = std::vector<std::uint32_t>(2, 7);
  std::vector<std::int64_t> sums = std::vector<std::int64_t>(3, 7), short_sums = std::vector<std::int64_t>(2, 7);
  std::vector<std::uint8_t> nulls = std::vector<std::uint8_t>(3, 7), short_nulls = std::vector<std::uint8_t>(2, 7);
  const lofty::Frame last = lofty::last_rows(2);

  void expect(const std::vector<Wrong>& cases) {
    for (const Wrong& one : cases) {
      try {
        one.call();
        FAIL() << "not refused: " << one.precondition;
      } catch (const CallError& error) {
        EXPECT_EQ(std::string(error.what()), one.precondition);
      }
    }
    // Nothing was written.
    EXPECT_EQ(short_places, std::vector<std::uint32_t>(2, 7));
    EXPECT_EQ(sums, std::vector<std::int64_t>(3, 7));
    EXPECT_EQ(short_sums, std::vector<std::int64_t>(2, 7));
    EXPECT_EQ(nulls, std::vector<std::uint8_t>(3, 7));
    EXPECT_EQ(short_nulls, std::vector<std::uint8_t>(2, 7));
  }
};

constexpr const char* needs_key = "an order needs a key";
constexpr const char* one_length = "all keys are of one length";
constexpr const char* mask_length = "a null mask is as long as the values";
constexpr const char* as_many = "the values are as many as the rows of the order";
constexpr const char* results = "the results are as many as the rows of the order";

}  // namespace

TEST_F(Calls, OrdersAndSelectionsNeedKeysOfOneLength) {
  using lofty::ascending, lofty::groups;
  const auto masked = ascending(spend, {.null_mask = short_mask});
  expect({
      {needs_key, [&] { lofty::order({}); }},
      {one_length,
       [&] {
         lofty::order({ascending(spend), ascending(two)});
       }},
      {one_length, [&] { lofty::order({ascending(spend)}, {ascending(two)}); }},
      {one_length, [&] { lofty::order(groups(two), {ascending(spend)}); }},
      {mask_length, [&] { lofty::order({masked}); }},
      {needs_key, [&] { lofty::best({}, {}, 1); }},
      {needs_key, [&] { lofty::worst({}, {}, 1); }},
      {one_length, [&] { lofty::best(groups(two), {ascending(spend)}, 1); }},
      {one_length, [&] { lofty::worst({}, {ascending(spend)}, 1, lofty::Cut::strict, {ascending(two)}); }},
      {mask_length, [&] { lofty::best({}, {masked}, 1); }},
      {one_length, [&] { lofty::undecided(order, {ascending(two)}); }},
      {"groups have a key", [&] { lofty::number_groups({}); }},
      {one_length, [&] { lofty::number_groups(groups(spend, two)); }},
      {mask_length, [&] { lofty::number_groups({{masked}}); }},
  });
}

TEST_F(Calls, PlacesNeedRoomAndTheRightRule) {
  constexpr const char* places = "the places are as many as the rows";
  expect({
      {"fractional places are doubles: fractional_places()", [&] { lofty::places(order, lofty::Ties::fractional); }},
      {"fractional places are doubles: fractional_places()",
       [&] { lofty::places_by_row(order, lofty::Ties::fractional); }},
      {places, [&] { lofty::places(order, lofty::Ties::dense, short_places); }},
      {places, [&] { lofty::places_by_row(order, lofty::Ties::dense, short_places); }},
      {"there is at least one tier", [&] { lofty::tiers(order, 0); }},
      {as_many, [&] { lofty::by_input_row(order, two); }},
      {as_many,
       [&] { lofty::by_input_row(order, std::span<const std::int64_t>(spend), std::span<std::int64_t>(short_sums)); }},
      {as_many, [&] { lofty::by_input_row(order, Texts{"a"}); }},
  });
}

TEST_F(Calls, SumsAndSharesNeedAValueForEachRow) {
  constexpr const char* rows = "the values are as many as the rows of the groups";
  std::vector<double> one_sum(1);
  expect({
      {rows, [&] { lofty::sums(numbers, two); }},
      {rows, [&] { lofty::sums(numbers, two_doubles); }},
      {rows, [&] { lofty::sums(numbers, two_decimals); }},
      {"the sums are as many as the groups", [&] { lofty::sums(numbers, doubles, {}, std::span(one_sum)); }},
      {mask_length, [&] { lofty::sums(numbers, spend, short_mask); }},
      {mask_length, [&] { lofty::sums(numbers, doubles, short_mask); }},
      {mask_length, [&] { lofty::sums(numbers, decimals, short_mask); }},
      {as_many, [&] { lofty::shares(order, two); }},
      {as_many, [&] { lofty::shares(order, two_doubles); }},
      {as_many, [&] { lofty::shares(order, two_decimals); }},
      {as_many, [&] { lofty::running_shares(order, two); }},
      {mask_length, [&] { lofty::shares(order, spend, short_mask); }},
      {mask_length, [&] { lofty::running_shares(order, decimals, short_mask); }},
  });
}

TEST_F(Calls, PlaceForNeedsAValueForEachKey) {
  using lofty::ascending, lofty::groups, lofty::Value;
  const lofty::CustomOrder custom;
  const std::vector<lofty::Key> by{ascending(spend)};
  const Value one = lofty::Decimal(1, 0);
  expect({
      {"there is a value for each key, and at least one", [&] { lofty::place_for(order, {}, by, {}, {}); }},
      {"there is a value for each key, and at least one", [&] { lofty::place_for(order, {}, {}, {}, {}); }},
      {"there is a value for each of the groups' keys", [&] { lofty::place_for(order, {}, by, {one}, {one}); }},
      {"the first value is not null: without one there is no place",
       [&] { lofty::place_for(order, {}, by, {}, {Value{}}); }},
      {one_length, [&] { lofty::place_for(order, {}, {ascending(two)}, {}, {one}); }},
      {"no key has a custom order: it knows the values of the data only",
       [&] { lofty::place_for(order, {}, {ascending(spend, {.custom = &custom})}, {}, {one}); }},
  });
}

TEST_F(Calls, WindowsNeedValuesDistancesAndRoom) {
  using lofty::ascending;
  const lofty::Decimal half(5, 1), two_wholes(2, 0), below(-1, 0);
  const lofty::Frame back{lofty::FrameUnit::rows, lofty::preceding(-1), lofty::current_row(), {}, {}},
      no_key{.from = lofty::preceding(1)}, short_key{.from = lofty::preceding(1), .by = ascending(two)},
      text_key{.from = lofty::preceding(1), .by = ascending(words)};
  constexpr const char* negative = "a distance is not negative";
  constexpr const char* fraction = "a fraction is between 0 and 1, with 15 decimals at most";
  std::vector<lofty::Decimal> short_decimals(2);
  std::vector<double> short_doubles(2, 7);
  expect({
      {as_many, [&] { lofty::frame_sums(order, last, two); }},
      {as_many, [&] { lofty::frame_sums(order, last, two_doubles); }},
      {as_many, [&] { lofty::frame_sums(order, last, two_decimals); }},
      {mask_length, [&] { lofty::frame_sums(order, last, spend, short_mask); }},
      {results, [&] { lofty::frame_sums(order, last, spend, {}, short_sums, nulls); }},
      {results, [&] { lofty::frame_sums(order, last, spend, {}, sums, short_nulls); }},
      {results, [&] { lofty::frame_sums(order, last, doubles, {}, short_doubles, nulls); }},
      {results, [&] { lofty::frame_sums(order, last, decimals, {}, short_decimals, nulls); }},
      {negative, [&] { lofty::frame_sums(order, back, spend); }},
      {negative, [&] { lofty::frame_counts(order, back); }},
      {"a range with a distance has the order's key, Frame::by", [&] { lofty::frame_sums(order, no_key, spend); }},
      {one_length, [&] { lofty::frame_means(order, short_key, doubles); }},
      {"a range with a distance goes by numbers, dates or timestamps", [&] { lofty::frame_counts(order, text_key); }},
      {as_many, [&] { lofty::frame_means(order, last, two_doubles); }},
      {as_many, [&] { lofty::frame_means(order, last, two_decimals); }},
      {mask_length, [&] { lofty::frame_counts(order, last, short_mask); }},
      {one_length, [&] { lofty::frame_distinct_counts(order, last, ascending(two)); }},
      {one_length, [&] { lofty::frame_least(order, last, ascending(two)); }},
      {one_length, [&] { lofty::frame_greatest(order, last, ascending(two)); }},
      {results, [&] { lofty::frame_least(order, last, ascending(spend), short_places); }},
      {results, [&] { lofty::frame_greatest(order, last, ascending(spend), short_places); }},
      {fraction, [&] { lofty::frame_percentiles(order, last, doubles, two_wholes); }},
      {fraction, [&] { lofty::frame_percentiles(order, last, decimals, below); }},
      {as_many, [&] { lofty::frame_percentiles(order, last, two_doubles, half); }},
      {mask_length, [&] { lofty::rows_before(order, 1, short_mask); }},
      {mask_length, [&] { lofty::rows_after(order, 1, short_mask); }},
      {mask_length, [&] { lofty::nth_rows(order, last, 1, lofty::From::first, short_mask); }},
      {"the first row is number 1", [&] { lofty::nth_rows(order, last, 0); }},
      {"the values and the sums are as many as the rows of the order", [&] { lofty::running_sums(order, two, sums); }},
      {"the values and the sums are as many as the rows of the order",
       [&] { lofty::running_sums(order, spend, short_sums); }},
  });
}

TEST(RunningSums, BeyondSixtyFourBitsIsAnOverflow) {
  const std::vector<std::int64_t> most{std::numeric_limits<std::int64_t>::max(), 1};
  std::vector<std::int64_t> out(2);
  const lofty::Order order = lofty::order({lofty::ascending(std::span(most).first(2))});
  EXPECT_THROW(lofty::running_sums(order, most, out), lofty::Error);
}

// ---- stopping, and progress

namespace {

class LongCalls : public ::testing::Test {
 protected:
  std::vector<support::Long> calls() { return on_.calls(); }

 private:
  support::LongCalls on_{1'500'000};
};

}  // namespace

TEST_F(LongCalls, ProgressOnlyGrowsAndEndsAtOne) {
  for (const support::Long& one : calls())
    for (const int threads : {1, 2}) {
      std::vector<double> told;
      one.call({.threads = threads, .progress = [&](double share) { told.push_back(share); }});
      ASSERT_GE(told.size(), 2u) << one.name;
      EXPECT_TRUE(std::is_sorted(told.begin(), told.end())) << one.name;
      EXPECT_GE(told.front(), 0) << one.name;
      EXPECT_DOUBLE_EQ(told.back(), 1) << one.name;
    }
}

TEST_F(LongCalls, StopAtOnceWhenAsked) {
  for (const support::Long& one : calls()) {
    // Before it begins.
    std::stop_source early;
    early.request_stop();
    try {
      one.call({.stop = early.get_token()});
      ADD_FAILURE() << one.name << " did not stop";
    } catch (const lofty::Error& error) {
      EXPECT_EQ(error.code(), lofty::Code::stopped) << one.name;
    }

    // After the first batch: no thread begins another one.
    std::stop_source source;
    std::size_t after = 0;
    const int threads = 2;
    try {
      one.call({.threads = threads, .stop = source.get_token(), .progress = [&](double) {
                  after += source.stop_requested();
                  source.request_stop();
                }});
      ADD_FAILURE() << one.name << " did not stop";
    } catch (const lofty::Error& error) {
      EXPECT_EQ(error.code(), lofty::Code::stopped) << one.name;
    }
    EXPECT_LE(after, static_cast<std::size_t>(threads)) << one.name;
  }
}
