// A data race between two pieces of a parallel loop, on purpose: the thread sanitizer has to report it.
#include <cstdio>
#include <latch>

#include "base/parallel.hpp"

int main() {
  long sum = 0;            // shared, and guarded by nothing
  std::latch together(2);  // both pieces are under way, on two threads, before either touches it
  lofty::engine::parallel_for(2, lofty::Run{.threads = 2}, [&](std::size_t piece) {
    together.arrive_and_wait();
    for (int i = 0; i < 1000; ++i) sum += static_cast<long>(piece) + i;
  });
  std::printf("%ld\n", sum);
  return 0;
}
