#include "table/extremes.hpp"

#include <algorithm>
#include <cstdint>

#include "base/vectors.hpp"

namespace lofty::engine {
namespace {

// Compiled once for each instruction set below, in which the compiler turns it into vectors.
template <class T>
[[gnu::always_inline]] inline std::pair<T, T> extremes(const T* values, std::size_t count) {
  T least = values[0], greatest = values[0];
  for (std::size_t i = 1; i < count; ++i) {
    least = std::min(least, values[i]);
    greatest = std::max(greatest, values[i]);
  }
  return {least, greatest};
}

#ifdef __x86_64__
template <class T>
[[gnu::target("avx512f,avx512bw,avx512vl,avx512dq")]] std::pair<T, T> extremes_avx512(const T* values,
                                                                                      std::size_t count) {
  return extremes(values, count);
}
template <class T>
[[gnu::target("avx2")]] std::pair<T, T> extremes_avx2(const T* values, std::size_t count) {
  return extremes(values, count);
}
#endif

}  // namespace

template <class T>
std::pair<T, T> least_and_greatest(const T* values, std::size_t count) {
#ifdef __x86_64__
  if (has_avx512()) return extremes_avx512(values, count);
  if (has_avx2()) return extremes_avx2(values, count);
#endif
  return extremes(values, count);
}

template std::pair<std::int8_t, std::int8_t> least_and_greatest(const std::int8_t*, std::size_t);
template std::pair<std::int16_t, std::int16_t> least_and_greatest(const std::int16_t*, std::size_t);
template std::pair<std::int32_t, std::int32_t> least_and_greatest(const std::int32_t*, std::size_t);
template std::pair<std::int64_t, std::int64_t> least_and_greatest(const std::int64_t*, std::size_t);
template std::pair<std::uint8_t, std::uint8_t> least_and_greatest(const std::uint8_t*, std::size_t);
template std::pair<std::uint16_t, std::uint16_t> least_and_greatest(const std::uint16_t*, std::size_t);
template std::pair<std::uint32_t, std::uint32_t> least_and_greatest(const std::uint32_t*, std::size_t);
template std::pair<std::uint64_t, std::uint64_t> least_and_greatest(const std::uint64_t*, std::size_t);

}  // namespace lofty::engine
