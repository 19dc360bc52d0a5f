#include "lofty/sums.hpp"

#include <bit>
#include <cassert>
#include <cmath>
#include <limits>

#include "lofty/error.hpp"
#include "order/key_string.hpp"
#include "rank/exact_sum.hpp"
#include "rank/number_table.hpp"
#include "table/buffer.hpp"
#include "table/exact.hpp"
#include "table/parallel.hpp"

namespace lofty {

using namespace engine;

namespace {

// Numbers rows by keys of up to 64 bits. `first_rows` gets the first row of each number.
void number_codes(const KeyString& keys, std::size_t size, const Run& run, std::vector<std::uint32_t>& of_row,
                  std::vector<std::uint32_t>& first_rows) {
  of_row.resize(size);
  first_rows.clear();
  std::uint64_t block[key_block];
  const auto each_block = [&](const auto& work) {
    for (std::size_t begin = 0; begin < size; begin += key_block) {
      if (begin % (64 * key_block) == 0) check_stop(run);
      const std::size_t count = std::min(key_block, size - begin);
      keys.leading(keys.bits(), begin, count, block);
      work(begin, count);
    }
  };
  // A small range of codes is its own index: 4 bytes each, at most some 16 a row.
  if (keys.bits() < 40 && (std::uint64_t{1} << keys.bits()) <= std::max<std::uint64_t>(4 * size, 1024)) {
    std::vector<std::uint32_t> number(std::size_t{1} << keys.bits(), NumberTable::none);
    return each_block([&](std::size_t begin, std::size_t count) {
      for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t& at = number[block[i]];
        if (at == NumberTable::none) {
          at = static_cast<std::uint32_t>(first_rows.size());
          first_rows.push_back(static_cast<std::uint32_t>(begin + i));
        }
        of_row[begin + i] = at;
      }
    });
  }
  NumberTable table;
  each_block([&](std::size_t begin, std::size_t count) {
    constexpr std::size_t ahead = 16;  // look-ups whose cache lines are on their way
    for (std::size_t i = 0; i < std::min(ahead, count); ++i) table.prefetch(block[i]);
    for (std::size_t i = 0; i < count; ++i) {
      if (i + ahead < count) table.prefetch(block[i + ahead]);
      const std::uint32_t number = table.find_or_add(block[i]);
      if (number == first_rows.size()) first_rows.push_back(static_cast<std::uint32_t>(begin + i));
      of_row[begin + i] = number;
    }
  });
}

// Numbers as codes.
class NumberCodes final : public KeyCodes {
 public:
  NumberCodes(std::vector<std::uint32_t> numbers, std::size_t count)
      : KeyCodes(std::bit_width(count == 0 ? 0 : count - 1)), numbers_(std::move(numbers)) {}
  std::uint64_t at(std::size_t row) const override { return numbers_[row]; }
  void fill(std::size_t begin, std::size_t count, std::uint64_t* out) const override {
    for (std::size_t i = 0; i < count; ++i) out[i] = numbers_[begin + i];
  }

 private:
  std::vector<std::uint32_t> numbers_;
};

bool skipped(std::span<const std::uint8_t> mask, std::size_t i) { return !mask.empty() && mask[i] != 0; }

// value = mantissa * 2^unit. Precondition: finite.
struct Split {
  std::int64_t mantissa;
  int unit;
};
Split split(double value) {
  const auto bits = std::bit_cast<std::uint64_t>(value);
  const int exponent = static_cast<int>(bits >> 52 & 0x7ff);
  const auto mantissa = static_cast<std::int64_t>((bits & low_bits(52)) | (exponent > 0 ? std::uint64_t{1} << 52 : 0));
  return {(bits >> 63) != 0 ? -mantissa : mantissa, std::max(exponent, 1) - 1075};
}

[[noreturn]] void too_long() {
  throw Error(Problem{Code::overflow, "the sum has more than 38 digits", {}, {}, "use doubles"});
}

std::vector<Decimal> as_decimals(const std::vector<int128>& sums, int scale) {
  std::vector<Decimal> out;
  out.reserve(sums.size());
  for (const int128 sum : sums) {
    if (!fits_decimal(sum)) too_long();
    out.emplace_back(sum, scale);
  }
  return out;
}

}  // namespace

GroupNumbers number_groups(const Groups& groups, const Run& run) {
  GroupNumbers out;
  assert(!groups.keys.empty() && "groups have a key");
  const std::size_t size = groups.keys.front().size;
  KeyList codes, joined;
  for (const Key& key : groups.keys) {
    assert(key.size == size && "all keys have the same length");
    encode(key, run, codes);
  }
  // As many keys at a time as 64 bits hold; what they amount to is numbered, and is the first key of the next lot.
  for (std::size_t next = 0; next < codes.size();) {
    int bits = joined.empty() ? 0 : joined.front()->bits();
    while (next < codes.size() && bits + codes[next]->bits() <= 64) {
      bits += codes[next]->bits();
      joined.push_back(std::move(codes[next++]));
    }
    number_codes(KeyString({&joined}), size, run, out.of_row, out.first_rows);
    if (next == codes.size()) break;
    joined.clear();
    joined.push_back(std::make_unique<NumberCodes>(std::move(out.of_row), out.first_rows.size()));
    if (joined.front()->bits() + codes[next]->bits() > 64) {  // both long: number the next key by itself first
      KeyList alone;
      alone.push_back(std::move(codes[next]));
      number_codes(KeyString({&alone}), size, run, out.of_row, out.first_rows);
      codes[next] = std::make_unique<NumberCodes>(std::move(out.of_row), out.first_rows.size());
    }
  }
  return out;
}

std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const std::int64_t> values,
                          std::span<const std::uint8_t> null_mask) {
  assert(values.size() == groups.of_row.size());
  // 64 bits a group, and a count of how often each wrapped round, which hardly ever happens.
  std::vector<std::int64_t> low(groups.size(), 0);
  std::vector<std::int32_t> wraps;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (skipped(null_mask, i)) continue;
    std::int64_t& sum = low[groups.of_row[i]];
    if (__builtin_add_overflow(sum, values[i], &sum)) [[unlikely]] {
      if (wraps.empty()) wraps.resize(groups.size());
      wraps[groups.of_row[i]] += values[i] > 0 ? 1 : -1;
    }
  }
  std::vector<Decimal> out;
  out.reserve(low.size());
  for (std::size_t g = 0; g < low.size(); ++g)
    out.emplace_back(low[g] + (wraps.empty() ? int128{0} : int128{wraps[g]} * (int128{1} << 64)), 0);
  return out;
}

std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const Decimal> values,
                          std::span<const std::uint8_t> null_mask) {
  assert(values.size() == groups.of_row.size());
  int scale = 0;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (!skipped(null_mask, i)) scale = std::max(scale, values[i].scale());
  std::vector<int128> sums(groups.size(), 0);
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (skipped(null_mask, i)) continue;
    int128 value = 0;
    int128& sum = sums[groups.of_row[i]];
    if (!scale_up(values[i].coefficient(), scale - values[i].scale(), value) ||
        __builtin_add_overflow(sum, value, &sum))
      too_long();
  }
  return as_decimals(sums, scale);
}

std::vector<double> sums(const GroupNumbers& groups, std::span<const double> values,
                         std::span<const std::uint8_t> null_mask) {
  assert(values.size() == groups.of_row.size());
  // Exponents of the least bit set and the greatest: where all values fit one fixed point, 128 bits a group will do.
  int lowest = std::numeric_limits<int>::max(), highest = std::numeric_limits<int>::min();
  bool infinite = false;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (skipped(null_mask, i) || values[i] == 0 || std::isnan(values[i])) continue;
    infinite = infinite || std::isinf(values[i]);
    if (std::isinf(values[i])) continue;
    const auto [mantissa, unit] = split(values[i]);
    lowest = std::min(lowest, unit + std::countr_zero(static_cast<std::uint64_t>(mantissa)));
    highest = std::max(highest, unit + 53);
  }
  std::vector<double> out(groups.size(), 0.0);
  if (lowest > highest && !infinite) return out;
  if (!infinite && highest - lowest + std::bit_width(values.size()) < 127) {
    std::vector<int128> sums(groups.size(), 0);
    for (std::size_t i = 0; i < values.size(); ++i) {
      if (skipped(null_mask, i) || std::isnan(values[i]) || values[i] == 0) continue;
      const auto [mantissa, unit] = split(values[i]);
      const int shift = unit - lowest;  // below 0 only zeros are shifted out
      sums[groups.of_row[i]] += shift >= 0 ? int128{mantissa} * (int128{1} << shift) : int128{mantissa >> -shift};
    }
    // The conversion rounds once, to even; scaling is exact but for results below the normal range, of which there are
    // none: they are multiples of the values' own last bits.
    for (std::size_t g = 0; g < out.size(); ++g) out[g] = std::ldexp(static_cast<double>(sums[g]), lowest);
    return out;
  }
  std::vector<ExactSum> exact(groups.size());
  std::vector<double> special(infinite ? groups.size() : 0, 0.0);
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (skipped(null_mask, i) || std::isnan(values[i])) continue;
    if (std::isinf(values[i]))
      special[groups.of_row[i]] += values[i];
    else
      exact[groups.of_row[i]].add(values[i]);
  }
  for (std::size_t g = 0; g < out.size(); ++g) out[g] = infinite && special[g] != 0 ? special[g] : exact[g].value();
  return out;
}

}  // namespace lofty
