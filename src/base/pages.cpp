#include "base/pages.hpp"

#ifdef __linux__
#include <malloc.h>
#endif
#include <sys/mman.h>

#include <cstdint>
#include <iterator>

namespace lofty::engine {

std::size_t to_next_huge_page(const void* data) {
  return (huge_page - reinterpret_cast<std::uintptr_t>(data) % huge_page) % huge_page;
}

void prefer_huge_pages([[maybe_unused]] void* data, [[maybe_unused]] std::size_t size) {
#ifdef MADV_HUGEPAGE
  const std::size_t first = to_next_huge_page(data);
  if (size < first + huge_page) return;
  ::madvise(static_cast<char*>(data) + first, (size - first) / huge_page * huge_page, MADV_HUGEPAGE);
#endif
}

char* map_pages(std::size_t size) {
  void* const whole = ::mmap(nullptr, size + huge_page, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  if (whole == MAP_FAILED) return nullptr;
  const std::size_t skipped = to_next_huge_page(whole);
  char* const data = static_cast<char*>(whole) + skipped;
  if (skipped > 0) unmap_pages(data - skipped, skipped);
  if (skipped < huge_page) unmap_pages(data + size, huge_page - skipped);
  prefer_huge_pages(data, size);
  return data;
}

void unmap_pages(char* data, std::size_t size) { ::munmap(data, size); }

void give_back_freed_parts() {
#ifdef __GLIBC__
  ::malloc_trim(0);
#endif
}

void WaitingPages::add(char* data, std::size_t size) {
  size_ += size;
  auto run = runs_.emplace(data, size).first;
  if (const auto next = std::next(run); next != runs_.end() && data + size == next->first) {
    run->second += next->second;
    runs_.erase(next);
  }
  if (run == runs_.begin()) return;
  if (const auto before = std::prev(run); before->first + before->second == run->first) {
    before->second += run->second;
    runs_.erase(run);
  }
}

void WaitingPages::drop_front(Runs::iterator run, std::size_t size) {
  size_ -= size;
  const auto [data, whole] = *run;
  const auto behind = runs_.erase(run);
  if (whole > size) runs_.emplace_hint(behind, data + size, whole - size);
}

char* WaitingPages::take(std::size_t size) {
  auto fits = runs_.end();
  for (auto run = runs_.begin(); run != runs_.end(); ++run)
    if (run->second >= size && (fits == runs_.end() || run->second < fits->second)) fits = run;
  if (fits != runs_.end()) {
    char* const data = fits->first;
    drop_front(fits, size);
    return data;
  }
  char* const data = map_pages(size);
  if (data == nullptr) return nullptr;
  // One by one: what is adjacent here may have come from several places, which the system does not move at once.
  for (std::size_t filled = 0; filled < size && !runs_.empty(); filled += huge_page) {
    const auto run = runs_.begin();
    if (::mremap(run->first, huge_page, huge_page, MREMAP_MAYMOVE | MREMAP_FIXED, data + filled) == MAP_FAILED) break;
    drop_front(run, huge_page);
  }
  return data;
}

void WaitingPages::release() {
  for (const auto& [data, size] : runs_) unmap_pages(data, size);
  runs_.clear();
  size_ = 0;
}

}  // namespace lofty::engine
