#pragma once
// Which vectors the machine has, for loops that are compiled once for each instruction set.
// Covered by tests/table/extremes_test.cpp.

namespace lofty::engine {

#ifdef __x86_64__
// With the instructions on bytes, words and 64-bit integers, in registers of every width.
inline bool has_avx512() {
  return __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512vl") && __builtin_cpu_supports("avx512dq");
}
inline bool has_avx2() { return __builtin_cpu_supports("avx2"); }
#endif

}  // namespace lofty::engine
