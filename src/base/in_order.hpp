#pragma once
// Parts made by all threads and taken in their order.
// Covered by tests/base/in_order_test.cpp.

#include <algorithm>
#include <cstddef>
#include <vector>

#include "base/parallel.hpp"

namespace lofty::engine {

// Calls make(rows, part) for every piece, on up to thread_count(run) threads, and take(part) for each in the order of
// the pieces, on the calling thread. A part may hold what an earlier one left in it, so that its room is used again;
// only a few parts a thread are there at once.
template <class Part, class Make, class Take>
void make_in_order(const RowRanges& pieces, const Run& run, const Make& make, const Take& take) {
  const std::size_t at_once = pieces.count() == 1 ? 1 : 4 * static_cast<std::size_t>(thread_count(run));
  std::vector<Part> parts(std::min(at_once, pieces.count()));
  for (std::size_t first = 0; first < pieces.count(); first += parts.size()) {
    const std::size_t count = std::min(parts.size(), pieces.count() - first);
    parallel_for(count, run, [&](std::size_t i) { make(pieces[first + i], parts[i]); });
    for (std::size_t i = 0; i < count; ++i) take(parts[i]);
  }
}

}  // namespace lofty::engine
