#pragma once
// Exact decimal numbers: what money is, from the file to the place.

#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "lofty/export.hpp"

namespace lofty LOFTY_EXPORT {

__extension__ using int128 = __int128;

class Decimal;
[[nodiscard]] std::strong_ordering operator<=>(const Decimal& a, const Decimal& b);

// An exact decimal number: coefficient() / 10^scale(), of at most 38 digits.
//
// Two decimals are equal when their values are, whatever their scales: 1.50 == 1.5. A plain value type: trivially
// copyable, safe to share between threads. Arithmetic gives nothing (`std::nullopt`) instead of wrapping when the
// exact result has more than 38 digits.
class Decimal {
 public:
  static constexpr int max_digits = 38;

  constexpr Decimal() = default;  // zero, with no decimals
  // Precondition: 0 <= scale <= 38, else CallError; the coefficient has at most 38 digits.
  constexpr Decimal(int128 coefficient, int scale) : coefficient_(coefficient), scale_(scale) {
    if (scale < 0 || scale > max_digits) refuse_scale();
  }

  // Reads "12.50", "-3", "+.5" or "7." exactly. Nothing for any other text: no exponent, no blanks, no thousands
  // separators, no more than 38 digits. "12.50" keeps its scale of 2.
  static std::optional<Decimal> parse(std::string_view text);

  constexpr int128 coefficient() const { return coefficient_; }
  constexpr int scale() const { return scale_; }  // digits after the point

  // "12.50", with exactly scale() decimals.
  std::string text() const;
  // The same for the eye: "12,345.60".
  std::string grouped_text() const;
  double to_double() const;  // the nearest double

  // The same value with `scale` decimals; rounded half to even when that drops digits. Nothing on overflow.
  std::optional<Decimal> rescaled(int scale) const;

  friend std::strong_ordering operator<=>(const Decimal& a, const Decimal& b);
  friend bool operator==(const Decimal& a, const Decimal& b) { return (a <=> b) == 0; }

 private:
  [[noreturn]] static void refuse_scale();
  int128 coefficient_ = 0;
  int scale_ = 0;
};

// Exact; the scale is the greater of the two for sums and differences, their sum for products.
[[nodiscard]] std::optional<Decimal> add(const Decimal& a, const Decimal& b);
[[nodiscard]] std::optional<Decimal> subtract(const Decimal& a, const Decimal& b);
[[nodiscard]] std::optional<Decimal> multiply(const Decimal& a, const Decimal& b);
// Rounded once, half to even, to six decimals more than the dividend has. Nothing when b is zero too.
[[nodiscard]] std::optional<Decimal> divide(const Decimal& a, const Decimal& b);

}  // namespace lofty
