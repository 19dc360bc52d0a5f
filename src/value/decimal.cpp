// Decimal numbers of up to 38 digits.

#include "lofty/decimal.hpp"

#include <algorithm>
#include <charconv>
#include <cstdlib>

#include "base/call_check.hpp"
#include "value/exact.hpp"
#include "value/put_text.hpp"

namespace lofty::engine {

bool scale_up(int128 value, int digits, int128& out) {
  if (digits > 38 || value == 0) {
    out = 0;
    return value == 0;
  }
  return !__builtin_mul_overflow(value, power_of_ten(digits), &out) && fits_decimal(out);
}

int128 scale_down(int128 value, int digits) {
  if (digits > 38) return 0;
  return divide_half_even(value, power_of_ten(digits));
}

namespace {

struct Wide {  // an unsigned 256-bit number
  uint128 high = 0, low = 0;
};

Wide multiply_wide(uint128 a, uint128 b) {
  const uint128 mask = ~std::uint64_t{0};
  const uint128 a0 = a & mask, a1 = a >> 64, b0 = b & mask, b1 = b >> 64;
  const uint128 low = a0 * b0, mid1 = a1 * b0, mid2 = a0 * b1;
  const uint128 carry = ((low >> 64) + (mid1 & mask) + (mid2 & mask)) >> 64;
  return {a1 * b1 + (mid1 >> 64) + (mid2 >> 64) + carry, low + (mid1 << 64) + (mid2 << 64)};
}

uint128 magnitude(int128 value) { return value < 0 ? -static_cast<uint128>(value) : static_cast<uint128>(value); }

}  // namespace

bool divide_decimals(int128 a, int sa, int128 b, int sb, int scale, int128& out) {
  const int lift = scale - sa + sb;
  int128 numerator;
  if (lift >= 0 && scale_up(a, lift, numerator)) {
    out = divide_half_even(numerator, b);
    return fits_decimal(out);
  }
  if (lift < 0 || lift > 76) return false;

  // The dividend needs more than 128 bits: long division, bit by bit. Rare, so it may be slow.
  Wide wide = multiply_wide(magnitude(a), static_cast<uint128>(power_of_ten(std::min(lift, 38))));
  if (lift > 38) {
    if (wide.high != 0) return false;
    wide = multiply_wide(wide.low, static_cast<uint128>(power_of_ten(lift - 38)));
  }
  const uint128 divisor = magnitude(b);
  uint128 rest = 0, quotient = 0;
  for (int bit = 255; bit >= 0; --bit) {
    const uint128 next = bit >= 128 ? (wide.high >> (bit - 128)) & 1 : (wide.low >> bit) & 1;
    const bool carry = (rest >> 127) != 0;
    rest = (rest << 1) | next;
    if ((quotient >> 127) != 0) return false;
    quotient <<= 1;
    if (carry || rest >= divisor) {
      rest -= divisor;
      quotient |= 1;
    }
  }

  // To the nearest, half to even.
  const uint128 other = divisor - rest;
  if (rest > other || (rest == other && (quotient & 1) != 0)) ++quotient;
  if (quotient >= static_cast<uint128>(decimal_limit)) return false;
  out = static_cast<int128>(quotient);
  if ((a < 0) != (b < 0)) out = -out;
  return true;
}

int compare_decimals(int128 a, int sa, int128 b, int sb) {
  if (sa == sb) return a < b ? -1 : a > b;
  if (sa > sb) return -compare_decimals(b, sb, a, sa);
  int128 lifted;
  if (a == 0) return b > 0 ? -1 : b < 0;
  if (sb - sa > Decimal::max_digits) return a < 0 ? -1 : 1;
  if (__builtin_mul_overflow(a, power_of_ten(sb - sa), &lifted)) return a < 0 ? -1 : 1;  // beyond anything b can be
  return lifted < b ? -1 : lifted > b;
}

std::string integer_text(int128 value) {
  char digits[48];
  char* end = digits + sizeof digits;
  char* at = end;
  uint128 rest = magnitude(value);
  do {
    *--at = static_cast<char>('0' + static_cast<int>(rest % 10));
    rest /= 10;
  } while (rest != 0);
  if (value < 0) *--at = '-';
  return std::string(at, end);
}

}  // namespace lofty::engine

namespace lofty {

using namespace engine;

void Decimal::refuse_scale() { refuse_call("a decimal has 0 to 38 decimals"); }

std::optional<Decimal> Decimal::parse(std::string_view text) {
  bool negative = false;
  if (!text.empty() && (text[0] == '-' || text[0] == '+')) {
    negative = text[0] == '-';
    text.remove_prefix(1);
  }
  int128 coefficient = 0;
  int scale = 0;
  bool point = false, any = false;
  for (const char c : text) {
    if (c == '.' && !point) {
      point = true;
      continue;
    }
    if (c < '0' || c > '9') return std::nullopt;
    any = true;
    if (coefficient >= power_of_ten(37)) return std::nullopt;
    coefficient = coefficient * 10 + (c - '0');
    if (point && ++scale > max_digits) return std::nullopt;
  }
  if (!any) return std::nullopt;
  return Decimal(negative ? -coefficient : coefficient, scale);
}

std::string Decimal::text() const {
  if (fits_int64(coefficient_)) {
    std::string out;
    put_decimal(static_cast<std::int64_t>(coefficient_), scale_, out);
    return out;
  }
  std::string digits = integer_text(coefficient_ < 0 ? -coefficient_ : coefficient_);
  const auto scale = static_cast<std::size_t>(scale_);
  if (scale > 0) {
    if (digits.size() <= scale) digits.insert(0, scale + 1 - digits.size(), '0');
    digits.insert(digits.size() - scale, 1, '.');
  }
  if (coefficient_ < 0) digits.insert(0, 1, '-');
  return digits;
}

std::string Decimal::grouped_text() const {
  std::string digits = text();
  const std::size_t first = digits[0] == '-' ? 1 : 0;
  std::size_t at = std::min(digits.find('.'), digits.size());
  while (at > first + 3) digits.insert(at -= 3, ",");
  return digits;
}

double Decimal::to_double() const {
  // Through text, because dividing two doubles would round twice.
  const std::string written = text();
  double value = 0;
  std::from_chars(written.data(), written.data() + written.size(), value);
  return value;
}

std::optional<Decimal> Decimal::rescaled(int scale) const {
  if (scale <= scale_) return Decimal(scale_down(coefficient_, scale_ - scale), scale);
  int128 lifted;
  if (!scale_up(coefficient_, scale - scale_, lifted)) return std::nullopt;
  return Decimal(lifted, scale);
}

std::strong_ordering operator<=>(const Decimal& a, const Decimal& b) {
  return compare_decimals(a.coefficient_, a.scale_, b.coefficient_, b.scale_) <=> 0;
}

std::optional<Decimal> add(const Decimal& a, const Decimal& b) {
  const int scale = std::max(a.scale(), b.scale());
  int128 left, right, sum;
  if (!scale_up(a.coefficient(), scale - a.scale(), left) || !scale_up(b.coefficient(), scale - b.scale(), right) ||
      __builtin_add_overflow(left, right, &sum) || !fits_decimal(sum))
    return std::nullopt;
  return Decimal(sum, scale);
}

std::optional<Decimal> subtract(const Decimal& a, const Decimal& b) {
  return add(a, Decimal(-b.coefficient(), b.scale()));
}

std::optional<Decimal> multiply(const Decimal& a, const Decimal& b) {
  int128 product;
  const int scale = a.scale() + b.scale();
  if (scale > Decimal::max_digits || __builtin_mul_overflow(a.coefficient(), b.coefficient(), &product) ||
      !fits_decimal(product))
    return std::nullopt;
  return Decimal(product, scale);
}

std::optional<Decimal> divide(const Decimal& a, const Decimal& b) {
  if (b.coefficient() == 0) return std::nullopt;
  const int scale = std::min(a.scale() + 6, Decimal::max_digits);
  int128 quotient;
  if (!divide_decimals(a.coefficient(), a.scale(), b.coefficient(), b.scale(), scale, quotient)) return std::nullopt;
  return Decimal(quotient, scale);
}

}  // namespace lofty
