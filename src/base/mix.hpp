#pragma once
// Hashes of numbers.
// Covered by tests/order/text_numbers_test.cpp and tests/rank/sums_test.cpp.

#include <cstdint>

namespace lofty::engine {

inline std::uint64_t mix(std::uint64_t x) {  // the finalizer of MurmurHash3 (A. Appleby), a bijection
  x ^= x >> 33;
  x *= 0xff51afd7ed558ccdULL;
  x ^= x >> 33;
  x *= 0xc4ceb9fe1a85ec53ULL;
  return x ^ (x >> 33);
}

// Of two: their product, folded, as several fast hash functions have it.
inline std::uint64_t mix_two(std::uint64_t a, std::uint64_t b) {
  __extension__ using Product = unsigned __int128;
  const Product product = Product{a ^ 0x9e3779b97f4a7c15ULL} * (b ^ 0xc2b2ae3d27d4eb4fULL);
  return static_cast<std::uint64_t>(product) ^ static_cast<std::uint64_t>(product >> 64);
}

}  // namespace lofty::engine
