#include "table/put_fields.hpp"

#include <bit>

#include "base/vectors.hpp"
#include "table/column.hpp"

namespace lofty::engine {
namespace {

template <class Value>
[[gnu::always_inline]] inline std::uint64_t stored(Value value, std::int64_t least) {
  const std::uint64_t some = static_cast<std::uint64_t>(value) - static_cast<std::uint64_t>(least) + 1;
  return static_cast<std::int64_t>(value) < least ? 0 : some;
}
[[gnu::always_inline]] inline std::uint64_t stored(double value, std::int64_t) {
  return std::bit_cast<std::uint64_t>(value == 0 ? 0.0 : value);
}

// Compiled once for each instruction set below, in which the compiler turns it into vectors.
template <class Value, class Record>
[[gnu::always_inline]] inline void put(const Value* __restrict values, std::size_t count, std::int64_t least, int shift,
                                       Record* __restrict records) {
  for (std::size_t i = 0; i < count; ++i)
    records[i] = static_cast<Record>(records[i] | static_cast<Record>(stored(values[i], least) << shift));
}

#ifdef __x86_64__
template <class Value, class Record>
[[gnu::target("avx512f,avx512bw,avx512vl,avx512dq")]] void put_avx512(const Value* values, std::size_t count,
                                                                      std::int64_t least, int shift, Record* records) {
  put(values, count, least, shift, records);
}
template <class Value, class Record>
[[gnu::target("avx2")]] void put_avx2(const Value* values, std::size_t count, std::int64_t least, int shift,
                                      Record* records) {
  put(values, count, least, shift, records);
}
#endif

}  // namespace

template <class Value, class Record>
void put_field(const Value* values, std::size_t count, std::int64_t least, int shift, Record* records) {
#ifdef __x86_64__
  if (has_avx512()) return put_avx512(values, count, least, shift, records);
  if (has_avx2()) return put_avx2(values, count, least, shift, records);
#endif
  put(values, count, least, shift, records);
}

template void put_field(const std::int64_t*, std::size_t, std::int64_t, int, std::uint8_t*);
template void put_field(const std::int64_t*, std::size_t, std::int64_t, int, std::uint16_t*);
template void put_field(const std::int64_t*, std::size_t, std::int64_t, int, std::uint32_t*);
template void put_field(const std::int64_t*, std::size_t, std::int64_t, int, std::uint64_t*);
template void put_field(const std::uint16_t*, std::size_t, std::int64_t, int, std::uint8_t*);
template void put_field(const std::uint16_t*, std::size_t, std::int64_t, int, std::uint16_t*);
template void put_field(const std::uint16_t*, std::size_t, std::int64_t, int, std::uint32_t*);
template void put_field(const std::uint16_t*, std::size_t, std::int64_t, int, std::uint64_t*);
template void put_field(const std::uint32_t*, std::size_t, std::int64_t, int, std::uint8_t*);
template void put_field(const std::uint32_t*, std::size_t, std::int64_t, int, std::uint16_t*);
template void put_field(const std::uint32_t*, std::size_t, std::int64_t, int, std::uint32_t*);
template void put_field(const std::uint32_t*, std::size_t, std::int64_t, int, std::uint64_t*);
template void put_field(const double*, std::size_t, std::int64_t, int, std::uint8_t*);
template void put_field(const double*, std::size_t, std::int64_t, int, std::uint16_t*);
template void put_field(const double*, std::size_t, std::int64_t, int, std::uint32_t*);
template void put_field(const double*, std::size_t, std::int64_t, int, std::uint64_t*);

}  // namespace lofty::engine
