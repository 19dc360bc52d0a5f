// Memory that is spent: what lies in the file is what was written, wherever it lies.
#include "base/budget.hpp"

#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <numeric>
#include <thread>
#include <vector>

#include "base/buffer.hpp"
#include "base/kept_parts.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "lofty/memory.hpp"
#include "lofty/order.hpp"
#include "table/column.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

constexpr std::size_t mebi = 1024 * 1024;

Buffer<std::uint64_t> counted_up(std::size_t size, std::uint64_t from) {
  Buffer<std::uint64_t> out(size);
  std::iota(out.data(), out.data() + size, from);
  return out;
}
bool counts_up(const Buffer<std::uint64_t>& values, std::uint64_t from) {
  for (std::size_t i = 0; i < values.size(); ++i)
    if (values[i] != from + i) return false;
  return true;
}

// A limit by which so many bytes fit besides what is in memory already; the rest is for pages of the file.
std::uint64_t with_own(std::size_t more) {
  const Budget::Use use = Budget::shared().use();
  const std::int64_t others = Budget::looks_at_others ? use.others : 0;
  return (static_cast<std::uint64_t>(std::max<std::int64_t>(0, use.in_memory) + others) + more) / 11 * 16;
}

// While it lives only arrays count, so that which of them move can be foretold; a sanitizer's own memory is others'.
struct ArraysOnly {
  ArraysOnly() { Budget::looks_at_others = false; }
  ~ArraysOnly() { Budget::looks_at_others = true; }
};

TEST(Budget, WhatFitsStaysInMemory) {
  const MemoryLimit limit({.memory = with_own(64 * mebi)});
  const auto a = counted_up(mebi, 5);  // 8 MiB
  EXPECT_EQ(0U, Budget::shared().use().in_file);
  EXPECT_TRUE(counts_up(a, 5));
}

TEST(Budget, WhatDoesNotLiesInTheFileUntilItIsGivenBack) {
  const ArraysOnly only;
  const MemoryLimit limit({.memory = with_own(10 * mebi)});
  {
    const auto a = counted_up(mebi, 1);
    const auto b = counted_up(mebi, 2);
    const auto c = counted_up(mebi, 3);
    EXPECT_EQ(16 * mebi, Budget::shared().use().in_file);
    EXPECT_TRUE(counts_up(a, 1) && counts_up(b, 2) && counts_up(c, 3));
  }
  EXPECT_EQ(0U, Budget::shared().use().in_file);
  EXPECT_EQ(16 * mebi, Budget::shared().use().most_in_file);
}

TEST(Budget, TheOldestThatMayLeaveDoesAndKeepsItsAddress) {
  const ArraysOnly only;
  const MemoryLimit limit({.memory = with_own(20 * mebi)});
  const auto a = counted_up(mebi, 1);
  const auto b = counted_up(mebi, 2);
  a.may_leave_memory();
  b.may_leave_memory();
  const std::uint64_t* const there = a.data();
  const auto c = counted_up(mebi, 3);  // a has to leave
  EXPECT_EQ(8 * mebi, Budget::shared().use().in_file);
  EXPECT_EQ(there, a.data());
  EXPECT_TRUE(counts_up(a, 1) && counts_up(b, 2) && counts_up(c, 3));
}

TEST(Budget, ReadersDoNotNoticeThatAnArrayLeaves) {
  const MemoryLimit limit({.memory = with_own(40 * mebi)});
  std::vector<Buffer<std::uint64_t>> kept;
  kept.reserve(64);
  for (std::uint64_t i = 0; i < 4; ++i) kept.push_back(counted_up(mebi, i));
  for (const auto& one : kept) one.may_leave_memory();
  std::atomic<bool> done = false, right = true;
  std::thread reader([&] {
    while (!done)
      for (std::uint64_t i = 0; i < 4; ++i)
        if (!counts_up(kept[i], i)) right = false;
  });
  for (std::uint64_t i = 4; i < 12; ++i) {
    kept.push_back(counted_up(mebi, i));
    kept.back().may_leave_memory();
    Budget::shared().keep_to_limit();
  }
  done = true;
  reader.join();
  EXPECT_TRUE(right);
  EXPECT_LT(0U, Budget::shared().use().in_file);
  for (std::uint64_t i = 0; i < 12; ++i) EXPECT_TRUE(counts_up(kept[i], i));
}

TEST(Budget, TheLeastLimitCountsAndNoneWithoutARun) {
  const std::int64_t none = Budget::shared().use().limit;
  {
    const MemoryLimit large({.memory = 100 * mebi});
    EXPECT_EQ(100 * static_cast<std::int64_t>(mebi), Budget::shared().use().limit);
    {
      const MemoryLimit small({.memory = mebi}), usual({});
      EXPECT_EQ(static_cast<std::int64_t>(mebi), Budget::shared().use().limit);
    }
    EXPECT_EQ(100 * static_cast<std::int64_t>(mebi), Budget::shared().use().limit);
  }
  EXPECT_EQ(none, Budget::shared().use().limit);
  EXPECT_EQ(std::numeric_limits<std::int64_t>::max(), none);
}

TEST(Budget, MemoryThatWaitsIsGivenUpFirst) {
  const KeepMemory keep;
  const MemoryLimit limit({.memory = with_own(18 * mebi)});
  { const auto waits = counted_up(2 * mebi, 0); }  // 16 MiB
  const auto a = counted_up(mebi, 1);
  const auto b = counted_up(mebi, 2);
  EXPECT_EQ(0U, Budget::shared().use().in_file);
  EXPECT_TRUE(counts_up(a, 1) && counts_up(b, 2));
}

TEST(Budget, VectorsCount) {
  const ArraysOnly only;
  const std::int64_t before = Budget::shared().use().in_memory;
  const MemoryLimit limit({.memory = with_own(10 * mebi)});
  {
    std::vector<std::uint64_t> a(mebi, 7);
    EXPECT_LE(before + static_cast<std::int64_t>(8 * mebi), Budget::shared().use().in_memory);
    std::vector<std::uint64_t> b(mebi, 8);  // in the file
    EXPECT_LE(8 * mebi, Budget::shared().use().in_file);
    b.resize(2 * mebi, 9);
    EXPECT_EQ(8U, b[mebi - 1]);
    EXPECT_EQ(9U, b.back());
  }
  EXPECT_EQ(0U, Budget::shared().use().in_file);
  EXPECT_EQ(before, Budget::shared().use().in_memory);
}

TEST(Budget, PartsThatWaitLeaveBlockByBlock) {
  const ArraysOnly only;
  const MemoryLimit limit({.memory = with_own(10 * mebi)});
  KeptParts kept;
  std::vector<KeptParts::Part> parts;
  std::vector<unsigned char> bytes(50'001);
  for (int p = 0; p < 500; ++p) {  // 25 MB
    std::fill(bytes.begin(), bytes.end(), static_cast<unsigned char>(p));
    parts.push_back(kept.keep(bytes));
  }
  EXPECT_LE(12 * mebi, Budget::shared().use().in_file);
  for (int p = 0; p < 500; ++p)
    for (std::size_t i = 0; i < bytes.size(); i += 1000)
      ASSERT_EQ(static_cast<unsigned char>(p), parts[static_cast<std::size_t>(p)].data[i]);
  parts.clear();
  EXPECT_GE(4 * mebi, Budget::shared().use().in_file);  // the block that is being filled
}

TEST(Budget, AFolderThatIsNotThereIsSaid) {
  const MemoryLimit limit({.memory = 1, .spill_to = "/there is no such folder"});
  const std::int64_t before = Budget::shared().use().in_memory;
  try {
    const auto a = counted_up(mebi, 1);
    FAIL() << "it found a place";
  } catch (const Error& error) {
    EXPECT_EQ(Code::cannot_write, error.code());
    EXPECT_NE(std::string::npos, std::string(error.what()).find("/there is no such folder"));
  }
  EXPECT_EQ(before, Budget::shared().use().in_memory);
}

// A disk without room, as a limit on the size of files makes one.
TEST(Budget, ADiskWithoutRoomIsSaidAndNothingIsLost) {
  const ArraysOnly only;
  rlimit usual{};
  ASSERT_EQ(0, getrlimit(RLIMIT_FSIZE, &usual));
  std::signal(SIGXFSZ, SIG_IGN);
  const rlimit small{12 * mebi, usual.rlim_max};
  ASSERT_EQ(0, setrlimit(RLIMIT_FSIZE, &small));
  {
    const MemoryLimit limit({.memory = with_own(10 * mebi)});
    const auto a = counted_up(mebi, 1);
    const auto b = counted_up(mebi, 2);  // in the file
    a.may_leave_memory();
    EXPECT_THROW(counted_up(mebi, 3), Error);
    EXPECT_THROW(std::vector<std::uint64_t>{}.reserve(mebi), Error);
    EXPECT_EQ(nullptr, ::operator new(8 * mebi, std::nothrow));
    EXPECT_TRUE(counts_up(a, 1) && counts_up(b, 2));
    EXPECT_EQ(8 * mebi, Budget::shared().use().in_file);
  }
  ASSERT_EQ(0, setrlimit(RLIMIT_FSIZE, &usual));
  std::signal(SIGXFSZ, SIG_DFL);
  EXPECT_EQ(0U, Budget::shared().use().in_file);
}

TEST(Budget, AFileThatIsGoneLeavesNoName) {
  const auto folder = std::filesystem::temp_directory_path() / "lofty_budget_test";
  std::filesystem::create_directories(folder);
  {
    const MemoryLimit limit({.memory = 1, .spill_to = folder.string()});
    const auto a = counted_up(mebi, 1);
    EXPECT_EQ(folder.string(), Budget::shared().use().folder);
    EXPECT_TRUE(std::filesystem::is_empty(folder));
  }
  std::filesystem::remove_all(folder);
}

// What a child process gives back, or makes, is its own: the file is its parent's.
TEST(Budget, AChildProcessLeavesTheFileAlone) {
#ifdef __SANITIZE_THREAD__
  GTEST_SKIP() << "the thread sanitizer ends a child process that starts a thread";
#endif
  const ArraysOnly only;
  const MemoryLimit limit({.memory = with_own(10 * mebi)});
  const auto a = counted_up(mebi, 1);
  auto b = counted_up(mebi, 2);  // in the file
  ASSERT_EQ(8 * mebi, Budget::shared().use().in_file);
  const pid_t child = ::fork();
  if (child == 0) {
    b.allocate(1);
    const auto own = counted_up(mebi, 3), more = counted_up(mebi, 4);
    ::_exit(counts_up(a, 1) && counts_up(own, 3) && counts_up(more, 4) ? 0 : 1);
  }
  int status = -1;
  ASSERT_EQ(child, ::waitpid(child, &status, 0));
  EXPECT_EQ(0, status);
  EXPECT_TRUE(counts_up(b, 2));
  const auto c = counted_up(mebi, 5);
  EXPECT_TRUE(counts_up(b, 2) && counts_up(c, 5));
}

TEST(Budget, LettingGoOfAPartLosesNothing) {
  const ArraysOnly only;
  Buffer<std::uint64_t> a, in_file;
  {
    const MemoryLimit limit({.memory = with_own(10 * mebi)});
    a = counted_up(mebi, 1);
    in_file = counted_up(mebi, 2);
    ASSERT_EQ(8 * mebi, Budget::shared().use().in_file);
  }
  const MemoryLimit wide({.memory = 4096 * mebi});  // nothing else is let go of
  for (const auto* const array : {&a, &in_file}) {
    const std::uint64_t* const data = array->data();
    for (const std::size_t begin : {std::size_t{0}, std::size_t{12345}, mebi - 10})
      for (const std::size_t size : {std::size_t{1}, std::size_t{10}, mebi})
        Budget::shared().let_go(data + begin, size * 8);
    Budget::shared().let_go(data - 100, 50);
    EXPECT_TRUE(counts_up(*array, array == &a ? 1 : 2));
  }
#if !defined(__SANITIZE_THREAD__) && !defined(__SANITIZE_ADDRESS__)  // what they note for every byte is resident too
  const auto pages_of_files = [] {
    std::size_t mapped = 0, resident = 0, of_files = 0;
    std::ifstream("/proc/self/statm") >> mapped >> resident >> of_files;
    return of_files;
  };
  const std::size_t fetched = pages_of_files();  // the whole array was looked at
  Budget::shared().let_go(in_file.data(), 8 * mebi);
  EXPECT_GT(fetched, pages_of_files() + 1024) << "pages of 4 KiB";
#endif
  std::uint64_t elsewhere = 7;
  Budget::shared().let_go(&elsewhere, sizeof elsewhere);
  EXPECT_EQ(7U, elsewhere);
}

// The process keeps to its limit, whatever is fetched from the file again.
TEST(Budget, WhatIsFetchedIsLetGoOf) {
  const MemoryLimit limit({.memory = with_own(40 * mebi)});
  std::vector<Buffer<std::uint64_t>> kept;
  for (std::uint64_t i = 0; i < 40; ++i) {  // 320 MiB
    kept.push_back(counted_up(mebi, i));
    kept.back().may_leave_memory();
    check_stop({});
  }
  rusage before{}, after{};
  getrusage(RUSAGE_SELF, &before);
  for (int round = 0; round < 3; ++round)
    for (std::uint64_t i = 0; i < kept.size(); ++i) {
      ASSERT_TRUE(counts_up(kept[i], i));
      check_stop({});
    }
  getrusage(RUSAGE_SELF, &after);
#ifndef __SANITIZE_THREAD__  // what it notes for every byte is resident too
  EXPECT_GT(64 * 1024, after.ru_maxrss - before.ru_maxrss) << "KiB";
#endif
}

}  // namespace
