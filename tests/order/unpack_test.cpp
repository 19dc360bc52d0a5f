// What sorted words say, word by word, around the widths of vectors.
#include "order/unpack.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <vector>

#include "order/sort.hpp"
#include "support/vectors.hpp"

using namespace lofty::engine;

namespace {

std::uint8_t plain_mark(std::uint64_t before, std::uint64_t here, const WordMeaning& m, bool first) {
  const std::uint64_t key = m.base + (here >> m.row_bits), different = key ^ (m.base + (before >> m.row_bits));
  std::uint8_t mark = (key & m.unranked) == 0 ? OrderData::is_ranked : 0;
  if (first) return mark;
  if ((different & m.group) != 0) mark |= OrderData::group_start;
  if ((different & m.peer) != 0) mark |= OrderData::peer_start;
  if ((different & m.key) != 0) mark |= OrderData::key_start;
  return mark;
}

}  // namespace

namespace {

void say_rows_and_borders() {
  std::mt19937_64 random(11);
  for (std::size_t count = 1; count < 150; ++count)
    for (const int row_bits : {1, 7, 24, 32}) {
      WordMeaning m{.base = random() >> 40, .row_bits = row_bits};
      m.key = (std::uint64_t{1} << 6) - 1;
      m.peer = m.key & ~std::uint64_t{3};
      m.group = m.key & ~std::uint64_t{15};
      m.unranked = count % 3 == 0 ? 0 : 8;
      std::vector<std::uint64_t> words(count);
      for (auto& word : words) word = (random() % 64) << row_bits | (random() & ((std::uint64_t{1} << row_bits) - 1));
      std::sort(words.begin(), words.end());
      // Guards on both sides of the outputs.
      std::vector<std::uint32_t> rows(count + 2, 0xabcdabcd);
      std::vector<std::uint8_t> marks(count + 2, 0xee);
      unpack(words.data(), count, m, rows.data() + 1, marks.data() + 1);
      EXPECT_EQ(rows.front(), 0xabcdabcd);
      EXPECT_EQ(rows.back(), 0xabcdabcd);
      EXPECT_EQ(marks.front(), 0xee);
      EXPECT_EQ(marks.back(), 0xee);
      for (std::size_t i = 0; i < count; ++i) {
        ASSERT_EQ(rows[i + 1], words[i] & ((std::uint64_t{1} << row_bits) - 1)) << i << " of " << count;
        ASSERT_EQ(marks[i + 1], plain_mark(i == 0 ? 0 : words[i - 1], words[i], m, i == 0)) << i << " of " << count;
      }
    }
}

}  // namespace

TEST(Unpack, SaysRowsAndBordersOfEveryWord) { with_all_vectors(say_rows_and_borders); }

// No words: nothing is written, also next to where something could be.
TEST(Unpack, NothingIsNothing) {
  std::uint32_t row = 77;
  std::uint8_t mark = 88;
  const std::uint64_t word = 5;
  unpack(&word, 0, {.row_bits = 3}, &row, &mark);
  EXPECT_EQ(row, 77u);
  EXPECT_EQ(mark, 88);
}
