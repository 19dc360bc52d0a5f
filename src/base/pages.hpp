#pragma once
// Memory of whole huge pages, straight from the system.
// Covered by tests/base/pages_test.cpp.

#include <cstddef>
#include <map>

namespace lofty::engine {

inline constexpr std::size_t huge_page = 2 * 1024 * 1024;  // bytes

// Fresh memory that begins with a huge page, on huge pages where the system has them; null where it has no room.
// `size` is a multiple of huge_page, here and below. Thread-safe.
char* map_pages(std::size_t size);
void unmap_pages(char* data, std::size_t size);

// What was freed in small parts goes back to the system, where the C library would keep it. Takes some milliseconds.
void give_back_freed_parts();

// How many bytes are before the first huge page that begins here or later.
std::size_t to_next_huge_page(const void* data);
// Asks for huge pages where whole ones are in this memory, which nothing has touched yet.
void prefer_huge_pages(void* data, std::size_t size);

// Pages that were given back, and wait for their next use. One thread at a time.
//
// The system clears every fresh page, which takes longer than many a kernel that then fills it; and steps that follow
// each other ask for other sizes. So what waits is cut and joined as it is needed: a piece of a larger run, or pages
// of several, which change their addresses (mremap) but not what they are. Fresh ones come only when none waits, so
// that no more are taken than are in use at once.
class WaitingPages {
 public:
  WaitingPages() = default;
  ~WaitingPages() { release(); }
  WaitingPages(const WaitingPages&) = delete;
  WaitingPages& operator=(const WaitingPages&) = delete;

  void add(char* data, std::size_t size);
  // Of what waits, as far as that goes, and fresh ones; null, and nothing is lost, where the system has no room. A move
  // takes some 5 us a huge page.
  char* take(std::size_t size);
  std::size_t size() const { return size_; }
  void release();  // to the system

 private:
  using Runs = std::map<char*, std::size_t>;  // neighbours are one
  void drop_front(Runs::iterator run, std::size_t size);

  Runs runs_;
  std::size_t size_ = 0;
};

}  // namespace lofty::engine
