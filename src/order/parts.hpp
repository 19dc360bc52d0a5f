#pragma once
// Numbering the rows of large tables by keys of which there are many.
// Covered by tests/order/text_numbers_test.cpp and tests/rank/sums_test.cpp.

#include <algorithm>
#include <bit>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "base/bucket_lines.hpp"
#include "base/buffer.hpp"
#include "base/parallel.hpp"
#include "lofty/run.hpp"
#include "order/key_table.hpp"

namespace lofty::engine {

// How number_in_parts() cuts the rows.
struct Blocks {
  std::size_t chunk;        // rows that one thread packs at a time; at most 65,536
  std::size_t chunks = 64;  // of a block: the more rows, the less often a table is fetched from memory
};
template <class Entry>
constexpr Blocks usual_blocks{512 * 1024 / sizeof(Entry)};  // a chunk fits half of a second-level cache

// The work of number_in_parts(), block by block.
template <class Rows>
class PartsNumbering {
  using Entry = typename Rows::Entry;

 public:
  PartsNumbering(std::size_t size, const Blocks& blocks, const Rows& rows, std::uint32_t first, const Run& run,
                 std::uint32_t* words, std::vector<std::uint32_t>& first_rows)
      : size_(size),
        blocks_(blocks),
        rows_(rows),
        first_(first),
        run_(run),
        words_(words),
        first_rows_(first_rows),
        all_(parts),
        packed_(room()),
        row_of_(room()),
        begins_(blocks.chunks * (parts + 1)),
        missing_(blocks.chunks, 0) {}

  // Whether a key was missing.
  bool number() {
    Progress progress(run_, size_);
    first_rows_.clear();
    for (block_ = 0; block_ < size_; block_ += block_rows()) {
      in_block_ = std::min(block_rows(), size_ - block_);
      chunks_ = (in_block_ + blocks_.chunk - 1) / blocks_.chunk;
      parallel_for(chunks_, run_, [&](std::size_t c) {
        deal(c);
        progress.add(rows_of(c));
      });
      parallel_for(parts, run_, [&](std::size_t p) { number_part(p); });
      find_first_rows();
      parallel_for(parts, run_, [&](std::size_t p) { number_in_whole(p); });
      parallel_for(chunks_, run_, [&](std::size_t c) { write_back(c); });
    }
    progress.finish();
    return std::find(missing_.begin(), missing_.end(), 1) != missing_.end();
  }

 private:
  static constexpr std::size_t parts = 128;
  static constexpr std::uint8_t nobody = parts;
  static std::uint8_t part_of(std::uint32_t tag) {  // a slot goes by the low bits
    return static_cast<std::uint8_t>(tag >> 25);
  }
  struct Part {
    KeyTable<Entry> entries;
    std::vector<std::uint32_t> first_rows;  // by number within the part
    std::vector<std::uint32_t> numbers;     // in the whole, by number within the part
  };

  std::size_t block_rows() const { return blocks_.chunk * blocks_.chunks; }
  std::size_t room() const { return std::min(size_, block_rows()); }
  std::size_t rows_of(std::size_t c) const { return std::min(blocks_.chunk, in_block_ - c * blocks_.chunk); }
  // The places that part `p` has in chunk `c`.
  std::pair<std::size_t, std::size_t> places(std::size_t p, std::size_t c) const {
    const std::uint32_t* const at = begins_.data() + c * (parts + 1) + p;
    return {at[0], at[1]};
  }

  // Packs the keys of a chunk, and lists them by part.
  void deal(std::size_t c) {
    const std::size_t from = c * blocks_.chunk, count = rows_of(c);
    Buffer<Entry> entries(count);
    std::vector<std::uint8_t> whose(count, 0);
    rows_.pack(block_ + from, count, entries.data(), whose.data());
    std::uint32_t next[parts + 1] = {};
    for (std::size_t i = 0; i < count; ++i) {
      whose[i] = whose[i] != 0 ? nobody : part_of(entries[i].tag());
      ++next[whose[i]];
    }
    if (next[nobody] > 0) missing_[c] = 1;
    auto sum = static_cast<std::uint32_t>(from);
    for (std::uint32_t& one : next) sum += std::exchange(one, sum);
    std::copy_n(next, parts + 1, begins_.begin() + static_cast<std::ptrdiff_t>(c * (parts + 1)));

    const std::span<const std::uint32_t> own_begins(begins_.data() + c * (parts + 1), parts + 1);
    BucketLines<Entry> lines(own_begins, packed_.data());
    constexpr std::size_t lot = 256;
    std::uint32_t at[lot];
    for (std::size_t begin = 0; begin < count; begin += lot) {
      const std::size_t in_lot = std::min(lot, count - begin);
      for (std::size_t i = begin; i < begin + in_lot; ++i) {
        at[i - begin] = next[whose[i]]++;
        row_of_[at[i - begin]] = static_cast<std::uint16_t>(i);
      }
      lines.put(whose.data() + begin, at, entries.data() + begin, in_lot);
    }
    for (std::size_t p = 0; p <= parts; ++p)
      if (next[p] != own_begins[p]) lines.finish(p, next[p]);
  }

  // Numbers the keys of a part, in place.
  void number_part(std::size_t p) {
    Part& own = all_[p];
    for (std::size_t c = 0; c < chunks_; ++c) {
      const auto [begin, end] = places(p, c);
      const Entry* const later = packed_.data() + places(p, std::min(c + 1, chunks_ - 1)).first;
      const std::size_t first_row = block_ + c * blocks_.chunk;
      const std::uint16_t* const in_chunk = row_of_.data() + begin;
      own.entries.number_all(packed_.data() + begin, end - begin, later, [&](std::size_t i) {
        own.first_rows.push_back(static_cast<std::uint32_t>(first_row + in_chunk[i]));
      });
    }
  }

  // A key's number is how many first rows come before its own: one bit a row, counted.
  void find_first_rows() {
    is_first_.assign((in_block_ + 63) / 64, 0);
    firsts_before_.resize(is_first_.size());
    std::size_t keys = first_rows_.size();
    for (const Part& part : all_) {
      keys += part.first_rows.size() - part.numbers.size();
      for (std::size_t i = part.numbers.size(); i < part.first_rows.size(); ++i) {
        const std::size_t row = part.first_rows[i] - block_;
        is_first_[row / 64] |= std::uint64_t{1} << row % 64;
      }
    }
    if (keys > first_rows_.capacity()) first_rows_.reserve(std::max(keys, 2 * first_rows_.capacity()));
    for (std::size_t w = 0; w < is_first_.size(); ++w) {
      firsts_before_[w] = static_cast<std::uint32_t>(first_rows_.size());
      for (std::uint64_t left = is_first_[w]; left != 0; left &= left - 1)
        first_rows_.push_back(
            static_cast<std::uint32_t>(block_ + w * 64 + static_cast<std::size_t>(std::countr_zero(left))));
    }
  }

  // From the numbers within a part to those in the whole, in place.
  void number_in_whole(std::size_t p) {
    Part& own = all_[p];
    for (std::size_t i = own.numbers.size(); i < own.first_rows.size(); ++i) {
      const std::size_t row = own.first_rows[i] - block_;
      const std::uint64_t earlier = is_first_[row / 64] & ((std::uint64_t{1} << row % 64) - 1);
      own.numbers.push_back(firsts_before_[row / 64] + static_cast<std::uint32_t>(std::popcount(earlier)) + first_);
    }
    const std::uint32_t* const in_whole = own.numbers.data();
    for (std::size_t c = 0; c < chunks_; ++c) {
      const auto [begin, end] = places(p, c);
      const NumbersOver numbers(packed_.data() + begin),
          later(packed_.data() + places(p, std::min(c + 1, chunks_ - 1)).first);
      for (std::size_t i = 0; i < end - begin; ++i) {
        if (i % NumbersOver::in_line == 0) later.ask_for(i);
        numbers.put(i, in_whole[numbers.get(i)]);
      }
    }
  }

  // Back to where the rows are.
  void write_back(std::size_t c) {
    std::uint32_t* const out = words_ + block_ + c * blocks_.chunk;
    for (std::size_t p = 0; p < parts; ++p) {
      const auto [begin, end] = places(p, c);
      const NumbersOver numbers(packed_.data() + begin), later(packed_.data() + end);
      const std::uint16_t* const in_chunk = row_of_.data() + begin;
      for (std::size_t i = 0; i < end - begin; ++i) {
        if (i % NumbersOver::in_line == 0) later.ask_for(i);
        out[in_chunk[i]] = numbers.get(i);
      }
    }
    const std::size_t keyless = places(parts - 1, c).second, end = c * blocks_.chunk + rows_of(c);
    for (std::size_t i = keyless; i < end; ++i) out[row_of_[i]] = 0;
  }

  const std::size_t size_;
  const Blocks blocks_;
  const Rows& rows_;
  const std::uint32_t first_;
  const Run& run_;
  std::uint32_t* const words_;
  std::vector<std::uint32_t>& first_rows_;

  std::vector<Part> all_;
  Buffer<Entry> packed_;               // of the block, by part within each chunk
  Buffer<std::uint16_t> row_of_;       // within the chunk, by place in packed_
  std::vector<std::uint32_t> begins_;  // of each part's places in each chunk
  std::vector<std::uint8_t> missing_;  // by chunk's number within its block
  std::vector<std::uint64_t> is_first_;
  std::vector<std::uint32_t> firsts_before_;
  std::size_t block_ = 0, in_block_ = 0, chunks_ = 0;  // the current block: its first row, its rows and chunks
};

// Equal keys, equal numbers, dense and in the order of their first appearance: words[row] gets number + first, 0 where
// the key is missing; `first_rows` gets the first row of each number. Returns whether a key was missing.
//
// Keys are distributed by their hash into parts whose tables fit a processor's cache; a part is one thread's at a time,
// so that no key is in two tables. A block of rows is packed, chunk by chunk, into lists by part; then each part
// numbers what is its own, in place; at last the numbers go back to where the rows are. (A radix-partitioned hash
// aggregation, as in S. Manegold and others, "Optimizing main-memory join on modern hardware", 2002.) O(n), and room
// for one block in addition: an entry and 2 bytes a row.
//
// Rows::Entry has tag(), 32 bits of its key's hash, and same(entry). rows.pack(begin, count, entries, missing) makes
// those of the rows [begin, begin + count), and sets missing[i], which is 0, where a row has no key.
template <class Rows>
bool number_in_parts(std::size_t size, const Blocks& blocks, const Rows& rows, std::uint32_t first, const Run& run,
                     std::uint32_t* words, std::vector<std::uint32_t>& first_rows) {
  return PartsNumbering<Rows>(size, blocks, rows, first, run, words, first_rows).number();
}

}  // namespace lofty::engine
