// Memory that waits for its next use.
#include "table/buffer.hpp"

#include <gtest/gtest.h>

#include <numeric>
#include <thread>
#include <vector>

using namespace lofty::engine;

namespace {
constexpr std::size_t large = 8 * 1024 * 1024;
}

TEST(Buffer, WhatIsGivenBackIsUsedAgainWhileSomebodyAsksForIt) {
  const MemoryReuse reuse;
  const unsigned char* first = nullptr;
  {
    Bytes some(large);
    first = some.data();
    some[large - 1] = 7;
  }
  const Bytes a(large - 100), b(large);
  EXPECT_EQ(a.data(), first);
  EXPECT_NE(b.data(), first);
  EXPECT_EQ(a.size(), large - 100);
}

TEST(Buffer, TheSmallestThatIsLargeEnoughIsTaken) {
  const MemoryReuse reuse;
  Bytes small(large), middle(2 * large), great(4 * large);
  const unsigned char *const a = small.data(), *const b = middle.data(), *const c = great.data();
  small = Bytes();
  middle = Bytes();
  great = Bytes();
  const Bytes first(large), second(large), fourth(3 * large);
  EXPECT_EQ(first.data(), a);
  EXPECT_EQ(second.data(), b);
  EXPECT_EQ(second.size(), large);
  EXPECT_EQ(fourth.data(), c);
}

TEST(Buffer, WhatIsMuchTooLargeIsNotTaken) {
  const MemoryReuse reuse;
  Bytes some(4 * large);
  const unsigned char* const first = some.data();
  some = Bytes();
  const Bytes small(large);
  EXPECT_NE(small.data(), first);
}

TEST(Buffer, MovesWithItsMemory) {
  const MemoryReuse reuse;
  Bytes a(large);
  a[5] = 42;
  Bytes b = std::move(a);
  a.allocate(large);
  a[5] = 1;
  EXPECT_EQ(b[5], 42);
}

// Several threads that take and give back never hold the same memory.
TEST(Buffer, ThreadsShareWhatWaits) {
  const MemoryReuse reuse;
  std::vector<std::thread> threads;
  std::vector<int> wrong(4, 0);
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([t, &wrong] {
      for (int round = 0; round < 30; ++round) {
        const MemoryReuse own;
        Buffer<int> numbers(large / sizeof(int));
        for (std::size_t i = 0; i < numbers.size(); i += 1024) numbers[i] = t * 1000 + round;
        for (std::size_t i = 0; i < numbers.size(); i += 1024)
          wrong[static_cast<std::size_t>(t)] += numbers[i] != t * 1000 + round;
      }
    });
  for (std::thread& thread : threads) thread.join();
  EXPECT_EQ(std::accumulate(wrong.begin(), wrong.end(), 0), 0);
}
