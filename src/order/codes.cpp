#include "order/codes.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

namespace lofty::engine {
namespace {

constexpr std::uint64_t sign_bit = std::uint64_t{1} << 63;

std::uint64_t ordered(std::int64_t value) { return static_cast<std::uint64_t>(value) ^ sign_bit; }

std::uint64_t ordered(double value) {
  if (value == 0) value = 0;  // one zero
  const auto bits = std::bit_cast<std::uint64_t>(value);
  return (bits & sign_bit) != 0 ? ~bits : bits | sign_bit;
}

// Codes of up to 64 bits from order-preserving integers. `value(i)` is asked only where `null(i)` is false.
template <class Null, class GetValue>
Codes narrow_codes(std::size_t size, bool descending, Nulls nulls, const Null& null, const GetValue& value,
                   bool& too_wide) {
  std::uint64_t least = ~std::uint64_t{0}, greatest = 0;
  bool any_null = false, any = false;
  for (std::size_t i = 0; i < size; ++i) {
    if (null(i)) {
      any_null = true;
      continue;
    }
    any = true;
    least = std::min(least, value(i));
    greatest = std::max(greatest, value(i));
  }
  Codes codes;
  if (!any) least = greatest = 0;
  const std::uint64_t range = greatest - least;
  too_wide = any_null && any && range == ~std::uint64_t{0};
  if (too_wide) return codes;
  const bool nulls_first = any_null && nulls == Nulls::first;
  const std::uint64_t shift = nulls_first && any ? 1 : 0, null_code = nulls_first || !any ? 0 : range + 1;
  codes.bits = std::bit_width(any_null && any ? range + 1 : range);
  codes.values.resize(size);
  for (std::size_t i = 0; i < size; ++i)
    codes.values[i] = null(i) ? null_code : (descending ? greatest - value(i) : value(i) - least) + shift;
  return codes;
}

template <class Null, class GetValue>
void encode_narrow(std::size_t size, bool descending, Nulls nulls, const Null& null, const GetValue& value,
                   std::vector<Codes>& out) {
  bool too_wide = false;
  Codes codes = narrow_codes(size, descending, nulls, null, value, too_wide);
  if (too_wide) {  // all 64 bits are taken, and there are nulls: they get a bit of their own
    Codes flag;
    flag.bits = 1;
    for (std::size_t i = 0; i < size; ++i) flag.values.push_back(null(i) == (nulls == Nulls::last));
    out.push_back(std::move(flag));
    codes = narrow_codes(
        size, descending, nulls, [](std::size_t) { return false; },
        [&](std::size_t i) { return null(i) ? std::uint64_t{0} : value(i); }, too_wide);
  }
  out.push_back(std::move(codes));
}

// 128-bit values; one word when their range allows it.
template <class Null, class GetValue>
void encode_wide(std::size_t size, bool descending, Nulls nulls, const Null& null, const GetValue& value,
                 std::vector<Codes>& out) {
  int128 least = int128_max, greatest = int128_min;
  for (std::size_t i = 0; i < size; ++i) {
    if (null(i)) continue;
    least = std::min<int128>(least, value(i));
    greatest = std::max<int128>(greatest, value(i));
  }
  if (least > greatest) least = greatest = 0;
  const uint128 range = static_cast<uint128>(greatest) - static_cast<uint128>(least);
  const auto offset = [&](std::size_t i) -> uint128 {
    return null(i) ? 0 : static_cast<uint128>(value(i)) - static_cast<uint128>(least);
  };
  if (range >> 64 == 0)
    return encode_narrow(
        size, descending, nulls, null, [&](std::size_t i) { return static_cast<std::uint64_t>(offset(i)); }, out);
  encode_narrow(
      size, descending, nulls, null, [&](std::size_t i) { return static_cast<std::uint64_t>(offset(i) >> 64); }, out);
  encode_narrow(
      size, descending, nulls, null, [&](std::size_t i) { return static_cast<std::uint64_t>(offset(i)); }, out);
}

template <class T>
void encode_numbers(const Key& key, std::vector<Codes>& out) {
  const T* const values = static_cast<const T*>(key.values);
  const auto& mask = key.options.null_mask;
  const auto null = [&](std::size_t i) {
    if (!mask.empty() && mask[i] != 0) return true;
    if constexpr (std::is_floating_point_v<T>) return std::isnan(values[i]);
    return false;
  };
  const auto value = [&](std::size_t i) {
    if constexpr (std::is_floating_point_v<T>)
      return ordered(static_cast<double>(values[i]));
    else if constexpr (std::is_same_v<T, Date>)
      return ordered(std::int64_t{values[i].days});
    else if constexpr (std::is_same_v<T, Timestamp>)
      return ordered(values[i].microseconds);
    else if constexpr (std::is_signed_v<T>)
      return ordered(std::int64_t{values[i]});
    else
      return std::uint64_t{values[i]};
  };
  encode_narrow(key.size, key.descending, key.options.nulls, null, value, out);
}

template <class T>
void encode_texts(const Key& key, std::vector<Codes>& out) {
  const T* const values = static_cast<const T*>(key.values);
  const auto& mask = key.options.null_mask;
  Dictionary dictionary;
  std::vector<std::uint32_t> codes(key.size);
  for (std::size_t i = 0; i < key.size; ++i)
    codes[i] = !mask.empty() && mask[i] != 0 ? Dictionary::none : dictionary.add(values[i]);
  const auto ranks = text_ranks(dictionary.values(), key.options.text, key.options.locale);
  encode_narrow(
      key.size, key.descending, key.options.nulls, [&](std::size_t i) { return codes[i] == Dictionary::none; },
      [&](std::size_t i) { return std::uint64_t{ranks[codes[i]]}; }, out);
}

void encode_decimals(const Key& key, std::vector<Codes>& out) {
  const auto* const values = static_cast<const Decimal*>(key.values);
  const auto& mask = key.options.null_mask;
  const auto null = [&](std::size_t i) { return !mask.empty() && mask[i] != 0; };
  int scale = 0;
  for (std::size_t i = 0; i < key.size; ++i) scale = std::max(scale, values[i].scale());
  bool fits = true;
  std::vector<int128> lifted(key.size);
  for (std::size_t i = 0; i < key.size && fits; ++i)
    if (!null(i)) fits = scale_up(values[i].coefficient(), scale - values[i].scale(), lifted[i]);
  if (fits)
    return encode_wide(
        key.size, key.descending, key.options.nulls, null, [&](std::size_t i) { return lifted[i]; }, out);
  // No common scale holds them all: number the distinct values instead.
  std::vector<std::uint32_t> sorted;
  for (std::size_t i = 0; i < key.size; ++i)
    if (!null(i)) sorted.push_back(static_cast<std::uint32_t>(i));
  std::sort(sorted.begin(), sorted.end(), [&](std::uint32_t a, std::uint32_t b) { return values[a] < values[b]; });
  std::vector<std::uint64_t> ranks(key.size);
  for (std::size_t i = 1; i < sorted.size(); ++i)
    ranks[sorted[i]] = ranks[sorted[i - 1]] + (values[sorted[i]] != values[sorted[i - 1]]);
  encode_narrow(
      key.size, key.descending, key.options.nulls, null, [&](std::size_t i) { return ranks[i]; }, out);
}

}  // namespace

void encode(const Key& key, std::vector<Codes>& out) {
  switch (key.element) {
    case Element::int8: return encode_numbers<std::int8_t>(key, out);
    case Element::int16: return encode_numbers<std::int16_t>(key, out);
    case Element::int32: return encode_numbers<std::int32_t>(key, out);
    case Element::int64: return encode_numbers<std::int64_t>(key, out);
    case Element::uint8: return encode_numbers<std::uint8_t>(key, out);
    case Element::uint16: return encode_numbers<std::uint16_t>(key, out);
    case Element::uint32: return encode_numbers<std::uint32_t>(key, out);
    case Element::uint64: return encode_numbers<std::uint64_t>(key, out);
    case Element::float32: return encode_numbers<float>(key, out);
    case Element::float64: return encode_numbers<double>(key, out);
    case Element::date: return encode_numbers<Date>(key, out);
    case Element::timestamp: return encode_numbers<Timestamp>(key, out);
    case Element::decimal: return encode_decimals(key, out);
    case Element::view: return encode_texts<std::string_view>(key, out);
    case Element::string: return encode_texts<std::string>(key, out);
  }
}

void encode(const ColumnKey& key, std::vector<Codes>& out) {
  const Column& column = *key.column;
  const std::size_t size = column.rows();
  const auto null = [&](std::size_t i) { return column.is_null(i); };
  switch (column.lane()) {
    case Lane::int64:
      return encode_narrow(
          size, key.descending, key.options.nulls, null, [&](std::size_t i) { return ordered(column.int64(i)); }, out);
    case Lane::int128:
      return encode_wide(
          size, key.descending, key.options.nulls, null, [&](std::size_t i) { return column.integer(i); }, out);
    case Lane::float64:
      return encode_narrow(
          size, key.descending, key.options.nulls, null, [&](std::size_t i) { return ordered(column.float64(i)); },
          out);
    case Lane::code: {
      const auto ranks = text_ranks(column.dictionary().values(), key.options.text, key.options.locale);
      return encode_narrow(
          size, key.descending, key.options.nulls, null,
          [&](std::size_t i) { return std::uint64_t{ranks[column.code(i)]}; }, out);
    }
  }
}

}  // namespace lofty::engine
