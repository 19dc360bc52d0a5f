#pragma once
// Whole numbers in 16 or 32 bits each: kernels that go over as many as a table has rows wait for memory, so half the
// bytes are nearly half the time.
// Covered by tests/window/packing_test.cpp.

#include <algorithm>
#include <cstdint>

#include "base/buffer.hpp"
#include "table/column.hpp"
#include "value/exact.hpp"

namespace lofty::engine {

// value = word + before; by row of an input, or by position.
struct PackedNumbers {
  Bytes words;
  int width = 0;  // bytes of a word: 2 or 4, and by row of an array also 8; 0: there are none
  std::uint64_t before = 0;
  bool nulls = false;                    // then the word 0 is null
  std::int64_t least = 0, greatest = 0;  // no value is beyond them; there may be none so small or so great
  std::size_t size = 0;

  // How numbers between these two lie, in the fewest bytes; without words yet. Precondition: least > int64_null.
  static PackedNumbers between(std::int64_t least, std::int64_t greatest, bool nulls) {
    PackedNumbers out;
    const auto first = static_cast<std::uint64_t>(least);
    const std::uint64_t top = static_cast<std::uint64_t>(greatest) - first + nulls;
    out.width = top <= 0xffff ? 2 : top <= 0xffffffff ? 4 : 8;
    out.before = first - nulls;
    out.nulls = nulls;
    out.least = least;
    out.greatest = greatest;
    return out;
  }
  void allocate(std::size_t count) {
    size = count;
    words.allocate(count * static_cast<std::size_t>(width));
  }
  template <class Word>
  Word* data() {
    return reinterpret_cast<Word*>(words.data());
  }
  template <class Word>
  const Word* data() const {
    return reinterpret_cast<const Word*>(words.data());
  }
  std::int64_t value(std::uint64_t word) const { return static_cast<std::int64_t>(word + before); }
  int128 magnitude() const {  // no value's absolute is greater
    return std::max(-static_cast<int128>(least), static_cast<int128>(greatest));
  }
  explicit operator bool() const { return width != 0; }
};

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
  if (numbers.nulls)
    with(PackedReader<Word, true>{numbers.data<Word>(), numbers.before});
  else
    with(PackedReader<Word, false>{numbers.data<Word>(), numbers.before});
}

}  // namespace lofty::engine
