#pragma once
// Equal texts, equal numbers: dense, and in the order of their first appearance.
// Covered by tests/order/text_numbers_test.cpp.

#include <algorithm>
#include <bit>
#include <cstdint>
#include <string_view>
#include <utility>
#include <vector>

#include "lofty/run.hpp"
#include "table/buffer.hpp"
#include "table/dictionary.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

struct TextNumbers {
  std::vector<std::string_view> texts;    // the distinct ones, by number; views of the caller's
  std::vector<std::uint32_t> first_rows;  // of each of them
  bool nulls = false;
};

namespace text_numbers {

inline constexpr std::size_t stretch = 64 * 1024;  // rows

// Threads number shares of the rows by themselves; then the later ones' texts are looked up in the first one's. The
// best where there are few texts: they are in everybody's cache.
template <class Text>
TextNumbers by_rows(std::size_t size, std::size_t shares, const Text& text, std::uint32_t first, const Run& run,
                    std::uint32_t* words) {
  struct Share {
    Dictionary dictionary{Dictionary::Texts::left};
    std::vector<std::uint32_t> first_rows;
    bool nulls = false;
  };
  std::vector<Share> all(shares);
  const auto begin_of = [&](std::size_t s) { return size * s / shares; };
  parallel_for(shares, run, [&](std::size_t s) {
    Share& own = all[s];
    for (std::size_t begin = begin_of(s); begin < begin_of(s + 1); begin += stretch) {
      check_stop(run);
      const std::size_t count = std::min(stretch, begin_of(s + 1) - begin);
      std::size_t seen = 0;
      own.dictionary.add_all(
          count, [&](std::size_t i) { return text(begin + i); },
          [&](std::size_t i, std::uint32_t number) {
            if (number == own.first_rows.size()) own.first_rows.push_back(static_cast<std::uint32_t>(begin + i));
            words[begin + i] = number + first;
            ++seen;
          });
      if (seen == count) continue;
      own.nulls = true;
      for (std::size_t i = begin; i < begin + count; ++i)
        if (text(i).data() == nullptr) words[i] = 0;
    }
  });
  TextNumbers whole;
  std::vector<std::vector<std::uint32_t>> word_of(shares);  // of the whole, by word of the share
  for (std::size_t s = 1; s < shares; ++s) {
    const std::vector<std::string_view>& texts = all[s].dictionary.values();
    word_of[s].assign(texts.size() + first, 0);
    all[0].dictionary.add_all(
        texts.size(), [&](std::size_t i) { return texts[i]; },
        [&](std::size_t i, std::uint32_t number) {
          if (number == all[0].first_rows.size()) all[0].first_rows.push_back(all[s].first_rows[i]);
          word_of[s][i + first] = number + first;
        });
  }
  parallel_for(shares - 1, run, [&](std::size_t before) {
    for (std::size_t i = begin_of(before + 1); i < begin_of(before + 2); ++i) words[i] = word_of[before + 1][words[i]];
  });
  for (const Share& share : all) whole.nulls = whole.nulls || share.nulls;
  whole.texts = all[0].dictionary.values();
  whole.first_rows = std::move(all[0].first_rows);
  return whole;
}

// A thread takes the texts that fall to it by their hash, so that no text is in two dictionaries. The best where there
// are many: nothing has to be looked up again, and the dictionaries together are no larger than one would be.
template <class Text>
TextNumbers by_hash(std::size_t size, std::size_t shares, const Text& text, std::uint32_t first, const Run& run,
                    std::uint32_t* words) {
  struct Share {
    std::vector<std::uint32_t> first_rows;  // by number within the share; later: the number in the whole
    std::vector<std::uint32_t> numbers;     // of the share's rows, in input order
    std::vector<std::size_t> before;        // how many of them lie before each stretch
  };
  constexpr std::uint8_t nobody = 0xff;
  std::vector<Share> all(shares);
  Buffer<std::uint8_t> share_of(size);
  const std::size_t stretches = (size + stretch - 1) / stretch;
  parallel_for(shares, run, [&](std::size_t s) {
    Share& own = all[s];
    Dictionary dictionary(Dictionary::Texts::left);
    dictionary.reserve(size / shares / 8);  // there are many
    own.first_rows.reserve(size / shares / 8);
    own.numbers.reserve(size / shares + size / 64);
    for (std::size_t at = 0; at < stretches; ++at) {
      check_stop(run);
      own.before.push_back(own.numbers.size());
      const bool notes = at % shares == s;  // somebody has to note whose rows they are
      constexpr std::size_t block = 1024;
      for (std::size_t begin = at * stretch; begin < std::min(size, (at + 1) * stretch); begin += block) {
        const std::size_t count = std::min({block, size - begin, (at + 1) * stretch - begin});
        std::uint32_t tags[block];
        std::uint16_t mine[block];
        std::size_t found = 0;
        for (std::size_t i = 0; i < count; ++i) {
          const std::string_view one = text(begin + i);
          tags[i] = Dictionary::tag_of(one);
          const std::size_t whose = one.data() == nullptr ? nobody : tags[i] * std::uint64_t{shares} >> 32;
          mine[found] = static_cast<std::uint16_t>(i);
          found += whose == s;
          if (notes) share_of[begin + i] = static_cast<std::uint8_t>(whose);
        }
        dictionary.add_all(
            found, [&](std::size_t m) { return text(begin + mine[m]); },
            [&](std::size_t m, std::string_view) { return tags[mine[m]]; },
            [&](std::size_t m, std::uint32_t number) {
              if (number == own.first_rows.size())
                own.first_rows.push_back(static_cast<std::uint32_t>(begin + mine[m]));
              own.numbers.push_back(number);
            });
      }
    }
  });
  // A text's number is how many first rows lie before its own: one bit a row, counted.
  std::vector<std::uint64_t> is_first((size + 63) / 64, 0);
  for (const Share& share : all)
    for (const std::uint32_t row : share.first_rows) is_first[row / 64] |= std::uint64_t{1} << row % 64;
  std::vector<std::uint32_t> firsts_before(is_first.size());
  TextNumbers whole;
  for (std::size_t w = 0; w < is_first.size(); ++w) {
    firsts_before[w] = static_cast<std::uint32_t>(whole.first_rows.size());
    for (std::uint64_t left = is_first[w]; left != 0; left &= left - 1)
      whole.first_rows.push_back(static_cast<std::uint32_t>(w * 64 + static_cast<std::size_t>(std::countr_zero(left))));
  }
  whole.texts.resize(whole.first_rows.size());
  parallel_for(shares, run, [&](std::size_t s) {
    for (std::uint32_t& row : all[s].first_rows) {
      const std::uint64_t earlier = is_first[row / 64] & ((std::uint64_t{1} << row % 64) - 1);
      const std::uint32_t number = firsts_before[row / 64] + static_cast<std::uint32_t>(std::popcount(earlier));
      whole.texts[number] = text(row);
      row = number;
    }
  });
  std::vector<std::uint8_t> nulls(stretches, 0);
  parallel_for(stretches, run, [&](std::size_t at) {
    std::vector<std::size_t> next;
    for (const Share& share : all) next.push_back(share.before[at]);
    for (std::size_t i = at * stretch; i < std::min(size, (at + 1) * stretch); ++i) {
      const std::size_t whose = share_of[i];
      if (whose == nobody) {
        words[i] = 0;
        nulls[at] = 1;
      } else {
        words[i] = all[whose].first_rows[all[whose].numbers[next[whose]++]] + first;
      }
    }
  });
  whole.nulls = std::find(nulls.begin(), nulls.end(), 1) != nulls.end();
  return whole;
}

// Is nearly every one of a few thousand rows' texts another one?
template <class Text>
bool many_distinct(std::size_t size, const Text& text) {
  constexpr std::size_t sample = 8 * 1024;
  Dictionary dictionary(Dictionary::Texts::left);
  dictionary.add_all(
      sample, [&](std::size_t i) { return text(size / sample * i); }, [](std::size_t, std::uint32_t) {});
  return dictionary.size() > sample / 8 * 7;
}

}  // namespace text_numbers

// Numbers the texts text(0), text(1), ...; `words` gets number + first for each. A text without data is null and gets
// 0, so that `first` is 1 where there may be some. O(n). Throws lofty::Error (stopped).
template <class Text>
TextNumbers number_texts(std::size_t size, const Text& text, std::uint32_t first, const Run& run,
                         std::uint32_t* words) {
  const std::size_t shares =
      size < rows_worth_threads ? 1 : std::min<std::size_t>(static_cast<std::size_t>(thread_count(run)), 255);
  if (shares > 1 && text_numbers::many_distinct(size, text))
    return text_numbers::by_hash(size, shares, text, first, run, words);
  return text_numbers::by_rows(size, shares, text, first, run, words);
}

}  // namespace lofty::engine
