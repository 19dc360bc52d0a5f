#include "table/buffer.hpp"

#include <sys/mman.h>

#include <algorithm>
#include <new>

namespace lofty::engine {

void* allocate_bytes(std::size_t size) {
  constexpr std::size_t huge_page = 2 * 1024 * 1024;
  const bool large = size >= 2 * huge_page;
  const std::size_t room = large ? (size + huge_page - 1) / huge_page * huge_page : std::max<std::size_t>(size, 1);
  void* const data = large ? std::aligned_alloc(huge_page, room) : std::malloc(room);
  if (data == nullptr) throw std::bad_alloc();
#ifdef MADV_HUGEPAGE
  if (large) ::madvise(data, room, MADV_HUGEPAGE);
#endif
  return data;
}

}  // namespace lofty::engine
