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
#include "order/packed_texts.hpp"
#include "order/parts.hpp"
#include "table/buffer.hpp"
#include "table/dictionary.hpp"
#include "table/large_vector.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

struct TextNumbers {
  std::vector<std::uint32_t> first_rows;  // by number
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
  whole.first_rows = std::move(all[0].first_rows);
  return whole;
}

template <class Packed, class Text>
struct PackingTexts {
  using Entry = Packed;
  const Text& text;
  void pack(std::size_t begin, std::size_t count, Packed* out, std::uint8_t* missing) const {
    for (std::size_t i = 0; i < count; ++i) {
      const std::string_view one = text(begin + i);
      missing[i] = one.data() == nullptr ? 1 : 0;
      out[i] = Packed(one);
    }
  }
};

// The best where there are many: a look-up waits for the cache, not for memory, and no text is in two dictionaries.
template <class Packed, class Text>
TextNumbers by_hash(std::size_t size, const Blocks& blocks, const Text& text, std::uint32_t first, const Run& run,
                    std::uint32_t* words) {
  TextNumbers whole;
  const Run quiet{.threads = run.threads, .stop = run.stop};  // a table may have several columns of texts
  whole.nulls = number_in_parts(size, blocks, PackingTexts<Packed, Text>{text}, first, quiet, words, whole.first_rows);
  return whole;
}

// What a few thousand rows say about all.
struct Sample {
  bool many_distinct = false;  // nearly every one has another text
  bool mostly_short = false;   // as ShortText holds them by itself
};
template <class Text>
Sample sample_of(std::size_t size, const Text& text) {
  constexpr std::size_t sample = 8 * 1024;
  std::size_t longer = 0;
  Dictionary dictionary(Dictionary::Texts::left);
  dictionary.add_all(
      sample,
      [&](std::size_t i) {
        const std::string_view one = text(size / sample * i);
        longer += one.size() > ShortText::most ? 1 : 0;
        return one;
      },
      [](std::size_t, std::uint32_t) {});
  return {dictionary.size() > sample / 8 * 7, longer <= sample / 16};
}

}  // namespace text_numbers

// Numbers the texts text(0), text(1), ...; `words` gets number + first for each. A text without data is null and gets
// 0, so that `first` is 1 where there may be some. O(n). Throws lofty::Error (stopped).
template <class Text>
TextNumbers number_texts(std::size_t size, const Text& text, std::uint32_t first, const Run& run,
                         std::uint32_t* words) {
  const std::size_t shares =
      size < rows_worth_threads ? 1 : std::min<std::size_t>(static_cast<std::size_t>(thread_count(run)), 255);
  if (shares > 1) {
    const text_numbers::Sample sample = text_numbers::sample_of(size, text);
    if (sample.many_distinct && sample.mostly_short)
      return text_numbers::by_hash<ShortText>(size, usual_blocks<ShortText>, text, first, run, words);
    if (sample.many_distinct)
      return text_numbers::by_hash<PackedText>(size, usual_blocks<PackedText>, text, first, run, words);
  }
  return text_numbers::by_rows(size, shares, text, first, run, words);
}

// The distinct texts by number, where they lie.
template <class Text>
std::vector<std::string_view> distinct_texts(const TextNumbers& numbers, const Text& text, const Run& run) {
  auto texts = large_vector<std::string_view>(numbers.first_rows.size(), run);
  constexpr std::size_t pieces = 64;
  parallel_for(pieces, Run{.threads = run.threads, .stop = run.stop}, [&](std::size_t p) {
    for (std::size_t i = texts.size() * p / pieces; i < texts.size() * (p + 1) / pieces; ++i)
      texts[i] = text(numbers.first_rows[i]);
  });
  return texts;
}

}  // namespace lofty::engine
