#pragma once
// Whole numbers in 16 or 32 bits each: kernels that go over as many as a table has rows wait for memory, so half the
// bytes are nearly half the time.
// Covered by tests/window/packed_numbers_test.cpp.

#include <cstdint>
#include <optional>
#include <span>

#include "lofty/key.hpp"
#include "table/buffer.hpp"
#include "table/column.hpp"
#include "table/exact.hpp"

namespace lofty::engine {

// value = word + before; by row of an input, or by position.
struct PackedNumbers {
  Bytes words;
  int width = 0;  // bytes of a word: 2 or 4, and by row also 8; 0: there are none
  std::uint64_t before = 0;
  bool nulls = false;    // then the word 0 is null
  int128 magnitude = 0;  // no value's absolute is greater
  std::size_t size = 0;

  explicit operator bool() const { return width != 0; }
};

// A caller's whole numbers in the fewest bytes, for going to every row of a large array: two steps from front to back
// cost a fraction of what they save. None where the array is small, or has a value that int64_null would take for null.
PackedNumbers packed_by_row(const Key& key, const Run& run);

// The numbers of these rows. None where they need more than 32 bits, or where a sum of so many might need more than 64.
PackedNumbers packed_by_position(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run);
PackedNumbers packed_by_position(const Column& column, std::span<const std::uint32_t> rows, const Run& run);

// In full width: all of them, or those of some rows; null is int64_null.
Buffer<std::int64_t> unpacked(const PackedNumbers& numbers, const Run& run);
Buffer<std::int64_t> unpacked(const PackedNumbers& by_row, std::span<const std::uint32_t> rows, const Run& run);

// The number at a place; int64_null for null, which is looked for only where there may be some.
template <class Word, bool some_null>
struct PackedReader {
  static constexpr bool nulls = some_null;
  const Word* words;
  std::uint64_t before;
  std::int64_t operator()(std::size_t i) const {
    const std::uint64_t word = words[i];
    const auto value = static_cast<std::int64_t>(word + before);
    return nulls && word == 0 ? int64_null : value;
  }
};

// Calls with(reader) for words of this kind.
template <class Word, class With>
void with_words(const PackedNumbers& numbers, const With& with) {
  const auto* const words = reinterpret_cast<const Word*>(numbers.words.data());
  if (numbers.nulls)
    with(PackedReader<Word, true>{words, numbers.before});
  else
    with(PackedReader<Word, false>{words, numbers.before});
}

}  // namespace lofty::engine
