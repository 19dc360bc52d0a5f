#pragma once
// Distinct texts, numbered in the order of their first appearance.
// Covered by tests/table/column_test.cpp.

#include <xxhash.h>

#include <cstdint>
#include <cstring>
#include <memory>
#include <string_view>
#include <vector>

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
    const std::size_t size = least > block_size ? least : block_size;
    blocks_.push_back(std::make_unique<char[]>(size));
    next_ = blocks_.back().get();
    left_ = size;
  }
  // Small enough that a chunk with a few distinct values costs little, large enough that allocation never shows.
  static constexpr std::size_t block_size = 16 * 1024;
  std::vector<std::unique_ptr<char[]>> blocks_;
  char* next_ = nullptr;
  std::size_t left_ = 0;
};

// Codes are dense: 0, 1, 2, ... Not thread-safe while it grows; const use is. Open addressing with linear probing, at
// most two thirds full; a slot has 32 bits of the hash, which say where the text belongs, however large the table is,
// and spare nearly every comparison of different texts.
class Dictionary {
 public:
  static constexpr std::uint32_t none = 0xffffffff;

  std::uint32_t add(std::string_view text) {
    // Lines of a file often repeat the value of the line before.
    if (last_ != none && values_[last_] == text) return last_;
    return last_ = add(text, tag_of(text));
  }
  // The same for many texts, `work(i, code)` after each: while one is compared, what the next ones will need is on its
  // way from memory. `text(i)` gives text i; one without data is left out.
  template <class Text, class Work>
  void add_all(std::size_t count, const Text& text, const Work& work) {
    constexpr std::size_t block = 32;
    std::uint32_t tags[block], likely[block];
    for (std::size_t begin = 0; begin < count; begin += block) {
      const std::size_t size = begin + block < count ? block : count - begin;
      for (std::size_t i = begin + block; i < begin + 2 * block && i < count; ++i) __builtin_prefetch(text(i).data());
      for (std::size_t i = 0; i < size; ++i) {
        tags[i] = tag_of(text(begin + i));
        if (!slots_.empty()) __builtin_prefetch(&slots_[tags[i] & mask()]);
      }
      for (std::size_t i = 0; i < size; ++i) {
        likely[i] = with_tag(tags[i]);
        if (likely[i] != none) __builtin_prefetch(&values_[likely[i]]);
      }
      for (std::size_t i = 0; i < size; ++i)
        if (likely[i] != none) __builtin_prefetch(values_[likely[i]].data());
      for (std::size_t i = 0; i < size; ++i) {
        const std::string_view one = text(begin + i);
        if (one.data() == nullptr) continue;
        work(begin + i, likely[i] != none && values_[likely[i]] == one ? likely[i] : add(one, tags[i]));
      }
    }
  }
  // `none` when the text does not occur.
  std::uint32_t find(std::string_view text) const {
    if (slots_.empty()) return none;
    const std::uint32_t tag = tag_of(text);
    for (std::size_t at = tag & mask(); slots_[at].code != none; at = (at + 1) & mask())
      if (slots_[at].tag == tag && values_[slots_[at].code] == text) return slots_[at].code;
    return none;
  }
  std::string_view text(std::uint32_t code) const { return values_[code]; }
  std::size_t size() const { return values_.size(); }
  const std::vector<std::string_view>& values() const { return values_; }

 private:
  struct Slot {
    std::uint32_t tag, code;
  };
  static std::uint32_t tag_of(std::string_view text) {
    return static_cast<std::uint32_t>(XXH3_64bits(text.data(), text.size()) >> 32);
  }
  std::size_t mask() const { return slots_.size() - 1; }
  // The first text with this tag; none when there is none.
  std::uint32_t with_tag(std::uint32_t tag) const {
    if (slots_.empty()) return none;
    std::size_t at = tag & mask();
    while (slots_[at].code != none && slots_[at].tag != tag) at = (at + 1) & mask();
    return slots_[at].code;
  }
  std::uint32_t add(std::string_view text, std::uint32_t tag) {
    if ((values_.size() + 1) * 3 > slots_.size() * 2) grow();
    std::size_t at = tag & mask();
    for (; slots_[at].code != none; at = (at + 1) & mask())
      if (slots_[at].tag == tag && values_[slots_[at].code] == text) return slots_[at].code;
    slots_[at] = {tag, static_cast<std::uint32_t>(values_.size())};
    values_.push_back(arena_.keep(text));
    return slots_[at].code;
  }
  void grow() {
    const std::vector<Slot> old = std::move(slots_);
    slots_.assign(old.empty() ? 16 : 4 * old.size(), Slot{0, none});
    for (const Slot& slot : old) {
      if (slot.code == none) continue;
      std::size_t at = slot.tag & mask();
      while (slots_[at].code != none) at = (at + 1) & mask();
      slots_[at] = slot;
    }
  }

  Arena arena_;
  std::vector<std::string_view> values_;
  std::vector<Slot> slots_;
  std::uint32_t last_ = none;
};

}  // namespace lofty::engine
