#include "table/buffer.hpp"

#include <sys/mman.h>

#include <algorithm>
#include <cstdint>
#include <new>

namespace lofty::engine {

namespace {
constexpr std::size_t huge_page = 2 * 1024 * 1024;
}  // namespace

void* allocate_bytes(std::size_t size) {
  const bool large = size >= 2 * huge_page;
  const std::size_t unit = large ? huge_page : 64;  // a cache line at least, whatever lies there
  const std::size_t room = std::max((size + unit - 1) / unit, std::size_t{1}) * unit;
  void* const data = std::aligned_alloc(unit, room);
  if (data == nullptr) throw std::bad_alloc();
  if (large) prefer_huge_pages(data, room);
  return data;
}

void prefer_huge_pages([[maybe_unused]] void* data, [[maybe_unused]] std::size_t size) {
#ifdef MADV_HUGEPAGE
  const auto begin = reinterpret_cast<std::uintptr_t>(data), end = begin + size;
  const std::uintptr_t first = (begin + huge_page - 1) / huge_page * huge_page, last = end / huge_page * huge_page;
  if (first < last) ::madvise(reinterpret_cast<void*>(first), last - first, MADV_HUGEPAGE);
#endif
}

}  // namespace lofty::engine
