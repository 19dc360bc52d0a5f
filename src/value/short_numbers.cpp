#include "value/short_numbers.hpp"

#include <bit>
#include <cstring>

#if defined(__x86_64__)
#include <immintrin.h>

#include "base/vectors.hpp"
#endif

namespace lofty::engine {
namespace {

constexpr std::uint64_t powers[8] = {1, 10, 100, 1'000, 10'000, 100'000, 1'000'000, 10'000'000};

// One to eight digits at once: subtracting '0' from each byte, then joining neighbours (a well-known trick; here after
// D. Lemire, "Parsing 8-digit integers", 2018). False when some byte is no digit.
bool eight_digits(const char* text, std::size_t size, std::uint64_t& value) {
  std::uint64_t word;
  std::memcpy(&word, text, sizeof word);
  if constexpr (std::endian::native == std::endian::big) return false;
  word = (word ^ 0x3030303030303030) << (64 - 8 * size);  // digits to the end, zeros in front
  if (((word + 0x7676767676767676) | word) & 0x8080808080808080) return false;
  word = word * 10 + (word >> 8);
  value = (((word & 0x000000FF000000FF) * 0x000F424000000064) +
           (((word >> 16) & 0x000000FF000000FF) * 0x0000271000000001)) >>
          32;
  return true;
}

// Bits are joined, not tested one after the other: whether a number has one digit or two is unpredictable.
bool whole_part(const char* text, std::size_t size, std::uint64_t& value) {
  return (size - 1 <= 7) & !((size > 1) & (text[0] == '0')) && eight_digits(text, size, value);
}

std::size_t read_plainly(const char* text, const std::uint32_t* at, std::size_t stride, std::size_t count,
                         std::size_t scale, std::int64_t* out) {
  for (std::size_t r = 0; r < count; ++r, at += stride) {
    const char* const field = text + at[0];
    std::uint64_t value = 0, decimals = 0;
    if (scale == 0) {
      if (!whole_part(field, at[1] - at[0] - 1, value)) return r;
    } else {
      const std::size_t whole = at[1] - at[0] - 2 - scale;  // wraps round for too short a text
      if (!whole_part(field, whole, value) || field[whole] != '.' || !eight_digits(field + whole + 1, scale, decimals))
        return r;
      value = value * powers[scale] + decimals;
    }
    out[r] = static_cast<std::int64_t>(value);
  }
  return count;
}

#if defined(__x86_64__)

// 256 bits: wider ones would slow the processor's clock, and with it the parser that this runs next to.
#define LOFTY_AVX2 __attribute__((target("avx2")))

// The digits (0 to 9 in each byte, the first of them lowest) of four words as numbers.
LOFTY_AVX2 __m256i joined_digits(__m256i digits) {
  const __m256i pairs = _mm256_maddubs_epi16(digits, _mm256_set1_epi16(0x010A));  // 10 * first + second
  const __m256i fours = _mm256_madd_epi16(pairs, _mm256_set1_epi32(0x00010064));  // 100 * first + second
  return _mm256_add_epi64(_mm256_mul_epu32(fours, _mm256_set1_epi64x(10'000)), _mm256_srli_epi64(fours, 32));
}

// High bits are set where a byte is no digit, once '0' is taken away.
LOFTY_AVX2 __m256i others(__m256i digits) {
  return _mm256_or_si256(_mm256_add_epi64(digits, _mm256_set1_epi64x(0x7676767676767676)), digits);
}

// Eight bytes from each of four places. One by one: a gather instruction is slower on processors that have to be kept
// from leaking through it.
LOFTY_AVX2 __m256i four_words(const char* text, const std::uint64_t* at) {
  const auto word = [&](int i) {
    long long bytes;
    std::memcpy(&bytes, text + at[i], sizeof bytes);
    return bytes;
  };
  return _mm256_set_epi64x(word(3), word(2), word(1), word(0));
}

LOFTY_AVX2 std::size_t read_by_vectors(const char* text, const std::uint32_t* begin, std::size_t stride,
                                       std::size_t count, std::size_t scale, std::int64_t* out) {
  const __m256i zeros = _mm256_set1_epi64x(0x3030303030303030), one = _mm256_set1_epi64x(1),
                byte = _mm256_set1_epi64x(0xff);
  // Bytes of a field that are not of its whole part.
  const __m256i less = _mm256_set1_epi64x(static_cast<long long>(scale == 0 ? 1 : scale + 2));
  std::size_t r = 0;
  for (; r + 4 <= count; r += 4) {
    std::uint64_t places[4], sizes[4];
    for (std::size_t i = 0; i < 4; ++i) {
      const std::uint32_t* const at = begin + (r + i) * stride;
      places[i] = at[0];
      sizes[i] = at[1] - at[0];
    }

    // The whole part: digits alone, and no needless zero.
    const __m256i whole = _mm256_sub_epi64(_mm256_loadu_si256(reinterpret_cast<const __m256i*>(sizes)), less);
    const __m256i before_last = _mm256_sub_epi64(whole, one);  // 0 to 7 where there are one to eight digits
    const __m256i word = _mm256_xor_si256(four_words(text, places), zeros);
    const __m256i digits =
        _mm256_sllv_epi64(word, _mm256_sub_epi64(_mm256_set1_epi64x(64), _mm256_slli_epi64(whole, 3)));
    const __m256i needless_zero = _mm256_and_si256(
        _mm256_cmpeq_epi64(_mm256_and_si256(word, byte), _mm256_setzero_si256()), _mm256_cmpgt_epi64(whole, one));
    __m256i wrong =
        _mm256_or_si256(_mm256_or_si256(_mm256_cmpgt_epi64(before_last, _mm256_set1_epi64x(7)), before_last),
                        _mm256_or_si256(needless_zero, others(digits)));
    if (_mm256_movemask_epi8(wrong) != 0) break;  // before anything is read at a place that may not be there
    __m256i value = joined_digits(digits);

    // The point and the decimals.
    if (scale > 0) {
      std::uint64_t lengths[4];
      _mm256_storeu_si256(reinterpret_cast<__m256i*>(lengths), whole);
      for (std::size_t i = 0; i < 4; ++i) places[i] += lengths[i];
      const __m256i behind = four_words(text, places);
      const __m256i decimals =
          _mm256_slli_epi64(_mm256_srli_epi64(_mm256_xor_si256(behind, zeros), 8), static_cast<int>(64 - 8 * scale));
      const __m256i point = _mm256_cmpeq_epi64(_mm256_and_si256(behind, byte), _mm256_set1_epi64x('.'));
      wrong = _mm256_or_si256(_mm256_andnot_si256(point, _mm256_set1_epi64x(-1)), others(decimals));
      if (_mm256_movemask_epi8(wrong) != 0) break;
      value = _mm256_add_epi64(_mm256_mul_epu32(value, _mm256_set1_epi64x(static_cast<long long>(powers[scale]))),
                               joined_digits(decimals));
    }
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(out + r), value);
  }
  return r + read_plainly(text, begin + r * stride, stride, count - r, scale, out + r);
}

#endif

}  // namespace

std::size_t read_short_numbers(const char* text, const std::uint32_t* begin, std::size_t stride, std::size_t count,
                               std::size_t scale, std::int64_t* out) {
#if defined(__x86_64__)
  if (has_avx2()) return read_by_vectors(text, begin, stride, count, scale, out);
#endif
  return read_plainly(text, begin, stride, count, scale, out);
}

}  // namespace lofty::engine
