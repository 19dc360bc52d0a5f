// Numbers of texts, against a map: however rows are shared between threads, the numbers follow the first appearance.
#include "order/text_numbers.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <map>
#include <ostream>
#include <random>
#include <string>

#include "lofty/error.hpp"

namespace lofty::engine {
namespace {

struct Case {
  std::size_t size, distinct, longest;
  bool nulls;
  friend void PrintTo(const Case& c, std::ostream* out) {
    *out << c.size << "_rows_" << c.distinct << "_texts" << (c.nulls ? "_and_nulls" : "");
  }
};

std::vector<std::string> words_of(const Case& c, std::mt19937& random) {
  std::vector<std::string> words;
  for (std::size_t i = 0; i < c.distinct; ++i) {
    // Texts that differ in one place only, of every length up to the longest; some begin like others.
    std::string text(random() % (c.longest + 1), 'x');
    const std::string number = std::to_string(i);
    if (text.size() > number.size()) text.replace(random() % (text.size() - number.size()), number.size(), number);
    words.push_back(text);
  }
  return words;
}

class TextNumbersOf : public ::testing::TestWithParam<Case> {};

TEST_P(TextNumbersOf, FollowTheFirstAppearance) {
  const Case c = GetParam();
  std::mt19937 random(7);
  const std::vector<std::string> words = words_of(c, random);
  std::vector<const std::string*> column(c.size, nullptr);
  for (auto& text : column)
    if (!c.nulls || random() % 5 != 0) text = &words[random() % words.size()];
  const auto text = [&](std::size_t i) {
    return column[i] == nullptr ? std::string_view() : std::string_view(*column[i]);
  };

  std::map<std::string_view, std::uint32_t> seen;
  std::vector<std::uint32_t> words_expected, firsts;
  for (std::size_t i = 0; i < c.size; ++i) {
    if (column[i] == nullptr) {
      words_expected.push_back(0);
      continue;
    }
    const auto [at, added] = seen.emplace(*column[i], static_cast<std::uint32_t>(seen.size()));
    if (added) firsts.push_back(static_cast<std::uint32_t>(i));
    words_expected.push_back(at->second + 1);
  }
  const auto check = [&](const TextNumbers& numbers, const std::vector<std::uint32_t>& words_found) {
    EXPECT_EQ(words_found, words_expected);
    EXPECT_EQ(numbers.first_rows, firsts);
    EXPECT_EQ(numbers.nulls, std::find(column.begin(), column.end(), nullptr) != column.end());
    const std::vector<std::string_view> texts = distinct_texts(numbers, text, {});
    ASSERT_EQ(texts.size(), firsts.size());
    for (std::size_t i = 0; i < firsts.size(); ++i) EXPECT_EQ(texts[i], *column[firsts[i]]);
  };
  std::vector<std::uint32_t> found(c.size);
  for (const std::size_t count : {1, 2, 3, 8}) {
    const RowRanges shares = RowRanges::costly(c.size, c.size / count + 1);
    SCOPED_TRACE(shares.count());
    check(text_numbers::by_rows<ShortText>(shares, text, 1, {}, found.data()), found);
    check(text_numbers::by_rows<PackedText>(shares, text, 1, {}, found.data()), found);
  }
  // In one block, in several, in many of which the last is not full.
  for (const Blocks blocks : {usual_blocks<PackedText>, {1024, 40}, {100, 3}}) {
    SCOPED_TRACE(blocks.chunk);
    check(text_numbers::by_hash<ShortText>(c.size, blocks, text, 1, {}, found.data()), found);
    check(text_numbers::by_hash<PackedText>(c.size, blocks, text, 1, {.threads = 5}, found.data()), found);
  }
  check(number_texts(c.size, text, 1, {}, found.data()), found);
}

INSTANTIATE_TEST_SUITE_P(Shapes, TextNumbersOf,
                         ::testing::Values(Case{0, 1, 0, false}, Case{1, 1, 3, false}, Case{5, 2, 1, true},
                                           Case{3'000, 40, 12, true}, Case{70'000, 20'000, 24, false},
                                           Case{70'000, 60'000, 60, true}, Case{130'000, 200'000, 19, false},
                                           Case{130'000, 10, 30, true}),
                         ::testing::PrintToStringParamName());

TEST(TextNumbers, ASampleTellsWhetherThereAreManyAndShortOnes) {
  const auto number = [](std::size_t i) { return std::to_string(i); };
  std::vector<std::string> all, few, some_long, long_ones;
  for (std::size_t i = 0; i < 120'000; ++i) {
    all.push_back(number(i));
    few.push_back(number(i % 300));
    long_ones.push_back("a text of more than a few bytes: " + number(i));
    some_long.push_back(i % 20 == 0 ? long_ones.back() : number(i));
  }
  const auto many_short = [](const std::vector<std::string>& texts) {
    const auto text = [&](std::size_t i) { return std::string_view(texts[i]); };
    return std::pair(text_numbers::many_distinct(8 * 1024, texts.size(), text),
                     text_numbers::mostly_short(1024, texts.size(), text));
  };
  EXPECT_EQ(many_short(all), std::pair(true, true));
  EXPECT_EQ(many_short(few), std::pair(false, true));
  EXPECT_EQ(many_short(long_ones), std::pair(true, false));
  EXPECT_TRUE(many_short(some_long).first);
}

// Of every length around the borders, and such as begin or end alike.
TEST(TextNumbers, PackedTextsAreComparedWhole) {
  const std::vector<std::string> texts = {"",
                                          "a",
                                          "b",
                                          "ab",
                                          std::string("a\0", 2),
                                          std::string("\0a", 2),
                                          "12345678",
                                          "123456789",
                                          "123456789012345",
                                          "1234567890123456",
                                          "1234567890123457",
                                          "123456789012345678901234",
                                          "1234567890123456789012345",
                                          "1234567890123456789012346",
                                          std::string(300, 'x'),
                                          std::string(301, 'x')};
  for (const std::string& a : texts)
    for (const std::string& b : texts) {
      const std::string copy = b;  // elsewhere in memory
      EXPECT_EQ(ShortText(a).same(ShortText(copy)), a == b) << a << " and " << b;
      EXPECT_EQ(PackedText(a).same(PackedText(copy)), a == b) << a << " and " << b;
      if (a == b) {
        EXPECT_EQ(ShortText(a).tag(), ShortText(copy).tag());
        EXPECT_EQ(PackedText(a).tag(), PackedText(copy).tag());
      }
    }
}

// Long texts of one length whose 24 bits of the hash are the same, so that only their bytes tell them apart. Among so
// many there are some eight pairs.
TEST(TextNumbers, LongTextsWithOneHashAreToldApart) {
  std::map<std::uint32_t, std::string> seen;
  std::size_t pairs = 0;
  for (int i = 0; i < 16'384; ++i) {
    const std::string text = "a text of some length " + std::to_string(100'000 + i);
    const auto [other, added] = seen.emplace(Dictionary::tag_of(text) >> 8, text);
    if (added) continue;
    ++pairs;
    EXPECT_EQ(ShortText(text).tag(), ShortText(other->second).tag());
    EXPECT_FALSE(ShortText(text).same(ShortText(other->second))) << text << " and " << other->second;
  }
  EXPECT_GT(pairs, 0u);
}

TEST(TextNumbers, StopIsHeard) {
  const std::vector<std::string> texts(200'000, "a");
  std::stop_source stop;
  stop.request_stop();
  std::vector<std::uint32_t> found(texts.size());
  const auto text = [&](std::size_t i) { return std::string_view(texts[i]); };
  const lofty::Run run{.stop = stop.get_token()};
  EXPECT_THROW(text_numbers::by_rows<ShortText>(RowRanges::costly(texts.size(), 100'000), text, 0, run, found.data()),
               Error);
  EXPECT_THROW(text_numbers::by_hash<ShortText>(texts.size(), usual_blocks<ShortText>, text, 0, run, found.data()),
               Error);
}

}  // namespace
}  // namespace lofty::engine
