// The library as a caller meets it: public headers only, from outside its namespace, every claim of their comments.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <set>

#include "lofty/lofty.hpp"
#include "support/process.hpp"

namespace {

std::vector<std::uint32_t> places_of(const std::vector<lofty::Key>& by) {
  return lofty::places_by_row(lofty::order(by), lofty::Ties::competition);
}

using P = std::vector<std::uint32_t>;

// Of a single key over values that live here.
template <class T>
P places_up(const std::vector<T>& values) {
  return places_of({lofty::ascending(values)});
}
template <class T>
P places_down(const std::vector<T>& values) {
  return places_of({lofty::descending(values)});
}

}  // namespace

TEST(ApiArrays, EveryElementTypeOrders) {
  EXPECT_EQ(places_up(std::vector<std::int8_t>{3, -128, 127}), (P{2, 1, 3}));
  EXPECT_EQ(places_up(std::vector<std::int16_t>{3, -32768, 32767}), (P{2, 1, 3}));
  EXPECT_EQ(places_up(std::vector<int>{3, -5, 9}), (P{2, 1, 3}));
  EXPECT_EQ(places_down(std::vector<long>{3, -5, 9}), (P{2, 3, 1}));
  EXPECT_EQ(places_up(std::vector<unsigned char>{3, 255, 0}), (P{2, 3, 1}));
  EXPECT_EQ(places_up(std::vector<std::uint16_t>{3, 65535, 0}), (P{2, 3, 1}));
  EXPECT_EQ(places_up(std::vector<std::uint32_t>{3, 4294967295u, 0}), (P{2, 3, 1}));
  EXPECT_EQ(places_down(std::vector<std::uint64_t>{3, ~0ull, 0}), (P{2, 1, 3}));
  EXPECT_EQ(places_up(std::vector<float>{0.5f, -INFINITY, NAN}), (P{2, 1, 0}));
  EXPECT_EQ(places_up(std::vector<double>{0.5, INFINITY, -0.0}), (P{2, 3, 1}));
  const std::vector<lofty::Decimal> money{{150, 2}, {15, 1}, {1, 0}};
  EXPECT_EQ(places_of({lofty::descending(money)}), (P{1, 1, 3}));  // 1.50 ties with 1.5
  EXPECT_EQ(places_up(std::vector<lofty::Date>{{9}, {-9}, {0}}), (P{3, 1, 2}));
  EXPECT_EQ(places_up(std::vector<lofty::Timestamp>{{9}, {-9}, {0}}), (P{3, 1, 2}));
  EXPECT_EQ(places_up(std::vector<std::string>{"b", "a", "b"}), (P{2, 1, 2}));
  EXPECT_EQ(places_up(std::vector<std::string_view>{"b", "a", ""}), (P{3, 2, 1}));
  const int plain[] = {2, 1, 3};
  EXPECT_EQ(places_of({lofty::ascending(plain)}), (P{2, 1, 3}));  // anything contiguous
}

TEST(ApiArrays, SeveralKeysGroupsAndTieBreakers) {
  const std::vector<std::string> valley{"Moor", "Dale", "Moor", "Dale"};
  const std::vector<double> spend{5, 7, 9, 7};
  const std::vector<std::string> shop{"d", "c", "b", "a"};
  const lofty::Order o = lofty::order(lofty::groups(valley), {lofty::descending(spend)}, {lofty::ascending(shop)});
  EXPECT_EQ(std::vector<std::uint32_t>(o.rows().begin(), o.rows().end()), (P{3, 1, 2, 0}));  // Dale first, a before c
  EXPECT_EQ(o.groups(), 2u);
  EXPECT_TRUE(o.starts_group(0) && !o.starts_group(1) && o.starts_group(2));
  EXPECT_EQ(lofty::places_by_row(o, lofty::Ties::competition), (P{2, 1, 1, 1}));
  EXPECT_EQ(lofty::places_by_row(o, lofty::Ties::ordinal), (P{2, 2, 1, 1}));
  const lofty::Order copy = o;  // copies share the rows
  EXPECT_EQ(copy.rows().data(), o.rows().data());
}

TEST(ApiArrays, TheInverseUndoesTheOrder) {
  const std::vector<int> values{4, 1, 3, 1, 2};
  const lofty::Order o = lofty::order({lofty::ascending(values)});
  const auto positions = o.inverse();
  for (std::uint32_t row = 0; row < values.size(); ++row) EXPECT_EQ(o.rows()[positions[row]], row);
}

TEST(ApiArrays, UnknownLocalesFallBackAsIcuDoes) {
  // ICU answers an unknown language with the root rules; the library does the same and does not guess.
  const std::vector<std::string> names{"b", "a"};
  EXPECT_NO_THROW(lofty::order({lofty::ascending(names, {.locale = "zz"})}));
}

TEST(ApiTables, BuilderHoldsWhatItWasGiven) {
  const std::vector<std::int64_t> number{1, 2, 3};
  const std::vector<double> weight{0.5, NAN, 2};
  const std::vector<lofty::Decimal> price{{15, 1}, {200, 2}, {}};
  const std::vector<lofty::Date> day{{0}, {1}, {2}};
  const std::vector<lofty::Timestamp> moment{{0}, {1}, {2}};
  const std::vector<std::string> name{"a", "", "c"};
  const std::vector<std::uint8_t> last_null{0, 0, 1};
  const lofty::Table t = lofty::TableBuilder("t")
                             .column("number", number)
                             .column("weight", weight)
                             .column("price", price, last_null)
                             .column("day", day)
                             .column("moment", moment)
                             .column("name", name)
                             .build();
  EXPECT_EQ(t.rows(), 3u);
  EXPECT_EQ(t.name(), "t");
  EXPECT_EQ(t.type(2), (lofty::Type{.kind = lofty::Kind::decimal, .scale = 2}));  // the longest scale
  EXPECT_EQ(lofty::to_text(t.value(0, 2)), "1.50");
  EXPECT_TRUE(lofty::is_null(t.value(1, 1)));  // NaN
  EXPECT_TRUE(lofty::is_null(t.value(2, 2)));
  EXPECT_EQ(std::get<std::string>(t.value(1, 5)), "");
  EXPECT_EQ(lofty::to_text(t.value(1, 3)), "1970-01-02");
  EXPECT_TRUE(t.holds(5));
  EXPECT_TRUE(t.remarks().empty());
}

TEST(ApiTables, BuilderRefusesWhatCannotBeATable) {
  const std::vector<std::int64_t> three{1, 2, 3}, two{1, 2};
  const auto code = [](const auto& build) {
    try {
      build();
    } catch (const lofty::Error& error) {
      return error.code();
    }
    return lofty::Code::stopped;
  };
  EXPECT_EQ(code([&] { lofty::TableBuilder("t").column("a", three).column("b", two); }), lofty::Code::ragged_row);
  EXPECT_EQ(code([&] { lofty::TableBuilder("t").column("a", two).column("a", two).build(); }),
            lofty::Code::bad_heading);
  EXPECT_EQ(code([&] { lofty::TableBuilder("t").column("", two).build(); }), lofty::Code::bad_heading);
  const std::vector<lofty::Value> mixed{lofty::Value(true), lofty::Value(std::string("x"))};
  EXPECT_EQ(code([&] { lofty::TableBuilder("t").column("a", std::span<const lofty::Value>(mixed)); }),
            lofty::Code::wrong_type);
}

TEST(ApiCatalog, ANewTableReplacesOneOfItsName) {
  const std::vector<std::int64_t> one{1}, two{1, 2};
  lofty::Catalog catalog;
  catalog.add(lofty::TableBuilder("t").column("a", one).build());
  catalog.add(lofty::TableBuilder("t").column("a", two).build());
  const auto source = catalog.open("t", {});
  const std::size_t columns[] = {0};
  EXPECT_EQ(source->read(columns, {}).rows(), 2u);
  EXPECT_EQ(source->form(), "");
}

TEST(ApiCatalog, FilesReadOnlyWhatIsMentioned) {
  const support::Scratch scratch;
  scratch.file("t.csv", "a,b,c\n1,2,3\n4,5,6\n");
  const lofty::TableFiles files(scratch.path());
  const auto source = files.open("t.csv", {});
  const std::size_t wanted[] = {2, 0};
  const lofty::Table t = source->read(wanted, {});
  EXPECT_TRUE(t.holds(0) && !t.holds(1) && t.holds(2));
  EXPECT_EQ(lofty::to_text(t.value(1, 2)), "6");
  try {
    files.open("u.csv", {});
    FAIL();
  } catch (const lofty::Error& error) {
    EXPECT_EQ(error.code(), lofty::Code::unknown_table);
    EXPECT_EQ(error.problems()[0].nearest, "t.csv");
  }
}

TEST(ApiCatalog, TablesInMemoryAreFoundBeforeFiles) {
  const support::Scratch scratch;
  scratch.file("t.csv", "a\n1\n2\n");
  lofty::TableFiles files(scratch.path());
  const std::vector<std::int64_t> one{7};
  files.add(lofty::TableBuilder("t.csv").column("a", one).build());
  const std::size_t wanted[] = {0};
  EXPECT_EQ(files.open("t.csv", {})->read(wanted, {}).rows(), 1u);
}

TEST(ApiErrors, EveryCodeHasANameOfItsOwnAndAFault) {
  std::set<std::string_view> names;
  int data = 0;
  for (int code = 0; code <= static_cast<int>(lofty::Code::stopped); ++code) {
    names.insert(lofty::to_string(static_cast<lofty::Code>(code)));
    data += lofty::is_data_fault(static_cast<lofty::Code>(code));
  }
  EXPECT_EQ(names.size(), static_cast<std::size_t>(lofty::Code::stopped) + 1);
  EXPECT_FALSE(names.contains("unknown"));
  EXPECT_EQ(data, 20);
  EXPECT_FALSE(lofty::is_data_fault(lofty::Code::cannot_open));
  EXPECT_TRUE(lofty::is_data_fault(lofty::Code::join_multiplies));
}

TEST(ApiErrors, CarryAllProblemsAndReadAsOneText) {
  lofty::Problem a{lofty::Code::unknown_column, "no column `x`", {}, "y", {}},
      b{lofty::Code::overflow, "too large", {}, {}, {}};
  a.location.key = "rank.by";
  const lofty::Error error(std::vector<lofty::Problem>{a, b});
  EXPECT_STREQ(error.what(), "rank.by: no column `x`; nearest: `y`\ntoo large");
  EXPECT_FALSE(error.data_fault());  // one of them is the question's
  EXPECT_TRUE(lofty::Error(b).data_fault());
}

TEST(ApiLadder, ProgressComesToOneAndAnswersAreCheapToCopy) {
  std::vector<std::int64_t> numbers(300'000);
  for (std::size_t i = 0; i < numbers.size(); ++i) numbers[i] = static_cast<std::int64_t>(i % 97);
  lofty::Catalog catalog;
  catalog.add(lofty::TableBuilder("t").column("k", numbers).build());
  double last = 0;
  const lofty::Standings s = lofty::standings(
      {.data = {.from = "t"}, .totals = {{"n", "count(*)"}}, .levels = {{.each = {"k"}, .by = "n desc"}}}, catalog,
      {.progress = [&](double share) { last = share; }});
  EXPECT_EQ(last, 1.0);
  EXPECT_EQ(s.rows(), 97u);
  const lofty::Standings copy = s;
  EXPECT_EQ(&copy.columns(), &s.columns());
}

// Every call over arrays tells how far it is, never goes back, comes to one, and stops when it is told to.
TEST(ApiArrays, ProgressAndStop) {
  std::mt19937_64 random(8);
  std::vector<std::int64_t> numbers(400'000), skewed(numbers.size());
  for (std::int64_t& number : numbers) number = static_cast<std::int64_t>(random());
  for (std::int64_t& number : skewed) number = static_cast<std::int64_t>(random() % 20 == 0 ? random() >> 30 : 7);
  const lofty::GroupNumbers by_number = lofty::number_groups(lofty::groups(numbers));
  const std::function<void(const lofty::Run&)> calls[] = {
      [&](const lofty::Run& run) { lofty::order({lofty::descending(numbers)}, {}, run); },
      [&](const lofty::Run& run) {
        lofty::order({lofty::descending(skewed), lofty::ascending(numbers)}, {}, run);
      },
      [&](const lofty::Run& run) { lofty::number_groups(lofty::groups(numbers), run); },
      [&](const lofty::Run& run) { lofty::number_groups(lofty::groups(skewed), run); },
      [&](const lofty::Run& run) { lofty::sums(by_number, std::span<const std::int64_t>(skewed), {}, run); },
      [&](const lofty::Run& run) { lofty::best({}, {lofty::descending(skewed)}, 10, lofty::Cut::with_ties, {}, run); },
      [&](const lofty::Run& run) {
        lofty::best(lofty::groups(skewed), {lofty::descending(numbers)}, 3, lofty::Cut::strict, {}, run);
      },
  };
  for (const int threads : {1, 4})
    for (const auto& call : calls) {
      std::vector<double> told;
      call({.threads = threads, .progress = [&](double share) { told.push_back(share); }});
      ASSERT_FALSE(told.empty());
      EXPECT_TRUE(std::is_sorted(told.begin(), told.end()));
      EXPECT_GT(told.front(), 0);
      EXPECT_EQ(told.back(), 1.0);
      std::stop_source stop;
      std::size_t after = 0;
      EXPECT_THROW(call({.threads = threads,
                         .stop = stop.get_token(),
                         .progress =
                             [&](double) {
                               ++after;
                               stop.request_stop();
                             }}),
                   lofty::Error);
      EXPECT_LE(after, 8u);  // what other threads had just begun
    }
}

TEST(ApiLadder, ProgressNeverGoesBack) {
  std::vector<std::int64_t> numbers(300'000);
  for (std::size_t i = 0; i < numbers.size(); ++i) numbers[i] = static_cast<std::int64_t>(i * 7919 % 300'000);
  lofty::Catalog catalog;
  catalog.add(lofty::TableBuilder("t").column("k", numbers).build());
  std::vector<double> told;
  lofty::standings({.data = {.from = "t"}, .totals = {{"n", "sum(k)"}}, .levels = {{.each = {"k"}, .by = "n desc"}}},
                   catalog, {.progress = [&](double share) { told.push_back(share); }});
  EXPECT_TRUE(std::is_sorted(told.begin(), told.end()));
  EXPECT_EQ(told.back(), 1.0);
}

TEST(ApiLadder, ValuesWriteThemselves) {
  EXPECT_EQ(lofty::to_text(lofty::Value{}), "");
  EXPECT_EQ(lofty::to_text(lofty::Value(true)), "true");
  EXPECT_EQ(lofty::to_text(lofty::Value(0.1)), "0.1");
  EXPECT_EQ(lofty::to_text(lofty::Value(1e300)), "1e+300");
  EXPECT_EQ(lofty::to_text(lofty::Value(lofty::Timestamp{0}), {.kind = lofty::Kind::timestamp, .zoned = true}),
            "1970-01-01 00:00:00Z");
  EXPECT_STREQ(lofty::to_string(lofty::Kind::floating), "float");
}
