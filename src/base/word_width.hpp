#pragma once
// Unsigned words by their number of bytes.

#include <cstdint>

namespace lofty::engine {

// Calls with(word), a word of so many bytes: 1, 2, 4 or 8.
template <class With>
auto with_word(int bytes, const With& with) {
  switch (bytes) {
    case 1: return with(std::uint8_t{0});
    case 2: return with(std::uint16_t{0});
    case 4: return with(std::uint32_t{0});
    default: return with(std::uint64_t{0});
  }
}

}  // namespace lofty::engine
