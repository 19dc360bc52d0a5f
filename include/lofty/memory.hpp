#pragma once
// Memory for one call after the other.

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

// While one of these lives, the memory of large arrays that the library gives back, on any thread, waits for the next
// ones. The system clears every fresh page, which is some fifth of the time that ordering ten million rows takes; for a
// service that ranks again and again, one of these around its loop saves that:
//
//   const lofty::KeepMemory keep;
//   for (const auto& request : requests) serve(lofty::order({lofty::descending(request.spend)}));
//
// What waits is cut and joined to the next request, so that no more is held than was in use at once. It goes
// back to the system when the last of these ends, or before an allocation would fail. Results are the same.
// Thread-safe; having one costs nothing.
class KeepMemory {
 public:
  KeepMemory();
  ~KeepMemory();
  KeepMemory(const KeepMemory&) = delete;
  KeepMemory& operator=(const KeepMemory&) = delete;
};

}  // namespace lofty
