#pragma once
// What may change the speed of an answer, never the answer.

#include <cstdint>
#include <functional>
#include <stop_token>
#include <string>
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
  // How many bytes the library's large arrays may take in memory, all calls of the process together; 0: half of what
  // the machine has free when more than 64 MiB are needed. What does not fit lies in a file without a name, which goes
  // with what lies there. Of several calls at once, the least counts. Vectors count where the program includes
  // lofty/counted_new.hpp.
  std::uint64_t memory = 0;
  // The folder of that file, which should be on a disk; empty: what TMPDIR says, else /var/tmp. A call throws
  // Error(Code::cannot_write) where it has no room. While something lies in the file, other calls share it.
  std::string spill_to = {};
};

}  // namespace lofty
