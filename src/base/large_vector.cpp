#include "base/large_vector.hpp"

#include "base/pages.hpp"
#include "base/parallel.hpp"

namespace lofty::engine {

void fetch_pages(void* data, std::size_t size, const Run& run) {
  prefer_huge_pages(data, size);
  constexpr std::size_t worth_threads = 4 * huge_page, page = 4096;
  if (size < worth_threads || thread_count(run) == 1) return;  // one thread would only go over them twice
  char* const begin = static_cast<char*>(data);
  // From huge page to huge page, so that no two threads wait for one; what is left of the first and the last is theirs
  // that reach it.
  const std::size_t first = to_next_huge_page(begin), pieces = (size - first) / huge_page;
  parallel_for(pieces, Run{.threads = run.threads}, [&](std::size_t piece) {
    volatile char* const at = begin + first + piece * huge_page;
    for (std::size_t i = 0; i < huge_page; i += page) at[i] = 0;
  });
}

}  // namespace lofty::engine
