#pragma once
// A mistake in a call, rather than in the data.

#include <stdexcept>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// A call breaks one of its documented preconditions: arrays of different lengths, a negative distance, no key, a
// fraction above 1. what() names the precondition. It is a mistake in the calling program: there is nothing that a
// user's input could do about it, which is what lofty::Error is for.
//
// Every call over arrays checks its preconditions before it reads or writes anything, in release builds too; outputs
// are then as they were. That is one branch a call; group numbers and the key of a range, where reading could otherwise
// leave an array, are looked at row by row.
class CallError : public std::invalid_argument {
 public:
  using std::invalid_argument::invalid_argument;
};

}  // namespace lofty
