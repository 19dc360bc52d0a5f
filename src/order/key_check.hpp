#pragma once
// Preconditions on keys, checked in every build.

#include <cstddef>
#include <vector>

#include "base/call_check.hpp"
#include "lofty/key.hpp"

namespace lofty::engine {

// Throws CallError where a key, or its mask, is not of `size` values, or where there are too many to number.
inline void require_keys(const std::vector<Key>& keys, std::size_t size) {
  require(size < 0xffffffff, "there are fewer than 4,294,967,295 values");
  for (const Key& key : keys) {
    require(key.size() == size, "all keys are of one length");
    require_mask(key.options.null_mask, size);
  }
}

}  // namespace lofty::engine
