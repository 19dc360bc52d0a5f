#pragma once
// How much of a sweep a test runs: every N-th case, or as LOFTY_STRIDE says (1: every one, as .ci/full does).

#include <algorithm>
#include <cstdlib>

namespace support {

inline long stride(long usual) {
  const char* const text = std::getenv("LOFTY_STRIDE");
  return text != nullptr ? std::max(1L, std::atol(text)) : usual;
}

}  // namespace support
