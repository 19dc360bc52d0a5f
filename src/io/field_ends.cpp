// Compiled once for each kind of vectors (Highway's foreach_target includes this file again), and chosen by
// base/vectors.hpp: Highway's own choice needs its library, which takes 3.5 ms to load.

#include "io/field_ends.hpp"

#include <algorithm>
#include <bit>
#include <cstring>

#include "base/vectors.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "io/field_ends.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace lofty::engine {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// The bits of 64 bytes: where each of these characters is.
struct Marks64 {
  std::uint64_t ends = 0, line_feeds = 0, returns = 0, quotes = 0;
};

using Bytes64 = hn::CappedTag<std::uint8_t, 64>;

template <class Mask>
HWY_INLINE std::uint64_t bits_of(Bytes64 d, Mask mask) {
  std::uint8_t bits[8] = {};
  hn::StoreMaskBits(d, mask, bits);
  std::uint64_t out;
  std::memcpy(&out, bits, sizeof out);
  return out;
}

HWY_INLINE Marks64 marks_of(const char* text, std::uint8_t delimiter) {
  const Bytes64 d;
  const auto* const at = reinterpret_cast<const std::uint8_t*>(text);
  Marks64 out;
  for (std::size_t i = 0; i < 64; i += hn::Lanes(d)) {
    const auto bytes = hn::LoadU(d, at + i);
    const auto feeds = hn::Eq(bytes, hn::Set(d, '\n')), returns = hn::Eq(bytes, hn::Set(d, '\r'));
    const auto ends = hn::Or(hn::Eq(bytes, hn::Set(d, delimiter)), hn::Or(feeds, returns));
    out.ends |= bits_of(d, ends) << i;
    out.line_feeds |= bits_of(d, feeds) << i;
    out.returns |= bits_of(d, returns) << i;
    out.quotes |= bits_of(d, hn::Eq(bytes, hn::Set(d, '"'))) << i;
  }
  return out;
}

// Quotes and line feeds alone.
HWY_INLINE Marks64 quote_marks_of(const char* text) {
  const Bytes64 d;
  const auto* const at = reinterpret_cast<const std::uint8_t*>(text);
  Marks64 out;
  for (std::size_t i = 0; i < 64; i += hn::Lanes(d)) {
    const auto bytes = hn::LoadU(d, at + i);
    out.line_feeds |= bits_of(d, hn::Eq(bytes, hn::Set(d, '\n'))) << i;
    out.quotes |= bits_of(d, hn::Eq(bytes, hn::Set(d, '"'))) << i;
  }
  return out;
}

// 64 bytes of a text from `at` on; beyond its end they are zero, and lie in `last`.
HWY_INLINE const char* block_at(const char* text, std::size_t size, std::size_t at, char* last) {
  if (size - at >= 64) return text + at;
  std::memset(last, 0, 64);
  std::memcpy(last, text + at, size - at);
  return last;
}

// What is below the lowest bit that is set.
HWY_INLINE std::uint64_t below_first(std::uint64_t bits) { return (bits & (0 - bits)) - 1; }

// Each bit: is the number of bits that are set up to it, itself included, odd?
HWY_INLINE std::uint64_t odd_so_far(std::uint64_t bits) {
  for (int step = 1; step < 64; step *= 2) bits ^= bits << step;
  return bits;
}

// Eight at a time, wanted or not: how many there are is unpredictable.
HWY_INLINE std::uint32_t* put_places(std::uint64_t bits, std::uint32_t base, std::uint32_t* out) {
  const int count = std::popcount(bits);
  std::uint32_t* at = out;
  while (bits != 0) {
    for (int i = 0; i < 8; ++i) {
      at[i] = base + static_cast<std::uint32_t>(std::countr_zero(bits));
      bits &= bits - 1;
    }
    at += 8;
  }
  return out + count;
}

FieldEnds find_field_ends(const char* text, std::size_t size, std::size_t from, std::uint8_t delimiter,
                          std::uint32_t* out, std::size_t room) {
  FieldEnds found;
  std::uint32_t* next = out;
  const std::uint32_t* const full = out + room - 64;
  std::uint64_t returns = 0;
  std::size_t at = from;
  char last[64];
  while (at < size && next <= full) {
    const std::size_t here = std::min<std::size_t>(64, size - at);
    const char* const block = block_at(text, size, at, last);
    Marks64 marks = marks_of(block, delimiter);

    // Up to the first quote, or the end of the text.
    std::uint64_t valid = here < 64 ? (std::uint64_t{1} << here) - 1 : ~std::uint64_t{0};
    if (marks.quotes != 0) valid &= below_first(marks.quotes);
    next = put_places(marks.ends & valid, static_cast<std::uint32_t>(at) + 1, next);
    found.line_feeds += static_cast<std::size_t>(std::popcount(marks.line_feeds & valid));
    returns |= marks.returns & valid;
    if (marks.quotes != 0) {
      at += static_cast<std::size_t>(std::countr_zero(marks.quotes));
      break;
    }
    at += here;
  }
  found.count = static_cast<std::size_t>(next - out);
  found.carriage_returns = returns != 0;
  found.stopped = at;
  return found;
}

FieldEnds find_field_ends_outside_quotes(const char* text, std::size_t size, std::size_t from, std::uint8_t delimiter,
                                         QuoteState& state, std::uint32_t* out, std::size_t room) {
  FieldEnds found;
  std::uint32_t* next = out;
  const std::uint32_t* const full = out + room - 64;
  std::uint64_t returns = 0, any_quotes = 0;
  std::uint64_t inside = state.inside ? ~std::uint64_t{0} : 0;  // all bits: the block begins inside quotes
  std::uint64_t field_begins = state.field_begins ? 1 : 0, closed = state.closed ? 1 : 0;  // of the block's first byte
  std::size_t at = from;
  char last[64];
  while (at < size && next <= full) {
    const std::size_t here = std::min<std::size_t>(64, size - at);
    const char* const block = block_at(text, size, at, last);
    const Marks64 marks = marks_of(block, delimiter);
    const std::uint64_t in_quotes = odd_so_far(marks.quotes) ^ inside;  // from an opening quote to before the closing
    const std::uint64_t ends = marks.ends & ~in_quotes;

    // A quote opens where a field begins, and a field, or the text, ends right after the one that closes.
    const std::uint64_t opening = marks.quotes & in_quotes, closing = marks.quotes & ~in_quotes;
    const std::uint64_t end_of_text = here < 64 ? std::uint64_t{1} << here : 0;
    const std::uint64_t wrong =
        (opening & ~(ends << 1 | field_begins)) | ((closing << 1 | closed) & ~(ends | end_of_text));

    // Up to the first that is otherwise.
    std::uint64_t valid = here < 64 ? end_of_text - 1 : ~std::uint64_t{0};
    if (wrong != 0) valid &= below_first(wrong);
    next = put_places(ends & valid, static_cast<std::uint32_t>(at) + 1, next);
    found.line_feeds += static_cast<std::size_t>(std::popcount(marks.line_feeds & ends & valid));
    returns |= marks.returns & ends & valid;
    any_quotes |= marks.quotes;
    if (wrong != 0) {
      at += static_cast<std::size_t>(std::countr_zero(wrong));
      found.needs_parser = true;
      break;
    }
    at += here;
    inside = 0 - (in_quotes >> 63);
    field_begins = ends >> 63;
    closed = closing >> 63;
    if (at == size && in_quotes >> (here - 1) != 0) found.needs_parser = true;
  }
  found.count = static_cast<std::size_t>(next - out);
  found.carriage_returns = returns != 0;
  found.stopped = at;
  found.quotes = any_quotes != 0;
  state = {.inside = inside != 0, .field_begins = field_begins != 0, .closed = closed != 0};
  return found;
}

std::size_t quoted_records_end(const char* text, std::size_t size, std::size_t from, std::size_t most) {
  std::uint64_t inside = 0;  // all bits: the block begins inside quotes
  bool quote = false;        // has the record had one?
  std::size_t begin = from;  // of the record
  char last[64];
  for (std::size_t at = from; at < size; at += 64) {
    const char* const block = block_at(text, size, at, last);
    const Marks64 marks = quote_marks_of(block);
    const std::uint64_t in_quotes = odd_so_far(marks.quotes) ^ inside;
    inside = 0 - (in_quotes >> 63);

    // Record by record.
    std::uint64_t quotes = marks.quotes;
    for (std::uint64_t ends = marks.line_feeds & ~in_quotes; ends != 0; ends &= ends - 1) {
      const std::uint64_t before = below_first(ends);
      if ((!quote && (quotes & before) == 0) || most == 0) return begin;
      quotes &= ~before;
      quote = false;
      begin = at + static_cast<std::size_t>(std::countr_zero(ends)) + 1;
      --most;
    }
    quote = quote || quotes != 0;
  }
  return quote && most > 0 ? size : begin;
}

std::size_t count_quotes(const char* text, std::size_t size) {
  const Bytes64 d;
  const auto* const at = reinterpret_cast<const std::uint8_t*>(text);
  std::size_t count = 0, i = 0;
  for (; i + hn::Lanes(d) <= size; i += hn::Lanes(d))
    count += hn::CountTrue(d, hn::Eq(hn::LoadU(d, at + i), hn::Set(d, '"')));
  for (; i < size; ++i) count += text[i] == '"';
  return count;
}

std::size_t count_line_ends(const char* text, std::size_t size) {
  std::size_t count = 0;
  std::uint64_t after_return = 0;  // was the last byte of the block before a carriage return?
  char last[64];
  for (std::size_t at = 0; at < size; at += 64) {
    const char* const block = block_at(text, size, at, last);
    const Marks64 marks = marks_of(block, '\n');
    count += static_cast<std::size_t>(std::popcount(marks.returns) +
                                      std::popcount(marks.line_feeds & ~(marks.returns << 1 | after_return)));
    after_return = marks.returns >> 63;
  }
  return count;
}

}  // namespace HWY_NAMESPACE
}  // namespace lofty::engine
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace lofty::engine {
namespace {

struct Functions {
  decltype(&HWY_STATIC_DISPATCH(find_field_ends)) find_field_ends;
  decltype(&HWY_STATIC_DISPATCH(find_field_ends_outside_quotes)) find_field_ends_outside_quotes;
  decltype(&HWY_STATIC_DISPATCH(quoted_records_end)) quoted_records_end;
  decltype(&HWY_STATIC_DISPATCH(count_quotes)) count_quotes;
  decltype(&HWY_STATIC_DISPATCH(count_line_ends)) count_line_ends;
};

// Those for the widest vectors that may be used. (Highway compiles for more than vectors.hpp asks of the machine.)
Functions chosen() {
#if HWY_TARGETS & HWY_AVX3
  static const bool has_rest = __builtin_cpu_supports("bmi2") && __builtin_cpu_supports("fma") &&
                               __builtin_cpu_supports("aes") && __builtin_cpu_supports("pclmul");
  if (has_rest && has_avx512())
    return {N_AVX3::find_field_ends, N_AVX3::find_field_ends_outside_quotes, N_AVX3::quoted_records_end,
            N_AVX3::count_quotes, N_AVX3::count_line_ends};
  if (has_rest && has_avx2())
    return {N_AVX2::find_field_ends, N_AVX2::find_field_ends_outside_quotes, N_AVX2::quoted_records_end,
            N_AVX2::count_quotes, N_AVX2::count_line_ends};
#endif
  return {HWY_STATIC_DISPATCH(find_field_ends), HWY_STATIC_DISPATCH(find_field_ends_outside_quotes),
          HWY_STATIC_DISPATCH(quoted_records_end), HWY_STATIC_DISPATCH(count_quotes),
          HWY_STATIC_DISPATCH(count_line_ends)};
}

}  // namespace

FieldEnds find_field_ends(std::string_view text, std::size_t from, char delimiter, std::uint32_t* out,
                          std::size_t room) {
  return chosen().find_field_ends(text.data(), text.size(), from, static_cast<std::uint8_t>(delimiter), out, room);
}

FieldEnds find_field_ends_outside_quotes(std::string_view text, std::size_t from, char delimiter, QuoteState& state,
                                         std::uint32_t* out, std::size_t room) {
  return chosen().find_field_ends_outside_quotes(text.data(), text.size(), from, static_cast<std::uint8_t>(delimiter),
                                                 state, out, room);
}

std::size_t quoted_records_end(std::string_view text, std::size_t from, std::size_t most) {
  return chosen().quoted_records_end(text.data(), text.size(), from, most);
}

std::size_t count_line_ends(std::string_view text) { return chosen().count_line_ends(text.data(), text.size()); }

std::size_t count_quotes(std::string_view text) { return chosen().count_quotes(text.data(), text.size()); }

}  // namespace lofty::engine
#endif  // HWY_ONCE
