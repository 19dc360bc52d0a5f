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

// How by_hash() cuts the rows.
struct Blocks {
  std::size_t chunk = 16 * 1024;  // rows that one thread packs at a time, in the second-level cache; at most 65,536
  std::size_t chunks = 128;       // of a block: the more rows, the less often a dictionary is fetched from memory
};

// Texts are dealt out by their hash into parts whose dictionaries fit a processor's cache; a part is one thread's at a
// time. The best where there are many: a look-up waits for the cache, not for memory, and no text is in two
// dictionaries. A block of rows is packed, chunk by chunk, into lists by part; then each part numbers what is its own;
// at last the numbers go back to where the rows lie. Room for one block besides: 38 bytes a row, 76 MiB at most.
template <class Text>
TextNumbers by_hash(std::size_t size, const Blocks& blocks, const Text& text, std::uint32_t first, const Run& run,
                    std::uint32_t* words) {
  constexpr std::size_t parts = 128;
  constexpr std::uint8_t nobody = parts;
  const auto part_of = [](std::uint32_t tag) { return tag >> 25; };  // a slot goes by the low bits
  struct Part {
    PackedNumbers texts;
    std::vector<std::uint32_t> first_rows;  // by number within the part
    std::vector<std::uint32_t> numbers;     // in the whole, by number within the part
  };
  std::vector<Part> all(parts);
  const std::size_t block_rows = blocks.chunk * blocks.chunks, room = std::min(size, block_rows);
  Buffer<PackedText> packed(room);
  Buffer<std::uint16_t> row_of(room);                              // within the chunk, by place in `packed`
  Buffer<std::uint32_t> number_of(room);                           // the same
  std::vector<std::uint32_t> begins(blocks.chunks * (parts + 1));  // of each part's places in each chunk
  std::vector<std::uint64_t> is_first;
  std::vector<std::uint32_t> firsts_before;
  std::vector<std::uint8_t> nulls(blocks.chunks, 0);
  TextNumbers whole;
  for (std::size_t block = 0; block < size; block += block_rows) {
    check_stop(run);
    const std::size_t rows = std::min(block_rows, size - block), chunks = (rows + blocks.chunk - 1) / blocks.chunk;
    parallel_for(chunks, run, [&](std::size_t c) {
      const std::size_t from = c * blocks.chunk, count = std::min(blocks.chunk, rows - from);
      std::vector<std::uint32_t> tags(count);
      std::vector<std::uint8_t> whose(count);
      std::uint32_t next[parts + 1] = {};
      for (std::size_t i = 0; i < count; ++i) {
        const std::string_view one = text(block + from + i);
        tags[i] = Dictionary::tag_of(one);
        whose[i] = one.data() == nullptr ? nobody : static_cast<std::uint8_t>(part_of(tags[i]));
        ++next[whose[i]];
      }
      if (next[nobody] > 0) nulls[c] = 1;
      auto sum = static_cast<std::uint32_t>(from);
      for (std::uint32_t& one : next) sum += std::exchange(one, sum);
      std::copy_n(next, parts + 1, begins.begin() + static_cast<std::ptrdiff_t>(c * (parts + 1)));
      for (std::size_t i = 0; i < count; ++i) {
        const std::size_t row = block + from + i;
        if (whose[i] == nobody) {
          words[row] = 0;
          continue;
        }
        const std::uint32_t at = next[whose[i]]++;
        packed[at].put(text(row), tags[i], static_cast<std::uint32_t>(row));
        row_of[at] = static_cast<std::uint16_t>(i);
      }
    });
    // The places that part `p` has in chunk `c`.
    const auto places = [&](std::size_t p, std::size_t c) {
      const std::uint32_t* const at = begins.data() + c * (parts + 1) + p;
      return std::pair<std::size_t, std::size_t>(at[0], at[1]);
    };
    parallel_for(parts, run, [&](std::size_t p) {
      Part& own = all[p];
      for (std::size_t c = 0; c < chunks; ++c) {
        const auto [begin, end] = places(p, c);
        const PackedText* const texts = packed.data() + begin;
        std::uint32_t* const numbers = number_of.data() + begin;
        const PackedText* const later = packed.data() + places(p, std::min(c + 1, chunks - 1)).first;
        own.texts.add_all(texts, end - begin, later, [&](std::size_t i, std::uint32_t number) {
          if (number == own.first_rows.size()) own.first_rows.push_back(texts[i].number);
          numbers[i] = number;
        });
      }
    });
    // A text's number is how many first rows lie before its own: one bit a row, counted.
    is_first.assign((rows + 63) / 64, 0);
    firsts_before.resize(is_first.size());
    for (const Part& part : all)
      for (std::size_t i = part.numbers.size(); i < part.first_rows.size(); ++i) {
        const std::size_t row = part.first_rows[i] - block;
        is_first[row / 64] |= std::uint64_t{1} << row % 64;
      }
    for (std::size_t w = 0; w < is_first.size(); ++w) {
      firsts_before[w] = static_cast<std::uint32_t>(whole.first_rows.size());
      for (std::uint64_t left = is_first[w]; left != 0; left &= left - 1)
        whole.first_rows.push_back(
            static_cast<std::uint32_t>(block + w * 64 + static_cast<std::size_t>(std::countr_zero(left))));
    }
    parallel_for(parts, run, [&](std::size_t p) {
      Part& own = all[p];
      for (std::size_t i = own.numbers.size(); i < own.first_rows.size(); ++i) {
        const std::size_t row = own.first_rows[i] - block;
        const std::uint64_t earlier = is_first[row / 64] & ((std::uint64_t{1} << row % 64) - 1);
        own.numbers.push_back(firsts_before[row / 64] + static_cast<std::uint32_t>(std::popcount(earlier)) + first);
      }
      for (std::size_t c = 0; c < chunks; ++c) {
        const auto [begin, end] = places(p, c);
        for (std::size_t i = begin; i < end; ++i) number_of[i] = own.numbers[number_of[i]];
      }
    });
    parallel_for(chunks, run, [&](std::size_t c) {
      std::uint32_t* const out = words + block + c * blocks.chunk;
      const std::size_t end = places(parts - 1, c).second;
      for (std::size_t i = places(0, c).first; i < end; ++i) out[row_of[i]] = number_of[i];
    });
  }
  whole.nulls = std::find(nulls.begin(), nulls.end(), 1) != nulls.end();
  resize_large(whole.texts, whole.first_rows.size());
  parallel_for(parts, run, [&](std::size_t p) {
    for (std::size_t i = whole.texts.size() * p / parts; i < whole.texts.size() * (p + 1) / parts; ++i)
      whole.texts[i] = text(whole.first_rows[i]);
  });
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
    return text_numbers::by_hash(size, {}, text, first, run, words);
  return text_numbers::by_rows(size, shares, text, first, run, words);
}

}  // namespace lofty::engine
