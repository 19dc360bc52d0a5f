#include "order/key_table.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <functional>
#include <map>
#include <random>

#include "relation/group_keys.hpp"

namespace lofty::engine {
namespace {

RC_GTEST_PROP(KeyTableProperty, NumbersPairsInTheOrderOfTheirFirstAppearance, ()) {
  GroupTable table;
  std::map<std::tuple<std::uint32_t, std::uint64_t, int>, std::uint32_t> expected;
  const auto pairs = *rc::gen::container<std::vector<std::tuple<std::uint32_t, std::uint64_t, int>>>(
      rc::gen::tuple(rc::gen::inRange<std::uint32_t>(0, 5),
                     rc::gen::oneOf(rc::gen::inRange<std::uint64_t>(0, 20), rc::gen::arbitrary<std::uint64_t>()),
                     rc::gen::inRange(0, 3)));
  for (const auto& [prefix, code, tag] : pairs) {
    const GroupKey key{{code, static_cast<std::uint8_t>(tag)}, prefix};
    const bool known = expected.contains({prefix, code, tag});
    RC_ASSERT((table.find(key) != GroupTable::none) == known);
    const auto id =
        expected.try_emplace({prefix, code, tag}, static_cast<std::uint32_t>(expected.size())).first->second;
    RC_ASSERT(table.find_or_add(key) == id);
    RC_ASSERT(table.find(key) == id);
    RC_ASSERT(table.keys()[id].same(key));
  }
  RC_ASSERT(table.size() == expected.size());
}

TEST(KeyTable, GrowsPastManyKeys) {
  GroupTable table;
  const auto key = [](std::uint32_t i) { return GroupKey{{std::uint64_t{i} * 4096, 1}, i % 3}; };
  for (std::uint32_t i = 0; i < 300'000; ++i) ASSERT_EQ(table.find_or_add(key(i)), i);
  for (std::uint32_t i = 0; i < 300'000; ++i) ASSERT_EQ(table.find(key(i)), i);
  EXPECT_EQ(table.find({{1, 1}, 0}), GroupTable::none);
  EXPECT_EQ(table.find_or_add({{~std::uint64_t{0}, 1}, 0}), 300'000u);
}

// Keys whose hashes share a line of the table, or that and the mark by which lines are searched.
TEST(KeyTable, KeysAreToldApartHoweverTheirHashesFall) {
  struct Entry {
    std::uint32_t key, hash;
    std::uint32_t tag() const { return hash; }
    bool same(const Entry& other) const { return key == other.key; }
  };
  const std::vector<std::function<std::uint32_t(std::uint32_t)>> hashes{
      [](std::uint32_t) { return 0u; },                         // all in one line, with one mark
      [](std::uint32_t key) { return key << 16; },              // in one line, with many marks
      [](std::uint32_t key) { return key % 64; },               // in some lines, with one mark
      [](std::uint32_t key) { return 0xffffffffu - key % 3; },  // in the last lines: the first ones go on
      [](std::uint32_t key) { return key * 2654435761u; }};     // all over
  for (std::size_t h = 0; h < hashes.size(); ++h)
    for (const std::size_t size : {0u, 1u, 15u, 16u, 17u, 255u, 256u, 257u, 5000u}) {
      std::mt19937 random(9);
      std::vector<Entry> entries(size + 256);  // those after it are only asked for
      for (std::size_t i = 0; i < size; ++i) {
        const std::uint32_t key = random() % 900;
        entries[i] = {key, hashes[h](key)};
      }
      KeyTable<Entry> numbers;
      ASSERT_EQ(numbers.find(entries[0]), KeyTable<Entry>::none);
      std::map<std::uint32_t, std::uint32_t> seen;
      std::vector<std::size_t> first_at;
      for (std::size_t i = 0; i < size; ++i)
        if (seen.emplace(entries[i].key, static_cast<std::uint32_t>(seen.size())).second) first_at.push_back(i);
      for (const bool known : {false, true}) {
        std::vector<Entry> own = entries;
        std::vector<std::size_t> added;
        numbers.number_all(own.data(), size, own.data(), [&](std::size_t i) { added.push_back(i); });
        ASSERT_EQ(added, known ? std::vector<std::size_t>() : first_at) << "hash " << h << ", size " << size;
        ASSERT_EQ(numbers.size(), seen.size());
        for (std::size_t i = 0; i < size; ++i)
          ASSERT_EQ(NumbersOver(own.data()).get(i), seen.at(entries[i].key))
              << "hash " << h << ", entry " << i << " of " << size;
        for (const auto& [key, number] : seen) ASSERT_EQ(numbers.find({key, hashes[h](key)}), number);
        ASSERT_EQ(numbers.find({900, hashes[h](900)}), KeyTable<Entry>::none);
      }
    }
}

}  // namespace
}  // namespace lofty::engine
