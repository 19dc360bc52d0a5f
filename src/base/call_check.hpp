#pragma once
// Preconditions of public calls, checked in every build.

#include "lofty/call_error.hpp"
#include "lofty/null_mask.hpp"

namespace lofty::engine {

[[noreturn]] void refuse_call(const char* precondition);

// Throws CallError with the precondition, as a sentence, where it does not hold.
inline void require(bool holds, const char* precondition) {
  if (!holds) [[unlikely]]
    refuse_call(precondition);
}

inline void require_mask(const NullMask& mask, std::size_t size) {
  require(mask.empty() || mask.size() == size, "a null mask is as long as the values");
}

}  // namespace lofty::engine
