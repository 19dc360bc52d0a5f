#include "order/unpack.hpp"

#include "base/vectors.hpp"
#include "order/order_data.hpp"

namespace lofty::engine {
namespace {

// Compiled once for each instruction set below, in which the compiler turns it into vectors.
[[gnu::always_inline]] inline void unpack_all(const std::uint64_t* words, std::size_t count, const WordMeaning& meaning,
                                              std::uint32_t* rows, std::uint8_t* marks) {
  const WordMeaning m = meaning;  // the outputs could be part of it, as far as the compiler knows
  const std::uint64_t row_mask = (std::uint64_t{1} << m.row_bits) - 1;
  for (std::size_t i = 0; i < count; ++i) rows[i] = static_cast<std::uint32_t>(words[i] & row_mask);
  marks[0] = ((m.base + (words[0] >> m.row_bits)) & m.unranked) == 0 ? OrderData::is_ranked : 0;
  for (std::size_t i = 1; i < count; ++i) {
    const std::uint64_t here = m.base + (words[i] >> m.row_bits),
                        difference = here ^ (m.base + (words[i - 1] >> m.row_bits));
    const std::uint64_t all = ((difference & m.group) != 0 ? std::uint64_t{OrderData::group_start} : 0) |
                              ((difference & m.peer) != 0 ? std::uint64_t{OrderData::peer_start} : 0) |
                              ((difference & m.key) != 0 ? std::uint64_t{OrderData::key_start} : 0) |
                              ((here & m.unranked) == 0 ? std::uint64_t{OrderData::is_ranked} : 0);
    marks[i] = static_cast<std::uint8_t>(all);
  }
}

#ifdef __x86_64__
[[gnu::target("avx512f,avx512bw,avx512vl,avx512dq")]] void unpack_avx512(const std::uint64_t* words, std::size_t count,
                                                                         const WordMeaning& meaning,
                                                                         std::uint32_t* rows, std::uint8_t* marks) {
  unpack_all(words, count, meaning, rows, marks);
}
[[gnu::target("avx2")]] void unpack_avx2(const std::uint64_t* words, std::size_t count, const WordMeaning& meaning,
                                         std::uint32_t* rows, std::uint8_t* marks) {
  unpack_all(words, count, meaning, rows, marks);
}
#endif

}  // namespace

void unpack(const std::uint64_t* words, std::size_t count, const WordMeaning& meaning, std::uint32_t* rows,
            std::uint8_t* marks) {
  if (count == 0) return;
#ifdef __x86_64__
  if (has_avx512()) return unpack_avx512(words, count, meaning, rows, marks);
  if (has_avx2()) return unpack_avx2(words, count, meaning, rows, marks);
#endif
  unpack_all(words, count, meaning, rows, marks);
}

}  // namespace lofty::engine
