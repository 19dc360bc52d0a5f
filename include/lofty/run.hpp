#pragma once
// What may change the speed of an answer, never the answer.

#include <functional>
#include <stop_token>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

struct Run {
  // Threads to use; 0: as many as the machine (or the caller's task arena) has. The answer has the same bytes for any.
  int threads = 0;
  // Asked between batches; when it fires, the call ends with an Error of Code::stopped.
  std::stop_token stop = {};
  // Called now and then with the share done, 0 to 1, from any one thread at a time. Must not throw.
  std::function<void(double)> progress = {};
};

}  // namespace lofty
