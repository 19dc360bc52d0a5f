#include "rank/groups.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>

using namespace lofty::engine;

RC_GTEST_PROP(IdTableProperty, NumbersPairsInTheOrderOfTheirFirstAppearance, ()) {
  IdTable table;
  std::map<std::tuple<std::uint32_t, std::uint64_t, int>, std::uint32_t> expected;
  const auto pairs = *rc::gen::container<std::vector<std::tuple<std::uint32_t, std::uint64_t, int>>>(
      rc::gen::tuple(rc::gen::inRange<std::uint32_t>(0, 5),
                     rc::gen::oneOf(rc::gen::inRange<std::uint64_t>(0, 20), rc::gen::arbitrary<std::uint64_t>()),
                     rc::gen::inRange(0, 3)));
  for (const auto& [prefix, code, tag] : pairs) {
    const auto id =
        expected.try_emplace({prefix, code, tag}, static_cast<std::uint32_t>(expected.size())).first->second;
    RC_ASSERT(table.find_or_add(prefix, {code, static_cast<std::uint8_t>(tag)}) == id);
    RC_ASSERT(table.prefix(id) == prefix);
    RC_ASSERT(table.cell(id).code == code);
  }
  RC_ASSERT(table.size() == expected.size());
}

TEST(IdTable, GrowsPastManyEntries) {
  IdTable table;
  for (std::uint64_t i = 0; i < 100'000; ++i) ASSERT_EQ(table.find_or_add(0, {i * 4096, 1}), i);
  for (std::uint64_t i = 0; i < 100'000; ++i) ASSERT_EQ(table.find_or_add(0, {i * 4096, 1}), i);
}
