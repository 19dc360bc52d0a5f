#pragma once
// Which vectors the machine has, for loops that are compiled once for each instruction set.
// Covered by tests/table/extremes_test.cpp.

#include <atomic>

namespace lofty::engine {

enum class Vectors { none, avx2, avx512 };

inline std::atomic<Vectors> allowed_vectors{Vectors::avx512};
// For tests: no wider ones than these, where the machine has them at all.
inline void allow_vectors(Vectors widest) { allowed_vectors.store(widest, std::memory_order_relaxed); }

#ifdef __x86_64__
inline bool allowed(Vectors some) { return allowed_vectors.load(std::memory_order_relaxed) >= some; }
// With the instructions on bytes, words and 64-bit integers, in registers of every width.
inline bool has_avx512() {
  return allowed(Vectors::avx512) && __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512vl") &&
         __builtin_cpu_supports("avx512dq");
}
inline bool has_avx2() { return allowed(Vectors::avx2) && __builtin_cpu_supports("avx2"); }
#endif

}  // namespace lofty::engine
