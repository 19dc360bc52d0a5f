#pragma once
// Memory: for one call after the other, and how much of it calls may take.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>

#include "lofty/export.hpp"
#include "lofty/run.hpp"

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

// What would become of this many bytes of large arrays in a call with such a run.
struct MemoryForecast {
  std::uint64_t limit = 0;            // bytes that they may take in memory: Run::memory, else half of what is free now
  std::uint64_t in_file = 0;          // bytes that will not fit, and lie in the file
  std::string folder;                 // where that is
  std::optional<std::uint64_t> room;  // bytes that are free there; nothing where it cannot be told
};
[[nodiscard]] MemoryForecast memory_forecast(double bytes, const Run& run = {});

// What `new` and `delete` of a program may be made of, so that vectors count for Run::memory as well as the library's
// own arrays do, and can lie in its file: include lofty/counted_new.hpp in one source file of the program, as the
// command-line tool does. Null: there is no memory. Throws Error(cannot_write) where it would have to lie in the file,
// and that has no room. Thread-safe.
void* counted_new(std::size_t size);
void counted_delete(void* data) noexcept;

}  // namespace lofty
