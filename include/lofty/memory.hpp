#pragma once
// Memory for one call after the other.

#include <memory>

namespace lofty {

// While one of these lives, the large arrays that the library gives back, on any thread, wait for the next ones that
// fit into them. The system clears every fresh page, which is some fifth of the time that ordering ten million rows
// takes; for a service that ranks again and again, one of these beside its loop saves that:
//
//   const lofty::KeepMemory keep;
//   for (const auto& request : requests) serve(lofty::order({lofty::descending(request.spend)}));
//
// Where nothing that waits fits, it makes way, down to half of what is in use; what is left goes back to the system
// when the last of these ends, or before an allocation would fail. Results are the same. Thread-safe; costs nothing by
// itself.
class KeepMemory {
 public:
  KeepMemory();
  ~KeepMemory();
  KeepMemory(const KeepMemory&) = delete;
  KeepMemory& operator=(const KeepMemory&) = delete;

 private:
  struct Held;
  std::unique_ptr<Held> held_;
};

}  // namespace lofty
