#include "base/buffer.hpp"

#ifdef __linux__
#include <malloc.h>
#endif

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <map>
#include <mutex>
#include <new>

#include "base/budget.hpp"
#include "base/pages.hpp"
#include "lofty/memory.hpp"

namespace lofty::engine {

namespace {

constexpr std::size_t large_size = 2 * huge_page;
constexpr std::size_t middle_size = 128 * 1024;        // from here on the system clears pages for each new array
constexpr std::size_t most_middle = 64 * 1024 * 1024;  // bytes of such arrays that wait
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
    const Noting noting(*this);
    if (--users_ == 0) release_all();
  }
  std::size_t waiting() const { return waiting_size_.load(std::memory_order_relaxed); }
  void release() {
    const std::lock_guard lock(mutex_);
    release_all();
    waiting_size_ = 0;
  }
  // An array of middle size that waits, and is not much larger; null: there is none.
  Room take_middle(std::size_t size) {
    if (waiting() == 0) return {};
    const std::lock_guard lock(mutex_);
    const Noting noting(*this);
    const auto found = middle_.lower_bound(size);
    if (found == middle_.end() || found->first > size + size / 4) return {};
    const Room room{found->second, found->first};
    middle_bytes_ -= room.size;
    middle_.erase(found);
    return room;
  }
  // False where it is not to wait.
  bool keep_middle(void* data, std::size_t size) {
    if (users_ == 0) return false;
    const std::lock_guard lock(mutex_);
    const Noting noting(*this);
    if (users_ == 0 || middle_bytes_ + size > most_middle) return false;
    middle_.emplace(size, data);
    middle_bytes_ += size;
    return true;
  }
  char* take(std::size_t size) {
    const std::lock_guard lock(mutex_);
    const Noting noting(*this);
    char* const data = waiting_.take(size);
    if (data != nullptr || waiting_.size() == 0) return data;
    waiting_.release();
    return waiting_.take(size);
  }
  void give_back(char* data, std::size_t size) {
    const std::lock_guard lock(mutex_);
    const Noting noting(*this);
    if (users_ > 0)
      waiting_.add(data, size);
    else
      unmap_pages(data, size);
  }

 private:
  // Others read how much waits without the lock.
  struct Noting {
    Sharing& of;
    explicit Noting(Sharing& sharing) : of(sharing) {}
    ~Noting() { of.waiting_size_ = of.waiting_.size() + of.middle_bytes_; }
    Noting(const Noting&) = delete;
    Noting& operator=(const Noting&) = delete;
  };

  void release_all() {
    waiting_.release();
    for (const auto& [size, data] : middle_) std::free(data);
    middle_.clear();
    middle_bytes_ = 0;
  }

  std::mutex mutex_;
  WaitingPages waiting_;
  std::multimap<std::size_t, void*> middle_;  // by size
  std::size_t middle_bytes_ = 0;
  std::atomic<std::size_t> waiting_size_ = 0;
  std::atomic<int> users_ = 0;
};

std::size_t whole(std::size_t size, std::size_t unit) {
  return std::max((size + unit - 1) / unit, std::size_t{1}) * unit;
}

}  // namespace

void give_back_bytes(void* data, std::size_t room) {
  if (data == nullptr) return;
  if (room <= small_size) return free_small(data);
  if (room >= Budget::counted_from && Budget::shared().take_back(data, room)) return;
  if (room < large_size) {
    if (room < middle_size || !Sharing::all().keep_middle(data, room)) std::free(data);
    return;
  }
  Sharing::all().give_back(static_cast<char*>(data), room);
}

Room allocate_bytes(std::size_t size) {
  const bool large = whole(size, line) >= large_size;
  const std::size_t room = whole(size, large ? huge_page : line);
  if (room <= small_size) {
    void* const data = allocate_small(room);
    if (data == nullptr) throw std::bad_alloc();
    return {data, room};
  }

  if (!large && room >= middle_size)
    if (const Room waiting = Sharing::all().take_middle(room); waiting.data != nullptr) {
      // Counted as a new one is, though no file is asked for: it is memory already.
      if (waiting.size >= Budget::counted_from) Budget::shared().count(static_cast<std::ptrdiff_t>(waiting.size));
      return waiting;
    }

  // Counted, and perhaps in the file.
  Budget& budget = Budget::shared();
  const bool counted = room >= Budget::counted_from;
  if (counted) {
    if (const std::size_t waiting = Sharing::all().waiting(); waiting > 0 && budget.is_short_of(room, waiting))
      Sharing::all().release();
    if (void* const data = budget.place(room)) return {data, room};
  }
  void* const data = large ? Sharing::all().take(room) : std::aligned_alloc(line, room);
  if (data == nullptr) {
    if (counted) budget.take_back(nullptr, room);
    throw std::bad_alloc();
  }
  return {data, room};
}

void may_leave_memory(void* data, std::size_t room) {
  if (room >= large_size) Budget::shared().may_leave(data, room);
}

}  // namespace lofty::engine

namespace lofty {

KeepMemory::KeepMemory() { engine::Sharing::all().join(); }
KeepMemory::~KeepMemory() { engine::Sharing::all().leave(); }

void* counted_new(std::size_t size) {
  engine::Budget& budget = engine::Budget::shared();
  if (size >= engine::Budget::counted_from) {
    if (void* const data = budget.place(size)) return data;
    void* const data = std::malloc(size);
    // What is given back is counted by what malloc() has made of it, which is a little more.
    if (data == nullptr)
      budget.take_back(nullptr, size);
    else
      budget.count(static_cast<std::ptrdiff_t>(::malloc_usable_size(data)) - static_cast<std::ptrdiff_t>(size));
    return data;
  }
  return std::malloc(std::max<std::size_t>(size, 1));
}

void counted_delete(void* data) noexcept {
  if (data == nullptr) return;
  engine::Budget& budget = engine::Budget::shared();
  if (budget.is_in_file(data)) {
    budget.take_back(data, 0);
    return;
  }
  const std::size_t size = ::malloc_usable_size(data);
  if (size >= engine::Budget::counted_from) budget.count(-static_cast<std::ptrdiff_t>(size));
  std::free(data);
}

}  // namespace lofty
