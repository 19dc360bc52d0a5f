#include "relation/direct_numbers.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>
#include <numeric>

namespace lofty::engine {
namespace {

// A batch of whole numbers.
Vector batch(std::vector<std::int64_t> values) {
  Vector v;
  v.lane = Vector::Lane::int64;
  v.ints = std::move(values);
  return v;
}

TEST(DirectNumbers, AreThoseOfATable) {
  rc::check([] {
    DirectNumbers direct(*rc::gen::inRange<std::size_t>(0, 100));
    std::map<std::pair<std::uint32_t, std::int64_t>, std::uint32_t> table;
    std::size_t begin = 0;
    for (int batches = *rc::gen::inRange(1, 5); batches > 0; --batches) {
      const auto values = *rc::gen::container<std::vector<std::int64_t>>(rc::gen::oneOf(
          rc::gen::inRange<std::int64_t>(-3, 20), rc::gen::inRange<std::int64_t>(0, 10'000),
          rc::gen::element(int64_null, std::int64_t{1} << 40, std::numeric_limits<std::int64_t>::max())));
      std::vector<std::uint32_t> chosen, prefixes;
      for (std::size_t i = 0; i < values.size(); ++i)
        if (*rc::gen::inRange(0, 4) > 0) chosen.push_back(static_cast<std::uint32_t>(begin + i));
      for (std::size_t k = 0; k < chosen.size(); ++k)
        prefixes.push_back(*rc::gen::oneOf(rc::gen::inRange(0U, 3U), rc::gen::inRange(0U, 3'000U)));

      // What is new is looked up in the order of the rows.
      const auto before = prefixes;
      std::size_t last = 0;
      direct.number(batch(values), begin, chosen, prefixes, [&](std::size_t i, std::uint32_t prefix) {
        RC_ASSERT(i >= last);
        last = i;
        return table.try_emplace({prefix, values[i]}, static_cast<std::uint32_t>(table.size())).first->second;
      });
      for (std::size_t k = 0; k < chosen.size(); ++k)
        RC_ASSERT(prefixes[k] == table.at({before[k], values[chosen[k] - begin]}));
      begin += values.size();
    }
  });
}

TEST(DirectNumbers, LookUpEachSmallKeyOnce) {
  DirectNumbers direct(1'000);
  std::vector<std::int64_t> values(1'000);
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = static_cast<std::int64_t>(i * 7 % 50);
  std::vector<std::uint32_t> chosen(values.size());
  std::iota(chosen.begin(), chosen.end(), 0U);
  std::size_t calls = 0;
  for (int round = 0; round < 3; ++round) {
    std::vector<std::uint32_t> prefixes(values.size(), 1);
    direct.number(batch(values), 0, chosen, prefixes,
                  [&](std::size_t, std::uint32_t) { return static_cast<std::uint32_t>(calls++); });
  }
  EXPECT_EQ(50U, calls);
  EXPECT_TRUE(direct.pays());
}

TEST(DirectNumbers, SayWhenTheyDoNotPay) {
  DirectNumbers direct(1'000'000);
  std::vector<std::int64_t> values(1'000);
  std::vector<std::uint32_t> chosen(values.size());
  std::iota(chosen.begin(), chosen.end(), 0U);
  for (std::int64_t round = 0; round < 10; ++round) {
    EXPECT_EQ(round < 5, direct.pays()) << round;
    for (std::size_t i = 0; i < values.size(); ++i)
      values[i] = (std::int64_t{1} << 40) + round * 1'000 + static_cast<std::int64_t>(i);
    std::vector<std::uint32_t> prefixes(values.size(), 0);
    direct.number(batch(values), 0, chosen, prefixes,
                  [&](std::size_t i, std::uint32_t) { return static_cast<std::uint32_t>(i); });
  }
}

// Prefixes take room too: many of them with a value each are beyond at some time.
TEST(DirectNumbers, KeepToTheirRoom) {
  DirectNumbers direct(1'000);
  std::size_t calls = 0;
  for (int round = 0; round < 2; ++round)
    for (std::uint32_t from = 0; from < 100'000; from += 1'000) {
      std::vector<std::uint32_t> prefixes(1'000), chosen(1'000);
      std::iota(prefixes.begin(), prefixes.end(), from);
      std::iota(chosen.begin(), chosen.end(), 0U);
      direct.number(batch(std::vector<std::int64_t>(1'000, 3)), 0, chosen, prefixes,
                    [&](std::size_t, std::uint32_t prefix) {
                      ++calls;
                      return prefix;
                    });
    }
  EXPECT_GT(calls, 198'000U);
  EXPECT_FALSE(direct.pays());
}

}  // namespace
}  // namespace lofty::engine
