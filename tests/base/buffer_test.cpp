// Memory that waits for its next use.
#include "base/buffer.hpp"
#include "lofty/memory.hpp"

#include <gtest/gtest.h>
#include <sys/resource.h>
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <new>
#include <numeric>
#include <thread>
#include <utility>
#include <vector>

using namespace lofty::engine;

namespace {
constexpr std::size_t large = 8 * 1024 * 1024;

// Bytes of addresses that this process has. What the C library takes for the file, and gives back, is a few pages.
constexpr double few_pages = 64 * 1024;
std::size_t address_space() {
  std::ifstream sizes("/proc/self/statm");
  std::size_t pages = 0;
  sizes >> pages;
  return pages * static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
}
}  // namespace

TEST(Buffer, WhatIsGivenBackIsUsedAgainWhileSomebodyAsksForIt) {
  const lofty::KeepMemory reuse;
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

// Arrays of a middle size wait too, for others that are not much smaller.
TEST(Buffer, ArraysOfAMiddleSizeWait) {
  constexpr std::size_t size = 1'000'000;
  const auto address_of = [](std::size_t bytes) { return Bytes(bytes).data(); };
  const lofty::KeepMemory reuse;
  const unsigned char* const first = address_of(size);
  EXPECT_EQ(address_of(size), first);
  EXPECT_EQ(address_of(size * 9 / 10), first);
  EXPECT_NE(address_of(size / 2), first);  // half of it would lie idle
  const Bytes taken(size);
  EXPECT_EQ(taken.data(), first);
  const Bytes other(size);
  EXPECT_NE(other.data(), first);
}

// Steps that follow each other ask for other sizes: no page is fresh as long as one waits.
TEST(Buffer, WhatWaitsIsCutAndJoined) {
  const lofty::KeepMemory reuse;
  Bytes one(large), between(large), other(large);
  one[0] = 1;
  other[0] = 2;
  const unsigned char* const first = one.data();
  one = Bytes();
  const Bytes half(large / 2);
  EXPECT_EQ(half.data(), first);
  other = Bytes();
  const std::size_t before = address_space();
  const Bytes joined(large + large / 2);
  EXPECT_NEAR(static_cast<double>(address_space()), static_cast<double>(before), few_pages);
  EXPECT_TRUE(joined[large / 2] == 2 || joined[0] == 2);
}

TEST(Buffer, WhatWaitsGoesWithTheLastWhoAskedForIt) {
  const Bytes in_use(large);
  const std::size_t before = address_space();
  {
    const lofty::KeepMemory reuse;
    {
      const lofty::KeepMemory another;
      Bytes some(4 * large);
      some = Bytes();
    }
    EXPECT_GT(address_space(), before);
  }
  EXPECT_NEAR(static_cast<double>(address_space()), static_cast<double>(before), few_pages);
  Bytes some(4 * large);
  some = Bytes();
  EXPECT_NEAR(static_cast<double>(address_space()), static_cast<double>(before), few_pages)
      << "no caller wants it kept";
}

// Where the system has no room for more, all that waits is given up first.
TEST(Buffer, WhatWaitsMakesWayBeforeMemoryEnds) {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  GTEST_SKIP() << "a sanitizer has its own memory, which it does not limit so";
#endif
  constexpr std::size_t room = std::size_t{256} << 20;
  const lofty::KeepMemory reuse;
  rlimit before{};
  ASSERT_EQ(getrlimit(RLIMIT_AS, &before), 0);
  Bytes some(room);
  rlimit limit = before;
  limit.rlim_cur = address_space() + room / 2;
  some = Bytes();  // waits, and would be joined with fresh pages at another address
  ASSERT_EQ(setrlimit(RLIMIT_AS, &limit), 0);
  bool thrown = false;
  try {
    const Bytes larger(room + room / 4);
    thrown = larger.data() == nullptr;
  } catch (const std::bad_alloc&) {
    thrown = true;
  }
  bool too_large = false;
  try {
    const Bytes never(8 * room);
  } catch (const std::bad_alloc&) {
    too_large = true;
  }
  ASSERT_EQ(setrlimit(RLIMIT_AS, &before), 0);
  EXPECT_FALSE(thrown);
  EXPECT_TRUE(too_large);
}

TEST(Buffer, MovesWithItsMemory) {
  const lofty::KeepMemory reuse;
  Bytes a(large);
  a[5] = 42;
  Bytes b = std::move(a);
  a.allocate(large);
  a[5] = 1;
  EXPECT_EQ(b[5], 42);
}

// From a few bytes, which malloc() hands out, to more than a page: all begin with a line and are one's own.
TEST(Buffer, OfEverySizeBeginsWithALine) {
  std::vector<Bytes> all;
  for (std::size_t size = 0; size < 5000; size = size < 1100 ? size + 1 : size + 97) {
    all.emplace_back(size);
    EXPECT_EQ(reinterpret_cast<std::uintptr_t>(all.back().data()) % 64, 0u) << size;
    for (std::size_t i = 0; i < size; ++i) all.back()[i] = static_cast<unsigned char>(size + i);
  }
  for (const Bytes& one : all)
    for (std::size_t i = 0; i < one.size(); ++i) ASSERT_EQ(one[i], static_cast<unsigned char>(one.size() + i));
  all[7] = std::move(all[900]);
  EXPECT_EQ(all[7].size(), 900u);
  EXPECT_EQ(all[7][899], static_cast<unsigned char>(900 + 899));
}

// Several threads that take and give back never hold the same memory.
TEST(Buffer, ThreadsShareWhatWaits) {
  const lofty::KeepMemory reuse;
  std::vector<std::thread> threads;
  std::vector<int> wrong(4, 0);
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([t, &wrong] {
      for (int round = 0; round < 30; ++round) {
        const lofty::KeepMemory own;
        Buffer<int> numbers(large / sizeof(int));
        for (std::size_t i = 0; i < numbers.size(); i += 1024) numbers[i] = t * 1000 + round;
        for (std::size_t i = 0; i < numbers.size(); i += 1024)
          wrong[static_cast<std::size_t>(t)] += numbers[i] != t * 1000 + round;
      }
    });
  for (std::thread& thread : threads) thread.join();
  EXPECT_EQ(std::accumulate(wrong.begin(), wrong.end(), 0), 0);
}
