#pragma once
// Texts of 32 bytes each, and their numbers: what a cache can hold many of.
// Covered by tests/order/text_numbers_test.cpp.

#include <bit>
#include <cstdint>
#include <cstring>
#include <string_view>

#include "table/buffer.hpp"

namespace lofty::engine {

// A text's hash, size and bytes, and a number of the owner's; of a long text, where the bytes lie. All bytes are
// written, so that two can be compared without asking how long they are.
struct alignas(32) PackedText {
  static constexpr std::uint32_t short_size = 20;

  std::uint32_t tag, number, size;
  char bytes[short_size];

  void put(std::string_view text, std::uint32_t its_tag, std::uint32_t its_number) {
    tag = its_tag;
    number = its_number;
    size = static_cast<std::uint32_t>(text.size());
    const char* const at = text.data();
    // In registers: words that overlap, shifted, instead of a call for a few bytes.
    std::uint64_t first = 0, second = 0;
    std::uint32_t third = 0;
    if (size > short_size) {
      first = reinterpret_cast<std::uintptr_t>(at);
    } else if (size > 16) {
      first = load<std::uint64_t>(at);
      second = load<std::uint64_t>(at + 8);
      third = load<std::uint32_t>(at + size - 4) >> (8 * (short_size - size));
    } else if (size > 8) {
      first = load<std::uint64_t>(at);
      second = load<std::uint64_t>(at + size - 8) >> (8 * (16 - size));
    } else if (size >= 4) {
      const std::uint64_t last = load<std::uint32_t>(at + size - 4);
      first = load<std::uint32_t>(at) | last >> (8 * (8 - size)) << 32;
    } else {
      for (std::uint32_t i = 0; i < size; ++i) first |= std::uint64_t{static_cast<unsigned char>(at[i])} << (8 * i);
    }
    std::memcpy(bytes, &first, 8);
    std::memcpy(bytes + 8, &second, 8);
    std::memcpy(bytes + 16, &third, 4);
  }
  bool same(const PackedText& other) const {
    if (tag != other.tag) return false;
    std::uint32_t differ = size ^ other.size;
    for (std::size_t i = 0; i < short_size; i += 4) {
      std::uint32_t a, b;
      std::memcpy(&a, bytes + i, 4);
      std::memcpy(&b, other.bytes + i, 4);
      differ |= a ^ b;
    }
    if (differ == 0) return true;
    return size > short_size && size == other.size && std::memcmp(far(), other.far(), size) == 0;
  }

 private:
  template <class Word>
  static Word load(const char* at) {
    Word word;
    std::memcpy(&word, at, sizeof word);
    return word;
  }
  const char* far() const { return load<const char*>(bytes); }
};
// Little end first, as x86-64 and arm64 have it: bytes behind a text are zeros.
static_assert(std::endian::native == std::endian::little);
static_assert(sizeof(PackedText) == 32);

// Numbers different texts 0, 1, 2, ... as they come. Open addressing with linear probing, at most half full. A slot
// goes by the low bits of the tag.
class PackedNumbers {
 public:
  std::uint32_t size() const { return size_; }

  // Calls work(i, number) for each of `count` texts; those at `later` will be wanted next.
  template <class Work>
  void add_all(const PackedText* texts, std::size_t count, const PackedText* later, const Work& work) {
    constexpr std::size_t ahead = 16;
    for (std::size_t i = 0; i < count; ++i) {
      if (2 * size_ >= slots_.size()) grow();
      if (i + ahead < count) __builtin_prefetch(&slots_[texts[i + ahead].tag & mask()], 1);
      __builtin_prefetch(later + i);
      PackedText& slot = slots_[place(texts[i])];
      if (slot.number == none) {
        slot = texts[i];
        slot.number = size_++;
      }
      work(i, slot.number);
    }
  }

 private:
  static constexpr std::uint32_t none = 0xffffffff;

  std::size_t mask() const { return slots_.size() - 1; }
  std::size_t place(const PackedText& text) const {
    std::size_t at = text.tag & mask();
    while (slots_[at].number != none && !slots_[at].same(text)) at = (at + 1) & mask();
    return at;
  }
  [[gnu::noinline]] void grow() {
    const Buffer<PackedText> old = std::move(slots_);
    slots_.allocate(old.size() == 0 ? 256 : old.size() * 4);
    for (std::size_t i = 0; i < slots_.size(); ++i) slots_[i].number = none;
    for (const PackedText& one : old.view())
      if (one.number != none) slots_[place(one)] = one;
  }

  Buffer<PackedText> slots_;
  std::uint32_t size_ = 0;
};

}  // namespace lofty::engine
