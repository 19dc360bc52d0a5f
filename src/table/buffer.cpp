#include "table/buffer.hpp"

#include <sys/mman.h>

#include <algorithm>
#include <new>

namespace lofty::engine {

void* allocate_bytes(std::size_t size) {
  constexpr std::size_t huge_page = 2 * 1024 * 1024;
  const bool large = size >= 2 * huge_page;
  const std::size_t unit = large ? huge_page : 64;  // a cache line at least, whatever lies there
  const std::size_t room = std::max((size + unit - 1) / unit, std::size_t{1}) * unit;
  void* const data = std::aligned_alloc(unit, room);
  if (data == nullptr) throw std::bad_alloc();
#ifdef MADV_HUGEPAGE
  if (large) ::madvise(data, room, MADV_HUGEPAGE);
#endif
  return data;
}

}  // namespace lofty::engine
