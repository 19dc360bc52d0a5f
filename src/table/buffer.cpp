#include "table/buffer.hpp"

#ifdef __linux__
#include <malloc.h>
#endif

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <new>

#include "lofty/memory.hpp"
#include "table/pages.hpp"

namespace lofty::engine {

namespace {

constexpr std::size_t large_size = 2 * huge_page;
constexpr std::size_t line = 64;
constexpr std::size_t small_size = 896;  // with what its line wants, malloc() keeps such ones for each thread

// Memory for a few values, which begins with a line: aligned_alloc() takes five times as long as malloc(), and that is
// most of what ordering ten values takes. Where malloc()'s own begins precedes it.
void* allocate_small(std::size_t size) {
  void* const whole = std::malloc(size + line);
  if (whole == nullptr) return nullptr;
  const std::size_t skipped = line - reinterpret_cast<std::uintptr_t>(whole) % line;
  static_assert(alignof(std::max_align_t) >= sizeof whole, "there is always room in front");
  char* const data = static_cast<char*>(whole) + skipped;
  std::memcpy(data - sizeof whole, &whole, sizeof whole);
  return data;
}
void free_small(void* data) {
  void* whole = nullptr;
  std::memcpy(&whole, static_cast<const char*>(data) - sizeof whole, sizeof whole);
  std::free(whole);
}

// What is shared by all threads of what waits, and by all who want it to.
class Sharing {
 public:
  static Sharing& all() {
    static auto* const instance = new Sharing;  // outlives every static that still gives memory back
    return *instance;
  }

  void join() {
    const std::lock_guard lock(mutex_);
    ++users_;
  }
  void leave() {
    const std::lock_guard lock(mutex_);
    if (--users_ == 0) waiting_.release();
  }
  char* take(std::size_t size) {
    const std::lock_guard lock(mutex_);
    char* const data = waiting_.take(size);
    if (data != nullptr || waiting_.size() == 0) return data;
    waiting_.release();
    return waiting_.take(size);
  }
  void give_back(char* data, std::size_t size) {
    const std::lock_guard lock(mutex_);
    if (users_ > 0)
      waiting_.add(data, size);
    else
      unmap_pages(data, size);
  }

 private:
  std::mutex mutex_;
  WaitingPages waiting_;
  int users_ = 0;
};

}  // namespace

void give_back_freed_parts() {
#ifdef __GLIBC__
  ::malloc_trim(0);
#endif
}

void give_back_bytes(void* data, std::size_t room) {
  if (data == nullptr) return;
  if (room <= small_size) return free_small(data);
  if (room < large_size) return std::free(data);
  Sharing::all().give_back(static_cast<char*>(data), room);
}

Room allocate_bytes(std::size_t size) {
  const auto whole = [&](std::size_t unit) { return std::max((size + unit - 1) / unit, std::size_t{1}) * unit; };
  const bool large = whole(line) >= large_size;
  const std::size_t room = whole(large ? huge_page : line);
  void* const data = large                ? Sharing::all().take(room)
                     : room <= small_size ? allocate_small(room)
                                          : std::aligned_alloc(line, room);
  if (data == nullptr) throw std::bad_alloc();
  return {data, room};
}

}  // namespace lofty::engine

namespace lofty {

KeepMemory::KeepMemory() { engine::Sharing::all().join(); }
KeepMemory::~KeepMemory() { engine::Sharing::all().leave(); }

}  // namespace lofty
