// Pages that wait for their next use, cut and joined.
#include "base/pages.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <random>
#include <vector>

using namespace lofty::engine;

namespace {

// Writes a number into every huge page, and reads it.
void mark(char* data, std::size_t size, char number) {
  for (std::size_t at = 0; at < size; at += huge_page) data[at] = number;
}
std::vector<char> marks(const char* data, std::size_t size) {
  std::vector<char> out;
  for (std::size_t at = 0; at < size; at += huge_page) out.push_back(data[at]);
  return out;
}

}  // namespace

TEST(MappedPages, BeginWithAHugePageAndAreClear) {
  for (const std::size_t pages : {1, 2, 7}) {
    char* const data = map_pages(pages * huge_page);
    ASSERT_NE(data, nullptr);
    EXPECT_EQ(reinterpret_cast<std::uintptr_t>(data) % huge_page, 0u);
    EXPECT_EQ(marks(data, pages * huge_page), std::vector<char>(pages, 0));
    unmap_pages(data, pages * huge_page);
  }
}

TEST(WaitingPages, ALargerRunIsCut) {
  WaitingPages waiting;
  char* const data = waiting.take(5 * huge_page);
  mark(data, 5 * huge_page, 7);
  waiting.add(data, 5 * huge_page);
  EXPECT_EQ(waiting.size(), 5 * huge_page);
  char *const first = waiting.take(2 * huge_page), *const second = waiting.take(3 * huge_page);
  EXPECT_EQ(first, data);
  EXPECT_EQ(second, data + 2 * huge_page);
  EXPECT_EQ(waiting.size(), 0u);
  waiting.add(second, 3 * huge_page);
  waiting.add(first, 2 * huge_page);
  EXPECT_EQ(waiting.take(5 * huge_page), data) << "neighbours are one again";
  unmap_pages(data, 5 * huge_page);
}

TEST(WaitingPages, TheSmallestRunThatIsLargeEnoughIsTaken) {
  WaitingPages waiting;
  char* const whole = waiting.take(12 * huge_page);
  waiting.add(whole, 5 * huge_page);
  waiting.add(whole + 6 * huge_page, 2 * huge_page);
  waiting.add(whole + 9 * huge_page, 3 * huge_page);
  EXPECT_EQ(waiting.take(2 * huge_page), whole + 6 * huge_page);
  EXPECT_EQ(waiting.take(2 * huge_page), whole + 9 * huge_page);
  EXPECT_EQ(waiting.take(4 * huge_page), whole);
  unmap_pages(whole, 12 * huge_page);
}

// Pages of several runs, which what was written in them tells, and fresh ones after them.
TEST(WaitingPages, SmallerRunsAreJoined) {
  WaitingPages waiting;
  char* const whole = waiting.take(8 * huge_page);
  for (int page = 0; page < 8; ++page)
    mark(whole + page * std::ptrdiff_t{huge_page}, huge_page, static_cast<char>(page + 1));
  waiting.add(whole + 1 * huge_page, huge_page);
  waiting.add(whole + 3 * huge_page, 2 * huge_page);
  waiting.add(whole + 7 * huge_page, huge_page);
  char* const joined = waiting.take(6 * huge_page);
  ASSERT_NE(joined, nullptr);
  EXPECT_EQ(waiting.size(), 0u);
  EXPECT_EQ(reinterpret_cast<std::uintptr_t>(joined) % huge_page, 0u);
  EXPECT_EQ(marks(joined, 6 * huge_page), (std::vector<char>{2, 4, 5, 8, 0, 0}));
  EXPECT_EQ(whole[0], 1);
  EXPECT_EQ(whole[2 * huge_page], 3);
  EXPECT_EQ(whole[5 * huge_page], 6);
  // Joined ones come and go as one, and can be cut and joined again.
  waiting.add(joined, 6 * huge_page);
  char* const part = waiting.take(4 * huge_page);
  EXPECT_EQ(marks(part, 4 * huge_page), (std::vector<char>{2, 4, 5, 8}));
  unmap_pages(part, 4 * huge_page);
  for (const int page : {0, 2, 5, 6}) unmap_pages(whole + page * std::ptrdiff_t{huge_page}, huge_page);
}

TEST(WaitingPages, NothingIsLostWhereTheSystemHasNoRoom) {
  WaitingPages waiting;
  char* const whole = waiting.take(4 * huge_page);
  mark(whole, 4 * huge_page, 9);
  waiting.add(whole, 4 * huge_page);
  EXPECT_EQ(waiting.take(std::size_t{1} << 60), nullptr);
  EXPECT_EQ(waiting.size(), 4 * huge_page);
  EXPECT_EQ(waiting.take(4 * huge_page), whole);
  EXPECT_EQ(marks(whole, 4 * huge_page), std::vector<char>(4, 9));
  unmap_pages(whole, 4 * huge_page);
}

// In whatever sequence memory is taken and given back: no other thread writes into what one holds, and no more pages
// were ever taken from the system than were in use at once.
RC_GTEST_PROP(WaitingPages, AreAsManyAsWereInUseAtOnce, ()) {
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint64_t>());
  struct Held {
    char* data;
    std::size_t size;
    char number;
  };
  std::vector<Held> held;
  WaitingPages waiting;
  std::size_t in_use = 0, most = 0;
  for (int step = 0; step < 60; ++step) {
    if (held.empty() || random() % 2 == 0) {
      const std::size_t size = (1 + random() % 6) * huge_page;
      char* const data = waiting.take(size);
      RC_ASSERT(data != nullptr);
      mark(data, size, static_cast<char>(step + 1));
      held.push_back({data, size, static_cast<char>(step + 1)});
      in_use += size;
      most = std::max(most, in_use);
    } else {
      std::swap(held[random() % held.size()], held.back());
      const Held one = held.back();
      held.pop_back();
      RC_ASSERT(marks(one.data, one.size) == std::vector<char>(one.size / huge_page, one.number));
      waiting.add(one.data, one.size);
      in_use -= one.size;
    }
    RC_ASSERT(in_use + waiting.size() == most);
  }
  for (const Held& one : held) waiting.add(one.data, one.size);
  RC_ASSERT(waiting.size() == most);
  waiting.release();
  RC_ASSERT(waiting.size() == 0u);
}
