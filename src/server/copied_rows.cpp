#include "server/copied_rows.hpp"

#include <simdjson.h>

#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <stdexcept>
#include <utility>

#include "value/exact.hpp"

namespace lofty::engine {
namespace {

// Bytes in network order, from the front. Throws std::out_of_range beyond their end.
class NetworkBytes {
 public:
  explicit NetworkBytes(std::string_view bytes) : bytes_(bytes) {}

  template <class Unsigned>
  Unsigned number() {
    const std::string_view own = some(sizeof(Unsigned));
    Unsigned out = 0;
    for (const char c : own) out = static_cast<Unsigned>(out << 8 | static_cast<unsigned char>(c));
    return out;
  }
  std::int16_t int16() { return static_cast<std::int16_t>(number<std::uint16_t>()); }
  std::int32_t int32() { return static_cast<std::int32_t>(number<std::uint32_t>()); }
  std::int64_t int64() { return static_cast<std::int64_t>(number<std::uint64_t>()); }
  std::string_view some(std::size_t count) {
    if (count > bytes_.size()) throw std::out_of_range("a copied row ends too early");
    const std::string_view own = bytes_.substr(0, count);
    bytes_.remove_prefix(count);
    return own;
  }
  bool empty() const { return bytes_.empty(); }

 private:
  std::string_view bytes_;
};

// Days and moments are counted from 2000-01-01 there.
constexpr std::int32_t days_to_2000 = 10'957;
constexpr std::int64_t microseconds_a_day = 86'400'000'000;
// The years 1 to 9999, as files hold them.
constexpr std::int32_t first_day = -719'162, last_day = 2'932'896;

}  // namespace

CopiedRows::CopiedRows(const std::vector<SentColumn>& columns) : columns_(columns) { begin(); }

void CopiedRows::begin() {
  pieces_.clear();
  for (const SentColumn& column : columns_) pieces_.emplace_back(column.type);
  rows_ = bytes_ = 0;
}

std::vector<Piece> CopiedRows::take() {
  std::vector<Piece> out = std::move(pieces_);
  begin();
  return out;
}

void CopiedRows::add(std::string_view part) {
  bytes_ += part.size();
  NetworkBytes bytes(part);
  if (std::exchange(header_, false)) {
    constexpr std::size_t signature = 11;
    bytes.some(signature + 4);                  // and flags
    bytes.some(bytes.number<std::uint32_t>());  // an extension
  }
  while (!bytes.empty()) {
    const std::int16_t fields = bytes.int16();
    if (fields < 0) return;  // the end
    if (static_cast<std::size_t>(fields) != columns_.size())
      throw std::out_of_range("a copied row has another number of fields");
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const std::int32_t length = bytes.int32();
      if (length < 0)
        pieces_[c].add_null();
      else
        add_value(c, bytes.some(static_cast<std::size_t>(length)));
    }
    ++rows_;
  }
}

void CopiedRows::add_value(std::size_t column, std::string_view own) {
  Piece& piece = pieces_[column];
  NetworkBytes bytes(own);
  const auto add_float = [&](double value) {
    if (!std::isfinite(value)) throw Misplaced{column, std::isnan(value) ? "NaN" : "an infinite number"};
    piece.add_double(value);
  };
  switch (columns_[column].as) {
    case SentAs::int2: piece.add_integer(bytes.int16()); return;
    case SentAs::int4: piece.add_integer(bytes.int32()); return;
    case SentAs::int8: piece.add_integer(bytes.int64()); return;
    case SentAs::numeric: add_numeric(column, own); return;
    case SentAs::float4: add_float(static_cast<double>(std::bit_cast<float>(bytes.number<std::uint32_t>()))); return;
    case SentAs::float8: add_float(std::bit_cast<double>(bytes.number<std::uint64_t>())); return;
    case SentAs::boolean: piece.add_integer(bytes.some(1)[0] != 0); return;
    case SentAs::date: {
      const std::int64_t day = std::int64_t{bytes.int32()} + days_to_2000;
      if (day < first_day || day > last_day) throw Misplaced{column, "a date outside of the years 1 to 9999"};
      piece.add_integer(day);
      return;
    }
    case SentAs::timestamp: {
      const std::int64_t moment = bytes.int64();
      constexpr std::int64_t least = (first_day - std::int64_t{days_to_2000}) * microseconds_a_day,
                             end = (last_day + 1 - std::int64_t{days_to_2000}) * microseconds_a_day;
      if (moment < least || moment >= end) throw Misplaced{column, "a moment outside of the years 1 to 9999"};
      piece.add_integer(moment + days_to_2000 * microseconds_a_day);
      return;
    }
    case SentAs::text:
      if (!simdjson::validate_utf8(own.data(), own.size())) throw Misplaced{column, "text that is not UTF-8"};
      piece.add_text(own);
      return;
  }
}

// Digits of base 10,000, the first one with this weight.
void CopiedRows::add_numeric(std::size_t column, std::string_view own) {
  constexpr std::uint16_t positive = 0, negative = 0x4000, nan = 0xC000;
  NetworkBytes bytes(own);
  const int digits = bytes.int16(), weight = bytes.int16();
  const auto sign = bytes.number<std::uint16_t>();
  const int scale = bytes.int16();
  if (sign == nan) throw Misplaced{column, "NaN"};
  if (sign != positive && sign != negative) throw Misplaced{column, "an infinite number"};

  Piece& piece = pieces_[column];
  if (scale > piece.type.scale) {
    if (scale > 38) throw Misplaced{column, "a number of more than 38 digits"};
    piece.rescale(scale);
  }
  // The digits as one whole number of units of 10^-scale. The last digit may reach beyond the scale, with zeros.
  const int exponent = 4 * (weight - digits + 1) + piece.type.scale;  // of ten: what one of the last digit counts
  int128 units = 0;
  for (int d = 0; d < digits; ++d) {
    const int128 value = bytes.number<std::uint16_t>();
    const bool beyond = d + 1 == digits && exponent < 0;
    if (beyond && exponent < -3) throw std::out_of_range("a copied number has digits beyond its scale");
    const int shift = beyond ? 4 + exponent : 4;
    if (!scale_up(units, shift, units)) throw Misplaced{column, "a number of more than 38 digits"};
    units += beyond ? value / power_of_ten(-exponent) : value;
  }
  if ((exponent > 0 && digits > 0 && !scale_up(units, exponent, units)) || !fits_decimal(units))
    throw Misplaced{column, "a number of more than 38 digits"};
  piece.add_wide(sign == negative ? -units : units);
}

}  // namespace lofty::engine
