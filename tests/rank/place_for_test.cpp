#include "lofty/place_for.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>

#include "lofty/error.hpp"
#include "lofty/undecided.hpp"
#include "rank/undecided.hpp"

using namespace lofty;

TEST(WhereWould, AnAmountStand) {
  const std::vector<double> spend{5000, 4200, 4200, 1000, std::nan("")};
  const std::vector<Key> by{descending(spend)};
  const Order o = order(by);
  const Standing s = place_for(o, {}, by, {}, {Decimal(4200, 0)});
  EXPECT_EQ(s.better, 1u);
  EXPECT_EQ(s.equal, 2u);
  EXPECT_EQ(s.ranked, 4u);
  EXPECT_EQ(s.place(Ties::competition), 2);
  EXPECT_EQ(s.place(Ties::modified), 4);
  EXPECT_EQ(s.place(Ties::dense), 2);
  EXPECT_EQ(s.place(Ties::ordinal), 4);
  EXPECT_EQ(s.place(Ties::fractional), 3);
  EXPECT_EQ(place_for(o, {}, by, {}, {9e9}).place(Ties::competition), 1);
  EXPECT_EQ(place_for(o, {}, by, {}, {0.0}).place(Ties::competition), 5);
  EXPECT_THROW(place_for(o, {}, by, {}, {std::string("much")}), Error);
}

TEST(WhereWould, TextsAndDatesAndOtherDirections) {
  const std::vector<std::string> shop{"Älv", "Barrow", "crumb"};
  const std::vector<Date> opened{{10}, {20}, {30}};
  const std::vector<Timestamp> seen{{1}, {2}, {3}};
  const std::vector<Key> by{ascending(shop), descending(opened), ascending(seen)};
  const Order o = order(by);
  EXPECT_EQ(place_for(o, {}, by, {}, {std::string("Barrow"), Date{20}, Timestamp{2}}).equal, 1u);
  EXPECT_EQ(place_for(o, {}, by, {}, {std::string("Barrow"), Date{25}, Timestamp{2}}).better, 1u);
  EXPECT_EQ(place_for(o, {}, by, {}, {std::string("Barrow"), Date{15}, Timestamp{2}}).better, 2u);
  EXPECT_EQ(place_for(o, {}, by, {}, {std::string("Barrow"), Value{}, Value{}}).better, 2u);  // nulls last
  EXPECT_EQ(place_for(o, {}, by, {}, {std::string("aal"), Date{15}, Timestamp{2}}).better, 0u);
}

// The place that the row gets when it is really added, after all others.
RC_GTEST_PROP(WhereWouldProperty, IsThePlaceOfTheAddedRow, ()) {
  const auto size = static_cast<std::size_t>(*rc::gen::inRange(0, 30));
  auto group = *rc::gen::container<std::vector<int>>(size, rc::gen::inRange(0, 3));
  auto spend = *rc::gen::container<std::vector<std::int64_t>>(size, rc::gen::inRange<std::int64_t>(-4, 4));
  auto name = *rc::gen::container<std::vector<std::string>>(size, rc::gen::element<std::string>("b", "a", "Ä", "z"));
  auto mask =
      *rc::gen::container<std::vector<std::uint8_t>>(size, rc::gen::weightedElement<std::uint8_t>({{5, 0}, {1, 1}}));
  const bool down = *rc::gen::arbitrary<bool>(), name_down = *rc::gen::arbitrary<bool>();
  const Nulls nulls = *rc::gen::element(Nulls::first, Nulls::last);
  const auto keys = [&] {
    const KeyOptions options{.nulls = nulls, .null_mask = mask};
    return std::vector<Key>{down ? descending(spend, options) : ascending(spend, options),
                            name_down ? descending(name) : ascending(name)};
  };
  const int to_group = *rc::gen::inRange(-1, 4);
  const std::int64_t value = *rc::gen::inRange<std::int64_t>(-6, 6);
  const std::string text = *rc::gen::element<std::string>("a", "b", "c", "Ä");
  const auto before_keys = keys();
  const Standing s = place_for(order(groups(group), before_keys), groups(group), before_keys, {Decimal(to_group, 0)},
                               {Decimal(value, 0), text});
  group.push_back(to_group);
  spend.push_back(value);
  name.push_back(text);
  mask.push_back(0);
  const Order with = order(groups(group), keys());
  for (const Ties ties : {Ties::competition, Ties::modified, Ties::dense, Ties::ordinal})
    RC_ASSERT(s.place(ties) == places_by_row(with, ties).back());
  RC_ASSERT(s.place(Ties::fractional) == fractional_places_by_row(with).back());
}

TEST(Undecided, CountsShowsAndNamesAColumn) {
  const std::vector<int> spend{5, 7, 5, 5, 7}, account{1, 1, 1, 2, 2}, line{1, 2, 3, 4, 5};
  const Order o = order({descending(spend)});
  const Undecided found = undecided(o, {ascending(account), ascending(line)});
  EXPECT_EQ(found.rows, 5u);
  EXPECT_EQ(found.example, std::pair(1u, 4u));
  EXPECT_EQ(found.would_decide, 1u);
  EXPECT_FALSE(found.would_help);
  const Undecided helped = undecided(o, {ascending(spend), ascending(account)});
  EXPECT_FALSE(helped.would_decide);
  EXPECT_EQ(helped.would_help, 1u);
  EXPECT_EQ(helped.left, 2u);
  EXPECT_EQ(undecided(order({ascending(line)})).rows, 0u);
  EXPECT_FALSE(undecided(order({ascending(line)})).example);
}

// All of them, or those that are equal to a kept one, against a comparison of each with each.
RC_GTEST_PROP(UndecidedProperty, AgreesWithEachAgainstEach, ()) {
  const auto rows = *rc::gen::inRange<std::size_t>(1, 60);
  const auto small = [&](int most) { return *rc::gen::container<std::vector<int>>(rows, rc::gen::inRange(0, most)); };
  const std::vector<int> spend = small(*rc::gen::element(2, 8, 100)), account = small(3), visits = small(30);
  std::vector<int> line(rows);
  for (std::size_t r = 0; r < rows; ++r) line[r] = static_cast<int>(r) * 2;
  const Order o = order({descending(spend)});
  std::optional<std::vector<std::size_t>> kept;
  if (*rc::gen::arbitrary<bool>()) {
    kept.emplace();
    for (std::size_t at = 0; at < rows; ++at)
      if (*rc::gen::inRange(0, 4) == 0) kept->push_back(at);
  }
  using Columns = std::vector<const std::vector<int>*>;
  const std::vector<Columns> choices{{}, {&account}, {&account, &visits}, {&account, &line}, {&line}};
  const Columns values = choices[*rc::gen::inRange<std::size_t>(0, choices.size())];

  // Which rows are undecided, and how many a column leaves so.
  const auto is_kept = [&](std::uint32_t row) {
    if (!kept) return true;
    return std::any_of(kept->begin(), kept->end(), [&](std::size_t at) { return spend[o.rows()[at]] == spend[row]; });
  };
  const auto left_by = [&](const std::vector<int>& further) {
    std::size_t left = 0;
    for (std::uint32_t a = 0; a < rows; ++a)
      for (std::uint32_t b = 0; b < rows && is_kept(a); ++b)
        if (a != b && spend[a] == spend[b] && further[a] == further[b]) {
          ++left;
          break;
        }
    return left;
  };
  const std::size_t expected = left_by(std::vector<int>(rows, 0));
  std::optional<std::size_t> decides, helps;
  std::size_t least = expected;
  for (std::size_t c = 0; c < values.size() && !decides && expected > 0; ++c)
    if (const std::size_t left = left_by(*values[c]); left < least) {
      least = left;
      (left == 0 ? decides : helps) = c;
    }
  if (decides) helps.reset();

  std::vector<std::function<void(engine::KeyList&)>> candidates;
  for (const auto* const one : values)
    candidates.push_back([one](engine::KeyList& out) { engine::encode(ascending(*one), {}, out); });
  const Undecided found =
      engine::find_undecided(o, candidates, kept ? std::optional(std::span<const std::size_t>(*kept)) : std::nullopt,
                             {.threads = *rc::gen::element(1, 3)});
  RC_ASSERT(found.rows == expected);
  RC_ASSERT(found.example.has_value() == (expected > 0));
  RC_ASSERT(found.would_decide == decides);
  RC_ASSERT(found.would_help == helps);
  RC_ASSERT(found.left == (decides || expected == 0 ? 0 : least));
  if (found.example) {
    RC_ASSERT(found.example->first < found.example->second);
    RC_ASSERT(spend[found.example->first] == spend[found.example->second]);
    RC_ASSERT(is_kept(found.example->first));
  }
}

// Runs of equal rows that begin in one piece of the order and end in another, looked for by several threads.
TEST(Undecided, RunsCrossThePiecesOfTheOrder) {
  constexpr std::size_t rows = 300'001;
  std::vector<int> third(rows), all(rows, 1), line(rows);
  for (std::size_t r = 0; r < rows; ++r) {
    third[r] = static_cast<int>(r / 3);
    line[r] = static_cast<int>(r);
  }
  for (const int threads : {1, 4}) {
    const Undecided found =
        undecided(order({ascending(third)}), {ascending(all), ascending(line)}, {.threads = threads});
    EXPECT_EQ(found.rows, rows - 1);  // the last is alone
    EXPECT_EQ(found.example, std::pair(0u, 1u));
    EXPECT_EQ(found.would_decide, 1u);
    const Undecided one_run = undecided(order({ascending(all)}), {ascending(third)}, {.threads = threads});
    EXPECT_EQ(one_run.rows, rows);
    EXPECT_EQ(one_run.would_help, 0u);
    EXPECT_EQ(one_run.left, rows - 1);
  }
}
