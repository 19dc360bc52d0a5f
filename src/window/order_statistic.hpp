#pragma once
// The k-th smallest of a set of ranks that changes one by one.

#include <bit>
#include <cstdint>
#include <vector>

namespace lofty::engine {

// A bitmap over all ranks with counts above it, 64 times fewer on each level: a change touches four numbers, the k-th
// is found by three short scans, and at ten million ranks all of it fits the second-level cache. (The idea of counts
// over a bit vector: G. Jacobson, "Space-efficient static trees and graphs", 1989.)
class OrderStatistic {
 public:
  explicit OrderStatistic(std::size_t ranks)
      : words_(ranks / 64 + 1), in_word_(ranks / 64 + 1), blocks_(ranks / 4096 + 1), spans_(ranks / 262144 + 1) {}

  // Preconditions: not in the set; in the set.
  void add(std::uint32_t rank) {
    words_[rank >> 6] |= std::uint64_t{1} << (rank & 63);
    ++in_word_[rank >> 6];
    ++blocks_[rank >> 12];
    ++spans_[rank >> 18];
    ++size_;
  }
  void remove(std::uint32_t rank) {
    words_[rank >> 6] &= ~(std::uint64_t{1} << (rank & 63));
    --in_word_[rank >> 6];
    --blocks_[rank >> 12];
    --spans_[rank >> 18];
    --size_;
  }
  std::uint32_t size() const { return size_; }

  // The k-th smallest, from 0. Preconditions: k < size(), and no rank below `first` is in the set.
  std::uint32_t at(std::uint32_t k, std::uint32_t first) const {
    const std::size_t first_span = first >> 18, first_block = first >> 12;
    std::size_t span = first_span;
    for (; k >= spans_[span]; ++span) k -= spans_[span];
    std::size_t block = span == first_span ? first_block : span << 6;
    for (; k >= blocks_[block]; ++block) k -= blocks_[block];
    std::size_t word = block == first_block ? first >> 6 : block << 6;
    for (; k >= in_word_[word]; ++word) k -= in_word_[word];
    return static_cast<std::uint32_t>(word << 6) + select(words_[word], k);
  }
  // The one after `rank`, which is the k-th. Precondition: k + 1 < size().
  std::uint32_t next(std::uint32_t rank, std::uint32_t k, std::uint32_t first) const {
    const std::uint32_t bit = rank & 63;
    const std::uint64_t rest = bit == 63 ? 0 : words_[rank >> 6] >> (bit + 1);
    if (rest != 0) return rank + 1 + static_cast<std::uint32_t>(std::countr_zero(rest));
    return at(k + 1, first);
  }

 private:
  // The k-th set bit: by bytes first, whose running counts one multiplication gives.
  static std::uint32_t select(std::uint64_t bits, std::uint32_t k) {
    constexpr std::uint64_t ones = 0x0101010101010101;
    std::uint64_t counts = bits - ((bits >> 1) & 0x5555555555555555);
    counts = (counts & 0x3333333333333333) + ((counts >> 2) & 0x3333333333333333);
    counts = ((counts + (counts >> 4)) & 0x0f0f0f0f0f0f0f0f) * ones;  // byte i: set bits in bytes 0 to i
    std::uint32_t byte = 0;
    while ((counts >> (8 * byte) & 0xff) <= k) ++byte;
    if (byte > 0) k -= static_cast<std::uint32_t>(counts >> (8 * (byte - 1)) & 0xff);
    auto left = static_cast<std::uint32_t>(bits >> (8 * byte) & 0xff);
    for (; k > 0; --k) left &= left - 1;
    return 8 * byte + static_cast<std::uint32_t>(std::countr_zero(left));
  }

  std::vector<std::uint64_t> words_;
  std::vector<std::uint8_t> in_word_;
  std::vector<std::uint16_t> blocks_;
  std::vector<std::uint32_t> spans_;
  std::uint32_t size_ = 0;
};

}  // namespace lofty::engine
