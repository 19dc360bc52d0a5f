#pragma once
// Which range of keys a key falls into.
// Covered by tests/order/key_bins_test.cpp.

#include <cstddef>
#include <cstdint>
#include <vector>

namespace lofty::engine {

// Divides the keys of some number of bits into ranges, in ascending order, none of which holds a large share of all
// keys: ranges of equal width first, then within those that a sample says are crowded, and within theirs. Only as good
// as the sample: keys of which many are the same stay together, and so may those that it missed. A key's range is found
// in as many steps as ranges were divided in, without a branch. Read by any number of threads.
class KeyBins {
 public:
  static constexpr std::size_t most = 1 << 16;

  // `bits`: at most 63.
  KeyBins(int bits, std::vector<std::uint64_t> sample);

  std::size_t size() const { return least_.size(); }
  // The least key that falls into this range; after the last range begins 2^bits.
  std::uint64_t least(std::size_t bin) const { return bin < least_.size() ? least_[bin] : end_; }
  // The range of each key.
  void find(const std::uint64_t* keys, std::size_t count, std::uint32_t* bins) const;

 private:
  // For each range of the step before, in the upper half the first of those that it became, in the lower half which
  // bits of the key, after so many others, tell them apart: one look-up a step.
  struct Step {
    int shift;
    std::vector<std::uint32_t> of;
  };

  void find_all(const std::uint64_t* keys, std::size_t count, std::uint32_t* bins) const;
  void find_avx512(const std::uint64_t* keys, std::size_t count, std::uint32_t* bins) const;
  void find_avx2(const std::uint64_t* keys, std::size_t count, std::uint32_t* bins) const;

  int first_shift_;
  std::uint64_t end_;
  std::vector<Step> steps_;
  std::vector<std::uint64_t> least_;
};

}  // namespace lofty::engine
