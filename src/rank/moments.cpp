// The sum of squares around the mean is S = Q - T^2 / n, for n values whose sum is T and whose squares add up to Q.
// Computed with rounded numbers it loses every digit that Q and T^2 / n share, so both sides stay exact:
// - Whole numbers: with T = q n + r, S = D - r^2 / n, where D = Q - q (T + r) is the sum of squares around q. D is a
//   whole number, and no greater than Q for any q near the mean, so arithmetic modulo 2^128 gives it.
// - Floats: a product of two floats is a float and its rounding error, which is a float too (T. J. Dekker, "A
//   floating-point technique for extending the available precision", 1971). T is taken apart into floats likewise.

#include "rank/moments.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "value/exact.hpp"

namespace lofty::engine {

std::optional<Type> type_of(const Spread& spread, const Type& values) {
  if (values.exact() && 2 * values.scale > Decimal::max_digits) return std::nullopt;
  if (spread.root || !values.exact())
    return Type{.kind = values.kind == Kind::unknown ? Kind::unknown : Kind::floating};
  return Type{.kind = Kind::decimal, .scale = std::min(2 * values.scale + 12, Decimal::max_digits)};
}

bool ExactMoments::add(int128 value, int times) {
  int128 square = 0;
  if (__builtin_mul_overflow(value, value, &square)) return false;
  count_ += times;
  return !__builtin_add_overflow(sum_, times * value, &sum_) &&
         !__builtin_add_overflow(squares_, times * square, &squares_);
}

bool ExactMoments::add(const ExactMoments& other) {
  count_ += other.count_;
  return !__builtin_add_overflow(sum_, other.sum_, &sum_) &&
         !__builtin_add_overflow(squares_, other.squares_, &squares_);
}

// `whole` and `rest` / `divisor`, 0 <= rest < divisor < 2^64.
struct ExactMoments::Quotient {
  int128 whole = 0, rest = 0, divisor = 1;
};

ExactMoments::Quotient ExactMoments::quotient(int less) const {
  const int128 n = count_, m = count_ - less;
  int128 q = sum_ / n, r = sum_ % n;
  if (r < 0) {
    r += n;
    --q;
  }
  const auto around =
      static_cast<int128>(static_cast<uint128>(squares_) -
                          static_cast<uint128>(q) * (static_cast<uint128>(sum_) + static_cast<uint128>(r)));

  // around / m - r^2 / (n m), by parts that fit.
  const int128 above = n * (around % m) - r * r, divisor = n * m;
  int128 down = above / divisor, rest = above % divisor;
  if (rest < 0) {
    rest += divisor;
    --down;
  }
  return {around / m + down, rest, divisor};
}

bool ExactMoments::variance(int less, int digits, int128& out) const {
  const Quotient exact = quotient(less);
  const int128 shift = power_of_ten(digits);
  const int128 shifted = exact.rest * shift;
  if (__builtin_mul_overflow(exact.whole, shift, &out) || __builtin_add_overflow(out, shifted / exact.divisor, &out))
    return false;
  const int128 rest = shifted % exact.divisor, other = exact.divisor - rest;
  if (rest > other || (rest == other && (out & 1) != 0)) ++out;
  return fits_decimal(out);
}

double ExactMoments::deviation(int less, int scale) const {
  const Quotient exact = quotient(less);
  const double squares =
      static_cast<double>(exact.whole) + static_cast<double>(exact.rest) / static_cast<double>(exact.divisor);
  return std::sqrt(squares / static_cast<double>(power_of_ten(2 * scale)));
}

namespace {

// Values are held times this power of two: the squares of 2^32 values, times their number, are then still in range.
constexpr int held_exponent = -48;

// Adds a * b, times 1 or -1.
void add_product(ExactSum& to, double a, double b, int times) {
  const double product = a * b;
  to.add(times * product);
  to.add(times * std::fma(a, b, -product));
}

// An exact sum as floats, greatest first: calls see(part) for each.
template <class See>
void each_part(ExactSum sum, const See& see) {
  // Each part takes 53 bits off, and the whole range of floats has some 2,100.
  for (double part = sum.value(); part != 0 && std::isfinite(part); part = sum.value()) {
    see(part);
    sum.add(-part);
  }
}

}  // namespace

void FloatMoments::add(double value, int times) {
  count_ += times;
  if (!std::isfinite(value * value)) {
    beyond_ += times;
    return;
  }
  const double held = std::ldexp(value, held_exponent);
  sum_.add(times * held);
  add_product(squares_, held, held, times);
}

void FloatMoments::add(const FloatMoments& other) {
  count_ += other.count_;
  beyond_ += other.beyond_;
  sum_.add(other.sum_);
  squares_.add(other.squares_);
}

double FloatMoments::variance(int less) const {
  if (beyond_ > 0) return std::numeric_limits<double>::infinity();
  std::array<double, 64> parts{};
  std::size_t count = 0;
  each_part(sum_, [&](double part) {
    if (count < parts.size()) parts[count++] = part;
  });

  // n Q - T^2, exact; one rounding to a float, and one by the division.
  const auto n = static_cast<double>(count_);
  ExactSum difference;
  each_part(squares_, [&](double part) { add_product(difference, n, part, 1); });
  for (std::size_t i = 0; i < count; ++i)
    for (std::size_t j = 0; j < count; ++j) add_product(difference, parts[i], parts[j], -1);
  return std::ldexp(difference.value() / (n * (n - less)), -2 * held_exponent);
}

}  // namespace lofty::engine
