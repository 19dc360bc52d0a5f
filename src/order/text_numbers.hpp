#pragma once
// Equal texts, equal numbers: dense, and in the order of their first appearance.
// Covered by tests/order/text_numbers_test.cpp.

#include <algorithm>
#include <cstdint>
#include <span>
#include <string_view>
#include <utility>
#include <vector>

#include "base/buffer.hpp"
#include "base/large_vector.hpp"
#include "base/parallel.hpp"
#include "lofty/run.hpp"
#include "order/key_table.hpp"
#include "order/packed_texts.hpp"
#include "order/parts.hpp"

namespace lofty::engine {

struct TextNumbers {
  std::vector<std::uint32_t> first_rows;  // by number
  bool nulls = false;
};

namespace text_numbers {

// Threads number shares of the rows separately; then the later ones' texts are looked up in the first one's. The
// best where there are few texts: they are in every thread's cache.
template <class Packed, class Text>
TextNumbers by_rows(const RowRanges& shares, const Text& text, std::uint32_t first, const Run& run,
                    std::uint32_t* words) {
  struct Share {
    KeyTable<Packed> texts;
    std::vector<std::uint32_t> first_rows;
    bool nulls = false;
  };
  std::vector<Share> all(shares.count());
  Progress progress(run, shares[shares.count() - 1].end);
  parallel_for(shares, run, [&](const RowRange& rows, std::size_t s) {
    Share& own = all[s];
    constexpr std::size_t lot = 512, told = 128 * lot;
    Packed packed[lot];
    std::uint16_t at[lot];  // which row of the lot a text is of
    for (std::size_t begin = rows.begin; begin < rows.end; begin += lot) {
      if ((begin - rows.begin) % told == 0) progress.add(std::min(told, rows.end - begin));
      const std::size_t count = std::min(lot, rows.end - begin);
      std::size_t texts = 0;
      for (std::size_t i = 0; i < count; ++i) {
        const std::string_view one = text(begin + i);
        if (one.data() == nullptr) {
          words[begin + i] = 0;
          continue;
        }
        at[texts] = static_cast<std::uint16_t>(i);
        packed[texts++] = Packed(one);
      }
      own.nulls = own.nulls || texts < count;
      own.texts.number_all(packed, texts, packed,
                           [&](std::size_t i) { own.first_rows.push_back(static_cast<std::uint32_t>(begin + at[i])); });
      const NumbersOver numbers(packed);
      for (std::size_t i = 0; i < texts; ++i) words[begin + at[i]] = numbers.get(i) + first;
    }
  });

  // The later shares' texts in the first one's dictionary.
  TextNumbers whole;
  std::vector<std::vector<std::uint32_t>> word_of(shares.count());  // of the whole, by word of the share
  for (std::size_t s = 1; s < shares.count(); ++s) {
    const std::span<const Packed> keys = all[s].texts.keys();
    Buffer<Packed> texts(keys.size());
    std::ranges::copy(keys, texts.data());
    all[0].texts.number_all(texts.data(), keys.size(), texts.data(),
                            [&](std::size_t i) { all[0].first_rows.push_back(all[s].first_rows[i]); });
    word_of[s].assign(keys.size() + first, 0);
    for (std::size_t i = 0; i < keys.size(); ++i) word_of[s][i + first] = NumbersOver(texts.data()).get(i) + first;
  }

  // Their rows by the numbers of the whole.
  parallel_for(shares, run, [&](const RowRange& rows, std::size_t s) {
    if (s == 0) return;  // its numbers are those of the whole
    for (std::size_t i = rows.begin; i < rows.end; ++i) words[i] = word_of[s][words[i]];
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
  whole.nulls = number_in_parts(size, blocks, PackingTexts<Packed, Text>{text}, first, run, words, whole.first_rows);
  return whole;
}

// What as many rows say about all: whether ShortText holds most texts alone,
template <class Text>
bool mostly_short(std::size_t sample, std::size_t size, const Text& text) {
  std::size_t longer = 0;
  for (std::size_t i = 0; i < sample; ++i) longer += text(size * i / sample).size() > ShortText::most ? 1 : 0;
  return longer <= sample / 16;
}
// and whether nearly every one has another text.
template <class Text>
bool many_distinct(std::size_t sample, std::size_t size, const Text& text) {
  Buffer<PackedText> texts(sample);
  for (std::size_t i = 0; i < sample; ++i) texts[i] = PackedText(text(size * i / sample));
  KeyTable<PackedText> numbers;
  numbers.number_all(texts.data(), sample, texts.data(), [](std::size_t) {});
  return numbers.size() > sample / 8 * 7;
}

template <class Packed, class Text>
TextNumbers as_sampled(std::size_t size, const RowRanges& shares, const Text& text, std::uint32_t first, const Run& run,
                       std::uint32_t* words) {
  if (shares.count() > 1 && many_distinct(8 * 1024, size, text))
    return by_hash<Packed>(size, usual_blocks<Packed>, text, first, run, words);
  return by_rows<Packed>(shares, text, first, run, words);
}

}  // namespace text_numbers

// Numbers the texts text(0), text(1), ...; `words` gets number + first for each. A text without data is null and gets
// 0, so that `first` is 1 where there may be some. O(n). Throws lofty::Error (stopped).
template <class Text>
TextNumbers number_texts(std::size_t size, const Text& text, std::uint32_t first, const Run& run,
                         std::uint32_t* words) {
  const RowRanges shares = RowRanges::per_thread(size, run);
  return text_numbers::mostly_short(std::min<std::size_t>(size, 1024), size, text)
             ? text_numbers::as_sampled<ShortText>(size, shares, text, first, run, words)
             : text_numbers::as_sampled<PackedText>(size, shares, text, first, run, words);
}

// The distinct texts by number, where they are.
template <class Text>
std::vector<std::string_view> distinct_texts(const TextNumbers& numbers, const Text& text, const Run& run) {
  auto texts = large_vector<std::string_view>(numbers.first_rows.size(), run);
  parallel_for(RowRanges::fixed(texts.size()), run, [&](const RowRange& piece) {
    for (std::size_t i = piece.begin; i < piece.end; ++i) texts[i] = text(numbers.first_rows[i]);
  });
  return texts;
}

}  // namespace lofty::engine
