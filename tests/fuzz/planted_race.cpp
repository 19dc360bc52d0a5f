// A data race between two pieces of a parallel loop, on purpose: the thread sanitizer has to report it.
#include <cstdio>

#include "table/parallel.hpp"

int main() {
  long sum = 0;  // shared, and guarded by nothing
  lofty::engine::parallel_for(64, lofty::Run{.threads = 4}, [&](std::size_t piece) {
    for (int i = 0; i < 1000; ++i) sum += static_cast<long>(piece);
  });
  std::printf("%ld\n", sum);
  return 0;
}
