#pragma once
// The k-th smallest of a set of ranks that changes one by one.

#include <bit>
#include <cstdint>
#include <vector>

namespace lofty::engine {

// A bitmap over all ranks with counts above it, 64 times fewer on each level: a change touches three numbers, the k-th
// is found by three short scans, and at ten million ranks all of it lies in the second-level cache. (After the idea of
// counting levels over a bit vector; G. Jacobson, "Space-efficient static trees and graphs", 1989.)
class OrderStatistic {
 public:
  explicit OrderStatistic(std::size_t ranks)
      : words_(ranks / 64 + 1), blocks_(ranks / (64 * 64) + 1), spans_(ranks / (64 * 64 * 64) + 1) {}

  void add(std::uint32_t rank) {
    words_[rank >> 6] |= std::uint64_t{1} << (rank & 63);
    ++blocks_[rank >> 12];
    ++spans_[rank >> 18];
    ++size_;
  }
  void remove(std::uint32_t rank) {
    words_[rank >> 6] &= ~(std::uint64_t{1} << (rank & 63));
    --blocks_[rank >> 12];
    --spans_[rank >> 18];
    --size_;
  }
  std::uint32_t size() const { return size_; }

  // The k-th smallest, from 0. Preconditions: k < size(), and no rank below `first` is in the set.
  std::uint32_t at(std::uint32_t k, std::uint32_t first) const {
    std::size_t span = first >> 18;
    bool moved = false;
    for (; k >= spans_[span]; ++span, moved = true) k -= spans_[span];
    std::size_t block = moved ? span << 6 : first >> 12;
    const std::size_t first_block = block;
    for (; k >= blocks_[block]; ++block) k -= blocks_[block];
    std::size_t word = !moved && block == first_block ? first >> 6 : block << 6;
    for (auto in = static_cast<std::uint32_t>(std::popcount(words_[word])); k >= in;
         in = static_cast<std::uint32_t>(std::popcount(words_[word]))) {
      k -= in;
      ++word;
    }
    std::uint64_t bits = words_[word];
    for (; k > 0; --k) bits &= bits - 1;
    return static_cast<std::uint32_t>(word << 6) + static_cast<std::uint32_t>(std::countr_zero(bits));
  }

 private:
  std::vector<std::uint64_t> words_;
  std::vector<std::uint16_t> blocks_;
  std::vector<std::uint32_t> spans_;
  std::uint32_t size_ = 0;
};

}  // namespace lofty::engine
