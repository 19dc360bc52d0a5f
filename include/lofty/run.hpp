#pragma once
// What may change the speed of an answer, never the answer.

#include <functional>
#include <stop_token>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

struct Run {
  // Threads to use; 0: as many as the machine (or the caller's task arena) has. The answer has the same bytes for any.
  int threads = 0;
  // Asked between batches; when it fires, the call ends with an Error of Code::stopped.
  std::stop_token stop = {};
  // Called now and then with the share done, 0 to 1, from any one thread at a time. Must not throw.
  std::function<void(double)> progress = {};
  // Called when a step begins that may take long, with what it does: "reading order_lines.csv (479 MB)", "ranking
  // 10,000 entries". From the thread that made the call. Must not throw.
  std::function<void(std::string_view)> step = {};
};

}  // namespace lofty
