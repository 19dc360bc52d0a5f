#pragma once
// Distinct texts, numbered in the order of their first appearance.
// Covered by tests/table/column_test.cpp.

#define XXH_INLINE_ALL  // hashing a short text takes less time than a call
#include <xxhash.h>

#include <bit>
#include <cstdint>
#include <cstring>
#include <memory>
#include <string_view>
#include <vector>

#include "base/buffer.hpp"

namespace lofty::engine {

// Bytes that never move: views into an arena live as long as it does.
class Arena {
 public:
  // Never without data, not even for an empty text: a view without data means null elsewhere.
  std::string_view keep(std::string_view text) {
    if (next_ == nullptr || text.size() > left_) grow(text.size());
    char* const at = next_;
    if (!text.empty()) std::memcpy(at, text.data(), text.size());
    next_ += text.size();
    left_ -= text.size();
    return {at, text.size()};
  }

 private:
  void grow(std::size_t least) {
    if (!blocks_.empty()) blocks_.back().may_leave_memory();
    std::size_t size = blocks_.size() < several_blocks ? block_size : large_block_size;
    if (least > size) size = least;
    blocks_.emplace_back(size);
    next_ = blocks_.back().data();
    left_ = size;
  }
  // Small enough that a chunk with a few distinct values costs little, large enough that allocation never shows; and
  // where there are many texts, large enough to leave memory.
  static constexpr std::size_t block_size = 16 * 1024, several_blocks = 256, large_block_size = 4 * 1024 * 1024;
  std::vector<Buffer<char>> blocks_;
  char* next_ = nullptr;
  std::size_t left_ = 0;
};

// Codes are dense: 0, 1, 2, ... Not thread-safe while it grows; const use is. Open addressing with linear probing, at
// most two thirds full. A slot has 32 bits of the hash, which say where the text belongs, however large the table is,
// and a short text's bytes themselves: one look-up then waits for memory once.
class Dictionary {
 public:
  static constexpr std::uint32_t none = 0xffffffff;

  std::uint32_t add(std::string_view text) {
    // Lines of a file often repeat the value of the line before.
    if (last_ != none && values_[last_] == text) return last_;
    return last_ = add(text, tag_of(text));
  }
  // `none` when the text does not occur.
  std::uint32_t find(std::string_view text) const { return find(text, tag_of(text)); }
  // 32 bits of a hash.
  static std::uint32_t tag_of(std::string_view text) {
    return static_cast<std::uint32_t>(XXH3_64bits(text.data(), text.size()) >> 32);
  }
  std::string_view text(std::uint32_t code) const { return values_[code]; }
  std::size_t size() const { return values_.size(); }
  const std::vector<std::string_view>& values() const { return values_; }

 private:
  struct alignas(32) Slot {
    static constexpr std::size_t short_size = 20;

    std::uint32_t tag, code, size;
    char bytes[short_size];  // of a longer text: where it is

    const char* far() const {
      const char* at;
      std::memcpy(&at, bytes, sizeof at);
      return at;
    }
    void put(std::string_view text) {
      size = static_cast<std::uint32_t>(text.size());
      const char* const at = text.data();
      if (text.size() > short_size)
        std::memcpy(bytes, &at, sizeof at);
      else if (!text.empty())
        std::memcpy(bytes, at, text.size());
    }
    bool holds(std::string_view text) const {
      if (size != text.size()) return false;
      return size > short_size ? std::memcmp(far(), text.data(), size) == 0 : same_short(bytes, text.data(), size);
    }
  };

  template <class Word>
  static Word differ(const char* a, const char* b) {
    Word x, y;
    std::memcpy(&x, a, sizeof x);
    std::memcpy(&y, b, sizeof y);
    return x ^ y;
  }
  // Words that overlap, instead of a loop: a call would cost more than the comparison.
  static bool same_short(const char* a, const char* b, std::size_t size) {
    static_assert(Slot::short_size <= 24);
    using U64 = std::uint64_t;
    using U32 = std::uint32_t;
    if (size > 16)
      return (differ<U64>(a, b) | differ<U64>(a + 8, b + 8) | differ<U64>(a + size - 8, b + size - 8)) == 0;
    if (size >= 8) return (differ<U64>(a, b) | differ<U64>(a + size - 8, b + size - 8)) == 0;
    if (size >= 4) return (differ<U32>(a, b) | differ<U32>(a + size - 4, b + size - 4)) == 0;
    for (std::size_t i = 0; i < size; ++i)
      if (a[i] != b[i]) return false;
    return true;
  }

  std::size_t mask() const { return slots_.size() - 1; }

  // The slot that has the text, or the free one where it would go.
  std::size_t place(std::string_view text, std::uint32_t tag) const {
    std::size_t at = tag & mask();
    while (slots_[at].code != none && !(slots_[at].tag == tag && slots_[at].holds(text))) at = (at + 1) & mask();
    return at;
  }
  std::uint32_t find(std::string_view text, std::uint32_t tag) const {
    return slots_.size() == 0 ? none : slots_[place(text, tag)].code;
  }
  std::uint32_t add(std::string_view text, std::uint32_t tag) {
    const std::uint32_t code = find(text, tag);
    return code != none ? code : add_new(text, tag);
  }
  [[gnu::noinline]] std::uint32_t add_new(std::string_view text, std::uint32_t tag) {
    // In large steps while it is small, then in such as don't leave most of it empty.
    if ((values_.size() + 1) * 3 > slots_.size() * 2)
      grow(slots_.size() == 0 ? 16 : slots_.size() * (slots_.size() < 16 * 1024 ? 4 : 2));
    Slot& slot = slots_[place(text, tag)];
    values_.push_back(arena_.keep(text));
    slot.tag = tag;
    slot.code = static_cast<std::uint32_t>(values_.size() - 1);
    slot.put(values_.back());
    return slot.code;
  }
  void grow(std::size_t to) {
    const Buffer<Slot> old = std::move(slots_);
    slots_.allocate(to);
    for (std::size_t i = 0; i < slots_.size(); ++i) slots_[i].code = none;
    for (const Slot& slot : old.view()) {
      if (slot.code == none) continue;
      std::size_t at = slot.tag & mask();
      while (slots_[at].code != none) at = (at + 1) & mask();
      slots_[at] = slot;
    }
  }

  Arena arena_;
  std::vector<std::string_view> values_;
  Buffer<Slot> slots_;
  std::uint32_t last_ = none;
};

}  // namespace lofty::engine
