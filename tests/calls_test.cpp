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

// ---- what is no array of values is no key

static_assert(!MakesKey<std::string&> && !MakesKey<const char (&)[4]> && !MakesKey<std::string_view>,
              "a text is one value");
static_assert(!MakesKey<std::vector<lofty::int128>&>, "128-bit integers are decimals here");
static_assert(!MakesKey<std::vector<lofty::Value>&> && !MakesKey<std::vector<long double>&>);
static_assert(MakesKey<std::vector<lofty::Decimal>&> && MakesKey<std::vector<std::string_view>&>);
static_assert(MakesKey<std::vector<char>&> && MakesKey<std::vector<unsigned long long>&>);

// ---- what a handle holds cannot be exchanged

template <class T>
concept ShowsData = requires(const T& handle) {
  handle.data();
};
static_assert(!ShowsData<lofty::Table> && !ShowsData<lofty::Order> && !ShowsData<lofty::Standings>);
static_assert(!std::is_constructible_v<lofty::Table, std::shared_ptr<const lofty::Table::Data>>);
static_assert(!std::is_constructible_v<lofty::Order, std::shared_ptr<const lofty::Order::Data>>);
static_assert(!std::is_constructible_v<lofty::Standings, std::shared_ptr<const lofty::Standings::Data>>);
static_assert(!std::is_aggregate_v<lofty::Key>, "a key's array is that of ascending() or descending()");

// ---- getters of a temporary answer give values

static_assert(std::is_same_v<decltype(std::declval<lofty::Standings>().title()), std::string>);
static_assert(std::is_same_v<decltype(std::declval<const lofty::Standings&>().title()), const std::string&>);
static_assert(std::is_same_v<decltype(std::declval<lofty::Standings>().remarks()), std::vector<lofty::Remark>>);
static_assert(std::is_same_v<decltype(std::declval<lofty::Standings>().columns()), std::vector<lofty::StandingColumn>>);

// ---- closed sets are enums

static_assert(!std::is_constructible_v<decltype(lofty::Period::unit), const char*>);
static_assert(!std::is_constructible_v<decltype(lofty::Level::fill), const char*>);
static_assert(!std::is_constructible_v<decltype(lofty::ReadOptions::ColumnOption::type), const char*>);
static_assert(std::is_enum_v<decltype(lofty::CostStep::step)>);

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

TEST_F(Calls, NumbersBeyondAnArrayAreRefused) {
  lofty::GroupNumbers beyond = numbers, none;
  beyond.of_row.back() = 7;
  none.of_row = {0, 0, 0};
  constexpr const char* groups = "each row's group is one of the groups";
  constexpr const char* position = "the position is one of the order";
  constexpr const char* scale = "a decimal has 0 to 38 decimals";
  const std::vector<std::int64_t> other{3, 1, 2};
  const lofty::Frame not_the_key{.from = lofty::preceding(1), .by = lofty::ascending(other)};
  const lofty::Order ascends = lofty::order({lofty::ascending(spend)});
  expect({
      {groups, [&] { lofty::sums(beyond, spend); }},
      {groups, [&] { lofty::sums(beyond, doubles); }},
      {groups, [&] { lofty::sums(beyond, decimals); }},
      {groups, [&] { lofty::sums(none, spend); }},
      {position, [&] { order.starts_group(3); }},
      {position, [&] { order.starts_peers(99); }},
      {position, [&] { order.ranked(3); }},
      {scale, [&] { lofty::Decimal(1, 39); }},
      {scale, [&] { lofty::Decimal(1, -1); }},
      {"Frame::by is the key that the order goes by", [&] { lofty::frame_sums(ascends, not_the_key, spend); }},
  });
}

TEST_F(Calls, TablesAreReadWithinTheirBounds) {
  const lofty::Table nothing;
  EXPECT_EQ(nothing.rows(), 0u);
  EXPECT_EQ(nothing.name(), "");
  EXPECT_TRUE(nothing.headings().empty());
  EXPECT_TRUE(nothing.remarks().empty());
  EXPECT_FALSE(nothing.holds(0));
  EXPECT_TRUE(lofty::profile(nothing).columns.empty());
  const lofty::Table table = lofty::TableBuilder("t").column("a", std::span<const std::int64_t>(spend)).build();
  EXPECT_FALSE(table.holds(1));
  constexpr const char *column = "the table holds the column", *cell = "the table holds the column and the row";
  expect({
      {column, [&] { nothing.type(0); }},
      {column, [&] { table.type(1); }},
      {cell, [&] { nothing.value(0, 0); }},
      {cell, [&] { table.value(3, 0); }},
      {cell, [&] { table.value(0, 1); }},
      {mask_length,
       [&] { lofty::TableBuilder("t").column("a", std::span<const std::int64_t>(spend), short_mask).build(); }},
      {mask_length, [&] { lofty::TableBuilder("t").column("a", words, short_mask).build(); }},
  });
  const lofty::NullMask mask = short_mask;
  EXPECT_FALSE(mask.is_null(7));
}

namespace {

lofty::Standings three_rows() {
  lofty::Catalog catalog;
  const std::vector<std::int64_t> numbers{1, 2, 3};
  catalog.add(lofty::TableBuilder("t").column("n", numbers).build());
  return lofty::standings({.data = {.from = "t"}, .levels = {{.each = {"n"}, .by = "n desc"}}}, catalog);
}

// A table source and a catalog of a caller's own, which break their promises.
class Source : public lofty::TableSource {
 public:
  explicit Source(lofty::Table table) : table_(std::move(table)) {}
  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  lofty::Table read(std::span<const std::size_t>, const lofty::Run&) const override { return table_; }

 private:
  lofty::Table table_;
  std::string name_ = "own";
  std::vector<std::string> headings_{"n", "m"};
};

class OwnCatalog : public lofty::Catalog {
 public:
  explicit OwnCatalog(std::shared_ptr<const lofty::TableSource> source) : source_(std::move(source)) {}
  std::shared_ptr<const lofty::TableSource> open(const std::string&, const lofty::ReadOptions&) const override {
    return source_;
  }

 private:
  std::shared_ptr<const lofty::TableSource> source_;
};

}  // namespace

TEST_F(Calls, StandingsAreReadWithinTheirBounds) {
  const lofty::Standings answer = three_rows();
  constexpr const char *row = "the row is one of the listing", *cell = "the row and the column are ones of the listing";
  expect({
      {cell, [&] { answer.value(3, 0); }},
      {cell, [&] { answer.value(0, 9); }},
      {cell, [&] { answer.of_level(3, 0); }},
      {cell, [&] { answer.of_level(0, 9); }},
      {row, [&] { answer.level(3); }},
      {row, [&] { answer.key(3); }},
      {row, [&] { answer.tied(3); }},
      {row, [&] { answer.tied(3, 0); }},
      {cell, [&] { answer.tied(0, 9); }},
      {row, [&] { answer.ranked(3); }},
      {row, [&] { answer.starts_group(3); }},
      {row, [&] { answer.passed_over(3); }},
      {"the column is one of the listing", [&] { answer.values<double>(9); }},
      {cell, [&] { lofty::StandingRow(answer, 5)[0]; }},
  });
}

TEST(StandingRows, AStoredRowIsValidAsLongAsTheAnswer) {
  const lofty::Standings answer = three_rows();
  std::vector<lofty::StandingRow> rows;
  for (const lofty::StandingRow row : answer.each_row()) rows.push_back(row);  // the range itself is gone after this
  ASSERT_EQ(rows.size(), 3u);
  EXPECT_EQ(lofty::to_text(rows[0]["n"]), "3");
  EXPECT_EQ(lofty::to_text(rows[2][std::size_t{0}]), "3");  // its place
  std::size_t rows_of_a_temporary = 0;
  for (const lofty::StandingRow row : three_rows().each_row()) rows_of_a_temporary += row.ranked();
  EXPECT_EQ(rows_of_a_temporary, 3u);
}

TEST_F(Calls, SourcesOfACallersOwnAreChecked) {
  const lofty::Ladder ladder{.data = {.from = "own"}, .levels = {{.each = {"m"}, .by = "m desc"}}};
  const lofty::Table one_column = lofty::TableBuilder("own").column("n", std::span<const std::int64_t>(spend)).build();
  constexpr const char* columns = "TableSource::read() returns a table that holds the columns it was called with";
  expect({
      {"Catalog::open() returns a source, or throws", [&] { lofty::standings(ladder, OwnCatalog(nullptr)); }},
      {columns, [&] { lofty::standings(ladder, OwnCatalog(std::make_shared<Source>(lofty::Table()))); }},
      {columns, [&] { lofty::standings(ladder, OwnCatalog(std::make_shared<Source>(one_column))); }},
  });
}

// Stretches of two rows, then of two more, and what may be wrong with them.
enum class StretchFault { nothing, none, column, type, rows, headings };
class InStretches : public Source {
 public:
  InStretches(lofty::Table table, StretchFault wrong) : Source(table), table_(std::move(table)), wrong_(wrong) {}
  lofty::TableSize size() const override { return {4, 40, 20}; }
  std::unique_ptr<lofty::TableStretches> stretches(std::span<const std::size_t>, const lofty::Run&) const override {
    if (wrong_ == StretchFault::none) return nullptr;
    return std::make_unique<Stretches>(table_, wrong_);
  }

 private:
  class Stretches : public lofty::TableStretches {
   public:
    Stretches(lofty::Table whole, StretchFault wrong) : whole_(std::move(whole)), wrong_(wrong) {}
    std::optional<lofty::Table> next() override {
      ++stretch_;
      if (stretch_ > 2) return std::nullopt;
      const std::vector<std::int64_t> numbers{stretch_, 5};
      const std::vector<std::string> texts{"a", "b"};
      lofty::TableBuilder rows("own");
      rows.column("n", numbers);
      if (stretch_ == 2 && wrong_ == StretchFault::type)
        rows.column("m", texts);
      else if (stretch_ < 2 || wrong_ != StretchFault::column)
        rows.column("m", numbers);
      return rows.build();
    }
    lofty::Table whole() override {
      const std::vector<std::int64_t> three{1, 5, 2};
      if (wrong_ == StretchFault::rows) return lofty::TableBuilder("own").column("n", three).column("m", three).build();
      const std::vector<std::int64_t> four{1, 5, 2, 5};
      return wrong_ == StretchFault::headings ? lofty::TableBuilder("own").column("n", four).build() : whole_;
    }

   private:
    lofty::Table whole_;
    StretchFault wrong_;
    std::int64_t stretch_ = 0;
  };

  lofty::Table table_;
  StretchFault wrong_;
};

TEST_F(Calls, StretchesOfACallersOwnAreChecked) {
  const std::vector<std::int64_t> four{1, 5, 2, 5};
  const lofty::Table table = lofty::TableBuilder("own").column("n", four).column("m", four).build();
  const lofty::Ladder ladder{
      .data = {.from = "own"}, .totals = {{"count", "count(*)"}}, .levels = {{.each = {"m"}, .by = "count desc"}}};
  const auto answer = [&](StretchFault wrong) {
    return lofty::standings(ladder, OwnCatalog(std::make_shared<InStretches>(table, wrong)));
  };
  const lofty::Standings right = answer(StretchFault::nothing);
  EXPECT_EQ(right.cost().rows_kept, lofty::RowsKept::none);
  ASSERT_EQ(right.rows(), 3u);
  EXPECT_EQ(lofty::to_text(right.value(0, 1)), "5");
  expect({
      {"TableSource::stretches() returns stretches, or throws", [&] { answer(StretchFault::none); }},
      {"TableStretches::next() returns tables that hold the columns", [&] { answer(StretchFault::column); }},
      {"TableStretches::next() returns columns of the first ones' types", [&] { answer(StretchFault::type); }},
      {"TableStretches::whole() has as many rows as the stretches", [&] { answer(StretchFault::rows); }},
      {"TableStretches::whole() has the headings of its source", [&] { answer(StretchFault::headings); }},
  });
}

TEST_F(Calls, TheBestOfMoreThanThereAreAreAll) {
  const auto by = lofty::descending(spend);
  for (const std::size_t count : {std::size_t{3}, std::size_t{1} << 40, ~std::size_t{0}}) {
    EXPECT_EQ(lofty::best({}, {by}, count).rows, (std::vector<std::uint32_t>{1, 2, 0}));
    EXPECT_EQ(lofty::worst({}, {by}, count).rows, (std::vector<std::uint32_t>{1, 2, 0}));
  }
  // Many groups, where room for the best N of each would be more than there is.
  std::vector<std::int32_t> group(200'000), value(200'000);
  for (std::size_t i = 0; i < group.size(); ++i)
    group[i] = static_cast<std::int32_t>(i % 50'000), value[i] = static_cast<std::int32_t>(i);
  const auto all = lofty::best(lofty::groups(group), {lofty::descending(value)}, std::size_t{1} << 50);
  ASSERT_EQ(all.rows.size(), group.size());
  EXPECT_EQ(all.group_begin.size(), 50'000u);
  EXPECT_EQ(all.rows[0], 150'000u);
  EXPECT_EQ(all.tied_cuts, 0u);
}

TEST_F(Calls, PicturesThatDoNotFitTogetherAreRefused) {
  const auto drawn = [](auto content) {
    return [content] {
      lofty::Picture picture;
      picture.content = content;
      lofty::drawn(picture, lofty::PictureFormat::svg);
    };
  };
  lofty::MovementPicture movement;
  movement.times = {"then", "now"};
  movement.lines.emplace_back().places = {1.0};
  lofty::SharesPicture shares;
  shares.reached = 3;
  lofty::LinesPicture lines;
  lines.kind = lofty::LinesPicture::Along::texts;
  lines.charts.emplace_back().points = {{.along = 4, .value = 1.0}};
  expect({
      {"a movement has at least two times", drawn(lofty::MovementPicture{})},
      {"a line has a place and a text for each time", drawn(movement)},
      {"the step that reaches the mark is a step", drawn(shares)},
      {"the points of a chart along texts have the numbers of texts", drawn(lines)},
  });
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
