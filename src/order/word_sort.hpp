#pragma once
// Sorting plain 64-bit words: with the machine's vectors where it has wide ones, by radix where it has not.
// Covered by tests/order/sort_test.cpp.

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace lofty::engine {

// Ascending. One object a thread; it keeps its room from call to call.
//
// From AVX2, SSE4 or NEON on: Highway's vectorised quicksort (M. Blacher and others, "Vectorized and
// performance-portable quicksort", 2022), chosen at run time. Below, where that one is slower than none:
// least-significant-digit radix sort, which leaves out the digits that all words share. A few words go by std::sort.
class WordSorter {
 public:
  void sort(std::uint64_t* words, std::size_t count);

 private:
  std::vector<std::uint64_t> scratch_;
};

// What this machine's words are sorted with: "AVX3", "AVX2", ..., or "radix".
std::string word_sort_target();
// The targets that could be forced here, best first; "radix" is always the last.
std::vector<std::string> word_sort_targets();
// For tests: sorts with this one from now on, in the whole process; empty: the best again. Not thread-safe.
void force_word_sort_target(const std::string& target);

}  // namespace lofty::engine
