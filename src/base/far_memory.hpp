#pragma once
// Going all over memory: asking for its lines before they are due.

#include <algorithm>
#include <cstddef>

namespace lofty::engine {

// Calls use(i) for all i in [begin, end), of which each reads *where(i), anywhere in memory, or adds to it. A processor
// looks ahead on its own, but not over so many steps as a wait for memory takes.
template <class Where, class Use>
void read_ahead(std::size_t begin, std::size_t end, const Where& where, const Use& use) {
  constexpr std::size_t ahead = 64;
  std::size_t i = begin;
  for (; i + ahead < end; ++i) {
    __builtin_prefetch(where(i + ahead));
    use(i);
  }
  for (; i < end; ++i) use(i);
}

// Calls store(i) for all i in [begin, end), of which each writes to *where(i), anywhere in memory. Stores are done one
// after the other, and would wait for each line: a block's lines are all prefetched before the first is written.
template <class Where, class Store>
void write_ahead(std::size_t begin, std::size_t end, const Where& where, const Store& store) {
  constexpr std::size_t block = 256;  // lines: they fit the first-level cache together
  for (std::size_t from = begin; from < end; from += block) {
    const std::size_t to = std::min(end, from + block);
    for (std::size_t i = from; i < to; ++i) __builtin_prefetch(where(i), 1);
    for (std::size_t i = from; i < to; ++i) store(i);
  }
}

}  // namespace lofty::engine
