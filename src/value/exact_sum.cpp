#include "value/exact_sum.hpp"

#include <bit>
#include <cmath>

namespace lofty::engine {
namespace {

constexpr std::uint32_t most_pending = 1u << 29;

}  // namespace

void ExactSum::add(double value) {
  const auto bits = std::bit_cast<std::uint64_t>(value);
  const auto exponent = static_cast<int>(bits >> 52 & 0x7ff);
  std::uint64_t mantissa = bits & ((std::uint64_t{1} << 52) - 1);
  if (exponent > 0) mantissa |= std::uint64_t{1} << 52;
  const int shift = exponent > 0 ? exponent - 1 : 0;  // in units of 2^-1074
  const int first = shift / 32, within = shift % 32;
  // 53 bits shifted by up to 31 span three limbs of 32 bits.
  const std::uint64_t low = (mantissa << within) & 0xffffffff;
  const std::uint64_t middle = (mantissa >> (32 - within)) & 0xffffffff;
  const std::uint64_t high = within == 0 ? 0 : mantissa >> (64 - within);
  const std::int64_t sign = (bits >> 63) != 0 ? -1 : 1;
  const auto at = static_cast<std::size_t>(first);
  limb_[at] += sign * static_cast<std::int64_t>(low);
  limb_[at + 1] += sign * static_cast<std::int64_t>(middle);
  limb_[at + 2] += sign * static_cast<std::int64_t>(high);
  if (++pending_ >= most_pending) carry();
}

void ExactSum::add(const ExactSum& other) {
  if (pending_ + std::uint64_t{other.pending_} >= most_pending) carry();
  for (std::size_t i = 0; i < limb_.size(); ++i) limb_[i] += other.limb_[i];
  pending_ += other.pending_ + 1;
  if (pending_ >= most_pending) carry();
}

void ExactSum::carry() {
  for (std::size_t i = 0; i + 1 < limb_.size(); ++i) {
    const std::int64_t up = limb_[i] >> 32;  // floor: the rest is in [0, 2^32)
    limb_[i] -= up * (std::int64_t{1} << 32);
    limb_[i + 1] += up;
  }
  pending_ = 1;
}

double ExactSum::value() const {
  ExactSum copy = *this;
  copy.carry();
  bool negative = false;
  if (copy.limb_.back() < 0) {
    negative = true;
    for (std::int64_t& limb : copy.limb_) limb = -limb;
    copy.carry();
  }
  auto top = static_cast<int>(copy.limb_.size()) - 1;
  while (top >= 0 && copy.limb_[static_cast<std::size_t>(top)] == 0) --top;
  if (top < 0) return 0;

  // The leading 64 bits, and whether anything is below them.
  const auto limb = [&](int i) {
    return i < 0 ? std::uint64_t{0} : static_cast<std::uint64_t>(copy.limb_[static_cast<std::size_t>(i)]);
  };
  const std::uint64_t a = limb(top), b = limb(top - 1), c = limb(top - 2);
  const int lead = 32 - std::countl_zero(static_cast<std::uint32_t>(a));  // bits in the top limb, 1 to 32
  std::uint64_t head = (a << (64 - lead)) | (b << (32 - lead)) | (lead == 32 ? 0 : c >> lead);
  bool below = lead != 32 ? (c & ((std::uint64_t{1} << lead) - 1)) != 0 : c != 0;
  for (int i = top - 3; i >= 0 && !below; --i) below = limb(i) != 0;
  const int exponent = top * 32 + lead - 64;  // of head's lowest bit, in units of 2^-1074

  // Keep 53 bits, fewer when the number is subnormal.
  const int drop = exponent + 11 >= 0 ? 11 : -exponent;
  std::uint64_t kept = drop >= 64 ? 0 : head >> drop;
  const std::uint64_t rest = drop >= 64 ? head : head & ((std::uint64_t{1} << drop) - 1);
  const std::uint64_t half = std::uint64_t{1} << (drop - 1);
  if (rest > half || (rest == half && (below || (kept & 1) != 0))) ++kept;
  const double magnitude = std::ldexp(static_cast<double>(kept), exponent + drop - 1074);
  return negative ? -magnitude : magnitude;
}

}  // namespace lofty::engine
