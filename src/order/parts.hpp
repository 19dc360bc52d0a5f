#pragma once
// Numbering the rows of large tables by keys of which there are many.
// Covered by tests/order/text_numbers_test.cpp and tests/rank/sums_test.cpp.

#include <algorithm>
#include <bit>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "lofty/run.hpp"
#include "order/key_table.hpp"
#include "table/bucket_lines.hpp"
#include "table/buffer.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// How number_in_parts() cuts the rows.
struct Blocks {
  std::size_t chunk;        // rows that one thread packs at a time; at most 65,536
  std::size_t chunks = 64;  // of a block: the more rows, the less often a table is fetched from memory
};
template <class Entry>
constexpr Blocks usual_blocks{512 * 1024 / sizeof(Entry)};  // a chunk lies in half of a second-level cache

// Equal keys, equal numbers, dense and in the order of their first appearance: words[row] gets number + first, 0 where
// the key is missing; `first_rows` gets the first row of each number. Returns whether a key was missing.
//
// Keys are dealt out by their hash into parts whose tables fit a processor's cache; a part is one thread's at a time,
// so that no key is in two tables. A block of rows is packed, chunk by chunk, into lists by part; then each part
// numbers what is its own, in place; at last the numbers go back to where the rows lie. (A radix-partitioned hash
// aggregation, as in S. Manegold and others, "Optimizing main-memory join on modern hardware", 2002.) O(n), and room
// for one block besides: an entry and 2 bytes a row.
//
// Rows::Entry has tag(), 32 bits of its key's hash, and same(entry). rows.pack(begin, count, entries, missing) makes
// those of the rows [begin, begin + count), and sets missing[i], which is 0, where a row has no key.
template <class Rows>
bool number_in_parts(std::size_t size, const Blocks& blocks, const Rows& rows, std::uint32_t first, const Run& run,
                     std::uint32_t* words, std::vector<std::uint32_t>& first_rows) {
  using Entry = typename Rows::Entry;
  constexpr std::size_t parts = 128;
  constexpr std::uint8_t nobody = parts;
  const auto part_of = [](std::uint32_t tag) { return tag >> 25; };  // a slot goes by the low bits
  struct Part {
    KeyTable<Entry> entries;
    std::vector<std::uint32_t> first_rows;  // by number within the part
    std::vector<std::uint32_t> numbers;     // in the whole, by number within the part
  };
  std::vector<Part> all(parts);
  const std::size_t block_rows = blocks.chunk * blocks.chunks, room = std::min(size, block_rows);
  Buffer<Entry> packed(room);
  Buffer<std::uint16_t> row_of(room);                              // within the chunk, by place in `packed`
  std::vector<std::uint32_t> begins(blocks.chunks * (parts + 1));  // of each part's places in each chunk
  std::vector<std::uint64_t> is_first;
  std::vector<std::uint32_t> firsts_before;
  std::vector<std::uint8_t> missing(blocks.chunks, 0);
  Progress progress(run, size);
  first_rows.clear();
  for (std::size_t block = 0; block < size; block += block_rows) {
    const std::size_t in_block = std::min(block_rows, size - block),
                      chunks = (in_block + blocks.chunk - 1) / blocks.chunk;
    parallel_for(chunks, run, [&](std::size_t c) {
      const std::size_t from = c * blocks.chunk, count = std::min(blocks.chunk, in_block - from);
      progress.add(count);
      Buffer<Entry> entries(count);
      std::vector<std::uint8_t> whose(count, 0);
      rows.pack(block + from, count, entries.data(), whose.data());
      std::uint32_t next[parts + 1] = {};
      for (std::size_t i = 0; i < count; ++i) {
        whose[i] = whose[i] != 0 ? nobody : static_cast<std::uint8_t>(part_of(entries[i].tag()));
        ++next[whose[i]];
      }
      if (next[nobody] > 0) missing[c] = 1;
      auto sum = static_cast<std::uint32_t>(from);
      for (std::uint32_t& one : next) sum += std::exchange(one, sum);
      std::copy_n(next, parts + 1, begins.begin() + static_cast<std::ptrdiff_t>(c * (parts + 1)));
      const std::span<const std::uint32_t> own_begins(begins.data() + c * (parts + 1), parts + 1);
      BucketLines<Entry> lines(own_begins, packed.data());
      constexpr std::size_t lot = 256;
      std::uint32_t at[lot];
      for (std::size_t begin = 0; begin < count; begin += lot) {
        const std::size_t in_lot = std::min(lot, count - begin);
        for (std::size_t i = begin; i < begin + in_lot; ++i) {
          at[i - begin] = next[whose[i]]++;
          row_of[at[i - begin]] = static_cast<std::uint16_t>(i);
        }
        lines.put(whose.data() + begin, at, entries.data() + begin, in_lot);
      }
      for (std::size_t p = 0; p <= parts; ++p)
        if (next[p] != own_begins[p]) lines.finish(p, next[p]);
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
        const Entry* const later = packed.data() + places(p, std::min(c + 1, chunks - 1)).first;
        const std::uint16_t* const in_chunk = row_of.data() + begin;
        own.entries.number_all(packed.data() + begin, end - begin, later, [&](std::size_t i) {
          own.first_rows.push_back(static_cast<std::uint32_t>(block + c * blocks.chunk + in_chunk[i]));
        });
      }
    });
    // A key's number is how many first rows lie before its own: one bit a row, counted.
    is_first.assign((in_block + 63) / 64, 0);
    firsts_before.resize(is_first.size());
    std::size_t keys = first_rows.size();
    for (const Part& part : all) {
      keys += part.first_rows.size() - part.numbers.size();
      for (std::size_t i = part.numbers.size(); i < part.first_rows.size(); ++i) {
        const std::size_t row = part.first_rows[i] - block;
        is_first[row / 64] |= std::uint64_t{1} << row % 64;
      }
    }
    if (keys > first_rows.capacity()) first_rows.reserve(std::max(keys, 2 * first_rows.capacity()));
    for (std::size_t w = 0; w < is_first.size(); ++w) {
      firsts_before[w] = static_cast<std::uint32_t>(first_rows.size());
      for (std::uint64_t left = is_first[w]; left != 0; left &= left - 1)
        first_rows.push_back(
            static_cast<std::uint32_t>(block + w * 64 + static_cast<std::size_t>(std::countr_zero(left))));
    }
    parallel_for(parts, run, [&](std::size_t p) {
      Part& own = all[p];
      for (std::size_t i = own.numbers.size(); i < own.first_rows.size(); ++i) {
        const std::size_t row = own.first_rows[i] - block;
        const std::uint64_t earlier = is_first[row / 64] & ((std::uint64_t{1} << row % 64) - 1);
        own.numbers.push_back(firsts_before[row / 64] + static_cast<std::uint32_t>(std::popcount(earlier)) + first);
      }
      const std::uint32_t* const in_whole = own.numbers.data();
      for (std::size_t c = 0; c < chunks; ++c) {
        const auto [begin, end] = places(p, c);
        const NumbersOver numbers(packed.data() + begin),
            later(packed.data() + places(p, std::min(c + 1, chunks - 1)).first);
        for (std::size_t i = 0; i < end - begin; ++i) {
          if (i % NumbersOver::in_line == 0) later.ask_for(i);
          numbers.put(i, in_whole[numbers.get(i)]);
        }
      }
    });
    parallel_for(chunks, run, [&](std::size_t c) {
      std::uint32_t* const out = words + block + c * blocks.chunk;
      for (std::size_t p = 0; p < parts; ++p) {
        const auto [begin, end] = places(p, c);
        const NumbersOver numbers(packed.data() + begin), later(packed.data() + end);
        const std::uint16_t* const in_chunk = row_of.data() + begin;
        for (std::size_t i = 0; i < end - begin; ++i) {
          if (i % NumbersOver::in_line == 0) later.ask_for(i);
          out[in_chunk[i]] = numbers.get(i);
        }
      }
      const std::size_t keyless = places(parts - 1, c).second, end = std::min((c + 1) * blocks.chunk, in_block);
      for (std::size_t i = keyless; i < end; ++i) out[row_of[i]] = 0;
    });
  }
  progress.finish();
  return std::find(missing.begin(), missing.end(), 1) != missing.end();
}

}  // namespace lofty::engine
