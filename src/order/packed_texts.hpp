#pragma once
// Texts of 16 or 32 bytes each: what a cache can hold many of.
// Covered by tests/order/text_numbers_test.cpp.

#include <bit>
#include <cstdint>
#include <cstring>
#include <string_view>

#include "base/mix.hpp"
#include "table/dictionary.hpp"

namespace lofty::engine {

namespace packed_texts {

template <class Word>
Word load(const char* at) {
  Word word;
  std::memcpy(&word, at, sizeof word);
  return word;
}

// The first 16 bytes of a text, zeros after it. In registers: words that overlap, shifted, instead of a call for a few
// bytes.
struct Head {
  std::uint64_t first = 0, second = 0;

  explicit Head(std::string_view text) {
    const char* const at = text.data();
    const std::size_t size = text.size();
    if (size >= 16) {
      first = load<std::uint64_t>(at);
      second = load<std::uint64_t>(at + 8);
    } else if (size > 8) {
      first = load<std::uint64_t>(at);
      second = load<std::uint64_t>(at + size - 8) >> (8 * (16 - size));
    } else if (size >= 4) {
      const std::uint64_t last = load<std::uint32_t>(at + size - 4);
      first = load<std::uint32_t>(at) | last >> (8 * (8 - size)) << 32;
    } else {
      for (std::size_t i = 0; i < size; ++i) first |= std::uint64_t{static_cast<unsigned char>(at[i])} << (8 * i);
    }
  }
};

}  // namespace packed_texts

// The bytes of a text of up to 15, and its size; of a longer one, where its bytes are, its size and 24 bits of its
// hash.
class alignas(16) ShortText {
 public:
  static constexpr std::size_t most = 15;

  ShortText() = default;
  explicit ShortText(std::string_view text) {
    if (text.size() > most) {
      first_ = reinterpret_cast<std::uintptr_t>(text.data());
      second_ = far_size << 56 | std::uint64_t{Dictionary::tag_of(text) >> 8} << 32 | text.size();
    } else {
      const packed_texts::Head head(text);
      first_ = head.first;
      second_ = head.second | std::uint64_t{text.size()} << 56;
    }
  }
  std::uint32_t tag() const {
    const std::uint64_t first = second_ >> 56 == far_size ? 0 : first_;
    return static_cast<std::uint32_t>(mix_two(first, second_) >> 32);
  }
  bool same(const ShortText& other) const {
    if (second_ != other.second_) return false;
    if (first_ == other.first_) return true;
    return second_ >> 56 == far_size && std::memcmp(far(), other.far(), second_ & 0xffffffff) == 0;
  }

 private:
  static constexpr std::uint64_t far_size = 0xff;
  const char* far() const { return reinterpret_cast<const char*>(first_); }

  std::uint64_t first_, second_;
};

// The same for texts of up to 24 bytes, with 32 bits of the hash of each.
class alignas(32) PackedText {
 public:
  static constexpr std::size_t most = 24;

  PackedText() = default;
  explicit PackedText(std::string_view text)
      : tag_(Dictionary::tag_of(text)), size_(static_cast<std::uint32_t>(text.size())) {
    if (size_ > most) {
      words_[0] = reinterpret_cast<std::uintptr_t>(text.data());
      words_[1] = words_[2] = 0;
    } else {
      const packed_texts::Head head(text);
      words_[0] = head.first;
      words_[1] = head.second;
      words_[2] = size_ > 16 ? packed_texts::load<std::uint64_t>(text.data() + size_ - 8) >> (8 * (most - size_)) : 0;
    }
  }
  std::uint32_t tag() const { return tag_; }
  bool same(const PackedText& other) const {
    if (tag_ != other.tag_ || size_ != other.size_) return false;
    if (words_[0] == other.words_[0] && words_[1] == other.words_[1] && words_[2] == other.words_[2]) return true;
    return size_ > most && std::memcmp(far(), other.far(), size_) == 0;
  }

 private:
  const char* far() const { return reinterpret_cast<const char*>(words_[0]); }

  std::uint32_t tag_, size_;
  std::uint64_t words_[3];
};

// Little end first, as x86-64 and arm64 have it: bytes after a text are zeros.
static_assert(std::endian::native == std::endian::little);
static_assert(sizeof(ShortText) == 16 && sizeof(PackedText) == 32);

}  // namespace lofty::engine
