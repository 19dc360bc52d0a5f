#include "table/buffer.hpp"

#include <sys/mman.h>

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <iterator>
#include <map>
#include <mutex>
#include <new>

namespace lofty::engine {

namespace {

constexpr std::size_t huge_page = 2 * 1024 * 1024;
constexpr std::size_t large_size = 2 * huge_page;
constexpr std::size_t line = 64;
constexpr std::size_t small_size = 896;  // with what its line wants, malloc() has such ones at hand for each thread

// Memory for a few values, which begins with a line: aligned_alloc() takes five times as long as malloc(), and that is
// most of what ordering ten values takes. Where malloc()'s own begins stands in front of it.
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

// Large memory that was given back and waits for its next use.
class Waiting {
 public:
  static Waiting& all() {
    static auto* const instance = new Waiting;  // outlives every static that still gives memory back
    return *instance;
  }

  void join() {
    const std::lock_guard lock(mutex_);
    ++users_;
  }
  void leave() {
    const std::lock_guard lock(mutex_);
    if (--users_ == 0) release(waiting_);
  }
  // The system has no room for so much: all that waits goes. False where nothing did.
  bool failed(std::size_t size) {
    const std::lock_guard lock(mutex_);
    in_use_ -= size;
    const bool some = waiting_ > 0;
    release(waiting_);
    return some;
  }
  bool keep(void* data, std::size_t room) {
    const std::lock_guard lock(mutex_);
    in_use_ -= room;
    if (users_ == 0) return false;
    waiting_ += room;
    rooms_.emplace(room, data);
    return true;
  }
  // The smallest that is large enough, and hardly larger. Where there is none, fresh memory: what waits stays as long
  // as it is small beside what is in use, because steps that follow each other ask for other sizes, and come back to
  // the first. If it is not, one of up to twice the size is taken rather than given up, or as much as this is released.
  Room take(std::size_t size) {
    const std::lock_guard lock(mutex_);
    const std::size_t may_wait = (in_use_ + size) / 2, excess = waiting_ - std::min(waiting_, may_wait);
    const auto found = rooms_.lower_bound(size);
    const std::size_t largest = excess > 0 ? 2 * size : size + size / 4;
    if (found == rooms_.end() || found->first > largest) {
      in_use_ += size;
      release(std::min(size, excess));
      return {};
    }
    const Room room{found->second, found->first};
    rooms_.erase(found);
    waiting_ -= room.size;
    in_use_ += room.size;
    return room;
  }

 private:
  void release(std::size_t size) {
    for (std::size_t released = 0; released < size && !rooms_.empty(); rooms_.erase(std::prev(rooms_.end()))) {
      released += rooms_.rbegin()->first;
      waiting_ -= rooms_.rbegin()->first;
      std::free(rooms_.rbegin()->second);
    }
  }

  std::mutex mutex_;
  std::multimap<std::size_t, void*> rooms_;
  std::size_t waiting_ = 0, in_use_ = 0;  // bytes
  int users_ = 0;
};

}  // namespace

MemoryReuse::MemoryReuse() { Waiting::all().join(); }
MemoryReuse::~MemoryReuse() { Waiting::all().leave(); }

void give_back_bytes(void* data, std::size_t room) {
  if (data == nullptr) return;
  if (room <= small_size) return free_small(data);
  if (room < large_size || !Waiting::all().keep(data, room)) std::free(data);
}

Room allocate_bytes(std::size_t size) {
  const bool large = size >= large_size;
  const std::size_t unit = large ? huge_page : line;
  const std::size_t room = std::max((size + unit - 1) / unit, std::size_t{1}) * unit;
  if (large)
    if (const Room waiting = Waiting::all().take(room); waiting.data != nullptr) return waiting;
  void* const data = room <= small_size ? allocate_small(room) : std::aligned_alloc(unit, room);
  if (data == nullptr) {
    if (large && Waiting::all().failed(room)) return allocate_bytes(size);
    throw std::bad_alloc();
  }
  if (large) prefer_huge_pages(data, room);
  return {data, room};
}

void prefer_huge_pages([[maybe_unused]] void* data, [[maybe_unused]] std::size_t size) {
#ifdef MADV_HUGEPAGE
  const auto begin = reinterpret_cast<std::uintptr_t>(data), end = begin + size;
  const std::uintptr_t first = (begin + huge_page - 1) / huge_page * huge_page, last = end / huge_page * huge_page;
  if (first < last) ::madvise(reinterpret_cast<void*>(first), last - first, MADV_HUGEPAGE);
#endif
}

}  // namespace lofty::engine
