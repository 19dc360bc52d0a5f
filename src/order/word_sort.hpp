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
// Least-significant-digit radix sort of the bits in which the words differ, or, where vectors are faster, Highway's
// vectorised quicksort (M. Blacher and others, "Vectorized and performance-portable quicksort", 2022) with the
// instructions that the machine has. A few words go by std::sort.
class WordSorter {
 public:
  // `in_all`: about how many words will be sorted before the job is done, by all threads. Highway takes time to load,
  // so few are not worth it.
  explicit WordSorter(std::size_t in_all) : in_all_(in_all) {}

  // The lowest `rising` bits ascend from word to word as they come, as row numbers do: they need not be sorted by.
  void sort(std::uint64_t* words, std::size_t count, int rising = 0);

 private:
  std::size_t in_all_;
  std::vector<std::uint64_t> scratch_;
};

// What this machine's words are sorted with: "AVX3", "AVX2", ..., or "radix".
std::string word_sort_target();
// The targets that could be forced here, best first; "radix" is always the last.
std::vector<std::string> word_sort_targets();
// For tests: sorts with this one from now on, in the whole process; empty: the best again. Not thread-safe.
void force_word_sort_target(const std::string& target);

}  // namespace lofty::engine
