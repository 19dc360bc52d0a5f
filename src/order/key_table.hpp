#pragma once
// Distinct keys, numbered in the order of their first appearance: the one table for keys of a fixed size. Integers,
// pairs of them, and packed texts are such keys; texts that come one by one and have to be kept go into a Dictionary.
// Covered by tests/order/key_table_test.cpp.

#ifdef __SSE2__
#include <emmintrin.h>
#endif

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>
#include <span>
#include <utility>

#include "base/buffer.hpp"

namespace lofty::engine {

// Numbers written over the entries that they are of, closely packed: number i never reaches beyond the first bytes of
// entry i. Copied byte by byte, because two arrays of different types may not share memory for the compiler.
class NumbersOver {
 public:
  template <class Entry>
  explicit NumbersOver(Entry* entries) : bytes_(reinterpret_cast<unsigned char*>(entries)) {
    static_assert(sizeof(Entry) >= sizeof(std::uint32_t));
  }
  std::uint32_t get(std::size_t i) const {
    std::uint32_t number;
    std::memcpy(&number, bytes_ + i * sizeof number, sizeof number);
    return number;
  }
  static constexpr std::size_t in_line = 64 / sizeof(std::uint32_t);
  void ask_for(std::size_t i) const { __builtin_prefetch(bytes_ + i * sizeof(std::uint32_t)); }
  void put(std::size_t i, std::uint32_t number) const {
    std::memcpy(bytes_ + i * sizeof number, &number, sizeof number);
  }

 private:
  unsigned char* bytes_;
};

// Numbers different keys 0, 1, 2, ... as they come. A hash table of cache lines, at most half full: a line has room for
// eight keys, 16 bits of whose hashes are compared at once, so that a look-up hardly ever reads a second line or
// mispredicts a branch. Where a line is full, the next one is used.
//
// A key has tag(), 32 bits of its hash, and same(other). Const use is thread-safe.
template <class Entry>
class KeyTable {
 public:
  static constexpr std::uint32_t none = 0xffffffff;

  std::uint32_t size() const { return size_; }
  std::span<const Entry> keys() const { return {keys_.data(), size_}; }  // by number

  // The key's number; `none` where it has none.
  std::uint32_t find(const Entry& key) const {
    const std::uint32_t tag = key.tag();
    for (std::size_t at = tag & (lines_.size() - 1); size_ > 0; at = (at + 1) & (lines_.size() - 1)) {
      const std::uint32_t number = in_line_of(lines_[at], key, tag);
      if (number != none || lines_[at].where(0) != 0) return number;
    }
    return none;
  }
  // The key's number, a new one where it had none.
  std::uint32_t find_or_add(const Entry& key) {
    if (2 * (size_ + 1) > in_line * lines_.size()) grow();
    return find_or_add(key, key.tag());
  }

  // Puts each entry's number in its place; calls added(i) for those that got a new one, in the order of the numbers.
  // Those at `later` will be wanted next.
  template <class Added>
  void number_all(Entry* entries, std::size_t count, const Entry* later, const Added& added) {
    const NumbersOver numbers(entries);
    std::uint32_t tags[lot], likely[lot];
    for (std::size_t begin = 0; begin < count; begin += lot) {
      const std::size_t in_lot = std::min(lot, count - begin);
      while (2 * (size_ + in_lot) > in_line * lines_.size()) grow();
      const auto find = [&](std::size_t i) {
        const std::uint32_t before = size_, number = find_or_add(entries[begin + i], tags[i]);
        if (number == before) added(begin + i);
        return number;
      };
      // Addresses by value: as far as the compiler knows, what is written could be a part of this.
      const auto ask_for_lines = [&](std::size_t from) {
        for_block(from, in_lot,
                  [&, own = entries + begin, lines = lines_.data(), mask = lines_.size() - 1](std::size_t i) {
                    tags[i] = own[i].tag();
                    __builtin_prefetch(&lines[tags[i] & mask], 1);
                  });
        for (std::size_t i = from; i < std::min(from + block, in_lot); i += 64 / sizeof(Entry))
          __builtin_prefetch(later + begin + i);
      };
      const auto ask_for_keys = [&](std::size_t from) {
        for_block(from, in_lot,
                  [&, lines = lines_.data(), mask = lines_.size() - 1, keys = keys_.data()](std::size_t i) {
                    const Line& line = lines[tags[i] & mask];
                    likely[i] = line.numbers[std::countr_zero(line.where(mark_of(tags[i])) | last_place)];
                    __builtin_prefetch(&keys[likely[i]]);
                  });
      };
      const auto compare = [&](std::size_t from) {
        for_block(from, in_lot, [&, own = entries + begin, keys = keys_.data()](std::size_t i) {
          const std::uint32_t number = likely[i];
          numbers.put(begin + i, keys[number].same(own[i]) ? number : find(i));
        });
      };

      // Each step waits for memory that was prefetched a block or more before.
      ask_for_lines(0);
      // An unused place has the number 0, which is a key's from here on.
      if (size_ == 0) find(0);
      ask_for_lines(block);
      ask_for_keys(0);
      for (std::size_t from = 0; from < in_lot; from += block) {
        ask_for_lines(from + 2 * block);
        ask_for_keys(from + block);
        compare(from);
      }
    }
  }

 private:
  static constexpr std::size_t in_line = 8, lot = 256, block = 16;
  static constexpr unsigned last_place =
      1u << (in_line - 1);  // where nothing was found: countr_zero() stays within the line
  struct alignas(64) Line {
    std::uint16_t marks[in_line];  // of the keys' hashes; 0: no key
    std::uint32_t numbers[in_line];

    // One bit for each key with this mark.
    unsigned where(std::uint16_t mark) const {
#ifdef __SSE2__
      const __m128i all = _mm_load_si128(reinterpret_cast<const __m128i*>(marks));
      const __m128i same = _mm_cmpeq_epi16(all, _mm_set1_epi16(static_cast<std::int16_t>(mark)));
      return static_cast<unsigned>(_mm_movemask_epi8(_mm_packs_epi16(same, _mm_setzero_si128())));
#else
      unsigned same = 0;
      for (std::size_t i = 0; i < in_line; ++i) same |= (marks[i] == mark ? 1u : 0u) << i;
      return same;
#endif
    }
  };

  // A block at a time, nearly all of them whole: their number of rows is known to the compiler.
  template <class Step>
  static void for_block(std::size_t from, std::size_t end, const Step& step) {
    if (from + block <= end)
      for (std::size_t i = 0; i < block; ++i) step(from + i);
    else
      for (std::size_t i = from; i < end; ++i) step(i);
  }

  // Never 0. A line goes by the low bits of a tag, the part by the highest.
  static std::uint16_t mark_of(std::uint32_t tag) { return static_cast<std::uint16_t>(tag >> 9 | 1); }

  std::uint32_t in_line_of(const Line& line, const Entry& key, std::uint32_t tag) const {
    for (unsigned left = line.where(mark_of(tag)); left != 0; left &= left - 1) {
      const std::uint32_t number = line.numbers[std::countr_zero(left)];
      if (keys_[number].same(key)) return number;
    }
    return none;
  }
  [[gnu::noinline]] std::uint32_t find_or_add(const Entry& entry, std::uint32_t tag) {
    for (std::size_t at = tag & (lines_.size() - 1);; at = (at + 1) & (lines_.size() - 1)) {
      Line& line = lines_[at];
      if (const std::uint32_t number = in_line_of(line, entry, tag); number != none) return number;
      if (const unsigned unused = line.where(0); unused != 0) {
        put(line, unused, tag, size_);
        keys_[size_] = entry;
        return size_++;
      }
    }
  }
  static void put(Line& line, unsigned unused, std::uint32_t tag, std::uint32_t number) {
    line.marks[std::countr_zero(unused)] = mark_of(tag);
    line.numbers[std::countr_zero(unused)] = number;
  }
  [[gnu::noinline]] void grow() {
    // In large steps while it is small, then in such as don't leave most of it empty.
    const std::size_t size = lines_.size() == 0 ? 8 : lines_.size() * (lines_.size() < 16 * 1024 ? 4 : 2);
    lines_.allocate(size);
    std::fill_n(lines_.data(), size, Line{});
    const Buffer<Entry> keys = std::move(keys_);
    keys_.allocate(size * in_line / 2);
    std::copy_n(keys.data(), size_, keys_.data());
    for (std::uint32_t number = 0; number < size_; ++number) {
      const std::uint32_t tag = keys_[number].tag();
      std::size_t at = tag & (size - 1);
      while (lines_[at].where(0) == 0) at = (at + 1) & (size - 1);
      put(lines_[at], lines_[at].where(0), tag, number);
    }
  }

  Buffer<Line> lines_;
  Buffer<Entry> keys_;  // by number
  std::uint32_t size_ = 0;
};

}  // namespace lofty::engine
