#pragma once
// Texts of 32 bytes each: what a cache can hold many of.
// Covered by tests/order/text_numbers_test.cpp.

#include <bit>
#include <cstdint>
#include <cstring>
#include <string_view>

namespace lofty::engine {

// A text's hash, size and bytes, and a number of the owner's; of a long text, where the bytes lie. All bytes are
// written, so that two can be compared without asking how long they are.
struct alignas(32) PackedText {
  static constexpr std::uint32_t short_size = 20;

  std::uint32_t tag, number, size;
  char bytes[short_size];

  void put(std::string_view text) {
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

}  // namespace lofty::engine
