// Vectors whose pages come from several threads.
#include "base/large_vector.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdint>
#include <vector>

#include "base/pages.hpp"

using namespace lofty::engine;

// Below the size from which threads share them, above it, and next to the borders of huge pages.
TEST(LargeVector, IsAllZeros) {
  for (const std::size_t size :
       {std::size_t{0}, std::size_t{1}, std::size_t{1000}, huge_page / 4, 4 * huge_page / 4 - 1, 4 * huge_page / 4,
        5 * huge_page / 4 + 7, 33 * huge_page / 4 + 1})
    for (const int threads : {1, 3}) {
      const auto values = large_vector<std::uint32_t>(size, {.threads = threads});
      ASSERT_EQ(values.size(), size);
      EXPECT_TRUE(std::all_of(values.begin(), values.end(), [](std::uint32_t value) { return value == 0; }));
    }
}

TEST(LargeVector, KeepsWhatWasThere) {
  std::vector<std::uint64_t> values{1, 2, 3};
  resize_large(values, huge_page, {});
  ASSERT_EQ(values.size(), huge_page);
  EXPECT_EQ(values[0], 1u);
  EXPECT_EQ(values[2], 3u);
  EXPECT_TRUE(std::all_of(values.begin() + 3, values.end(), [](std::uint64_t value) { return value == 0; }));
  resize_large(values, 2, {});
  EXPECT_EQ(values, (std::vector<std::uint64_t>{1, 2}));
  resize_large(values, 5, {});
  EXPECT_EQ(values, (std::vector<std::uint64_t>{1, 2, 0, 0, 0}));
}

// Exactly the given bytes: what is next to them belongs to others.
TEST(FetchPages, TouchesNothingBesides) {
  std::vector<char> around(14 * huge_page, 7);
  for (const std::size_t skipped : {std::size_t{0}, std::size_t{1}, huge_page / 2}) {
    const std::size_t begin = huge_page + to_next_huge_page(around.data()) + skipped, size = 9 * huge_page + 5;
    std::fill_n(around.begin() + static_cast<std::ptrdiff_t>(begin), size, 0);
    fetch_pages(around.data() + begin, size, {.threads = 3});
    EXPECT_EQ(static_cast<std::size_t>(std::count(around.begin(), around.end(), 0)), size);
    EXPECT_EQ(around[begin - 1], 7);
    EXPECT_EQ(around[begin + size], 7);
    std::fill(around.begin(), around.end(), 7);
  }
}
