// Rows numbered by group, and sums by group.

#include "lofty/sums.hpp"

#include <bit>
#include <cmath>
#include <limits>

#include "base/budget.hpp"
#include "base/buffer.hpp"
#include "base/far_memory.hpp"
#include "base/large_vector.hpp"
#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "order/codes.hpp"
#include "order/key_check.hpp"
#include "order/numbering.hpp"
#include "value/exact.hpp"
#include "value/exact_sum.hpp"

namespace lofty {

using namespace engine;

namespace {

void require_values(const GroupNumbers& groups, std::size_t size, const NullMask& mask, std::size_t results) {
  require(results == groups.size(), "the sums are as many as the groups");
  require(size == groups.of_row.size(), "the values are as many as the rows of the groups");
  require_mask(mask, size);
  // Numbers may come from elsewhere than number_groups(). One pass of comparisons costs a small part of the sums.
  std::uint32_t greatest = 0;
  for (const std::uint32_t group : groups.of_row) greatest = std::max(greatest, group);
  require(groups.of_row.empty() || greatest < groups.size(), "each row's group is one of the groups");
}

// Calls work(i) for every row, in order, on this thread; tells how far it has come and asks whether to stop.
template <class Work>
void each_row(std::size_t rows, const Run& run, const Work& work) {
  Progress progress(run, rows);
  for (std::size_t begin = 0; begin < rows; begin += RowRanges::usual_rows) {
    const std::size_t end = std::min(rows, begin + RowRanges::usual_rows);
    for (std::size_t i = begin; i < end; ++i) work(i);
    progress.add(end - begin);
  }
}

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

void as_decimals(const std::vector<int128>& sums, int scale, std::span<Decimal> out) {
  for (const int128 sum : sums)
    if (!fits_decimal(sum)) too_long();
  for (std::size_t g = 0; g < sums.size(); ++g) out[g] = Decimal(sums[g], scale);
}

}  // namespace

GroupNumbers number_groups(const Groups& groups, const Run& run) {
  const engine::MemoryLimit limit(run);
  GroupNumbers out;
  require(!groups.keys.empty(), "groups have a key");
  const std::size_t size = groups.keys.front().size();
  require_keys(groups.keys, size);
  if (groups.keys.size() == 1 && number_texts(groups.keys.front(), run, out.of_row, out.first_rows)) return out;
  KeyList codes;
  for (const Key& key : groups.keys) {
    encode_for_grouping(key, run, codes);
  }
  number_rows(std::move(codes), size, run, out.of_row, out.first_rows);
  return out;
}

void sums(const GroupNumbers& groups, std::span<const std::int64_t> values, NullMask null_mask, std::span<Decimal> out,
          const Run& run) {
  const engine::MemoryLimit limit(run);
  require_values(groups, values.size(), null_mask, out.size());
  // 64 bits a group, and a count of how often each wrapped round, which hardly ever happens. Each thread has its share
  // of the rows and its own sums, where groups are not so many that adding those up would cost more.
  const RowRanges shares =
      values.size() < 4 * groups.size() ? RowRanges::one(values.size()) : RowRanges::per_thread(values.size(), run);
  struct Share {
    Buffer<std::int64_t> low;
    std::vector<std::int32_t> wraps;
  };
  std::vector<Share> all(shares.count());
  const auto add = [&](Share& to, std::size_t group, std::int64_t value) {
    if (!__builtin_add_overflow(to.low[group], value, &to.low[group])) [[likely]]
      return;
    if (to.wraps.empty()) to.wraps.resize(groups.size());
    to.wraps[group] += value > 0 ? 1 : -1;
  };

  // Each thread its share of the rows.
  Progress progress(run, values.size());
  parallel_for(shares, run, [&](const RowRange& rows, std::size_t s) {
    Share& own = all[s];
    own.low.allocate(groups.size());
    std::fill_n(own.low.data(), groups.size(), std::int64_t{0});
    constexpr std::size_t stretch = 1024 * 1024;
    for (std::size_t begin = rows.begin; begin < rows.end; begin += stretch) {
      const std::size_t end = std::min(rows.end, begin + stretch);
      progress.add(end - begin);
      read_ahead(
          begin, end, [&](std::size_t i) { return own.low.data() + groups.of_row[i]; },
          [&](std::size_t i) {
            if (!null_mask.is_null(i)) add(own, groups.of_row[i], values[i]);
          });
    }
  });

  // All shares together.
  Share& whole = all[0];
  for (std::size_t s = 1; s < shares.count(); ++s) {
    for (std::size_t g = 0; g < groups.size(); ++g) add(whole, g, all[s].low[g]);
    if (all[s].wraps.empty()) continue;
    if (whole.wraps.empty()) whole.wraps.resize(groups.size());
    for (std::size_t g = 0; g < groups.size(); ++g) whole.wraps[g] += all[s].wraps[g];
  }
  for (std::size_t g = 0; g < groups.size(); ++g)
    out[g] = Decimal(whole.low[g] + (whole.wraps.empty() ? int128{0} : int128{whole.wraps[g]} * (int128{1} << 64)), 0);
}

void sums(const GroupNumbers& groups, std::span<const Decimal> values, NullMask null_mask, std::span<Decimal> out,
          const Run& run) {
  const engine::MemoryLimit limit(run);
  require_values(groups, values.size(), null_mask, out.size());
  // The decimals of the sums are those of the value that has most.
  const Phases phases(run, {1, 3});
  int scale = 0;
  each_row(values.size(), phases[0], [&](std::size_t i) {
    if (!null_mask.is_null(i)) scale = std::max(scale, values[i].scale());
  });
  std::vector<int128> sums(groups.size(), 0);
  each_row(values.size(), phases[1], [&](std::size_t i) {
    if (null_mask.is_null(i)) return;
    int128 value = 0;
    int128& sum = sums[groups.of_row[i]];
    if (!scale_up(values[i].coefficient(), scale - values[i].scale(), value) ||
        __builtin_add_overflow(sum, value, &sum))
      too_long();
  });
  as_decimals(sums, scale, out);
  phases.finish();
}

void sums(const GroupNumbers& groups, std::span<const double> values, NullMask null_mask, std::span<double> out,
          const Run& run) {
  const engine::MemoryLimit limit(run);
  require_values(groups, values.size(), null_mask, out.size());
  // Exponents of the least bit set and the greatest: where all values fit one fixed point, 128 bits a group will do.
  int lowest = std::numeric_limits<int>::max(), highest = std::numeric_limits<int>::min();
  bool infinite = false;
  const Phases phases(run, {1, 2});
  each_row(values.size(), phases[0], [&](std::size_t i) {
    if (null_mask.is_null(i) || values[i] == 0 || std::isnan(values[i])) return;
    infinite = infinite || std::isinf(values[i]);
    if (std::isinf(values[i])) return;
    const Split parts = split(values[i]);
    lowest = std::min(lowest, parts.unit + std::countr_zero(static_cast<std::uint64_t>(parts.mantissa)));
    highest = std::max(highest, parts.unit + 53);
  });

  // Fixed point.
  std::fill(out.begin(), out.end(), 0.0);
  if (lowest > highest && !infinite) return phases.finish();
  if (!infinite && highest - lowest + std::bit_width(values.size()) < 127) {
    std::vector<int128> sums(groups.size(), 0);
    each_row(values.size(), phases[1], [&](std::size_t i) {
      if (null_mask.is_null(i) || std::isnan(values[i]) || values[i] == 0) return;
      const Split parts = split(values[i]);
      const int shift = parts.unit - lowest;  // below 0 only zeros are shifted out
      sums[groups.of_row[i]] +=
          shift >= 0 ? int128{parts.mantissa} * (int128{1} << shift) : int128{parts.mantissa >> -shift};
    });
    // The conversion rounds once, to even; scaling is exact but for results below the normal range, of which there are
    // none: they are multiples of the values' own last bits.
    for (std::size_t g = 0; g < out.size(); ++g) out[g] = std::ldexp(static_cast<double>(sums[g]), lowest);
    return;
  }

  // Over the whole range of doubles; infinities apart.
  std::vector<ExactSum> exact(groups.size());
  std::vector<double> special(infinite ? groups.size() : 0, 0.0);
  each_row(values.size(), phases[1], [&](std::size_t i) {
    if (null_mask.is_null(i) || std::isnan(values[i])) return;
    if (std::isinf(values[i]))
      special[groups.of_row[i]] += values[i];
    else
      exact[groups.of_row[i]].add(values[i]);
  });
  for (std::size_t g = 0; g < out.size(); ++g) out[g] = infinite && special[g] != 0 ? special[g] : exact[g].value();
}

std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const std::int64_t> values, NullMask null_mask,
                          const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = large_vector<Decimal>(groups.size(), run);
  sums(groups, values, null_mask, out, run);
  return out;
}

std::vector<Decimal> sums(const GroupNumbers& groups, std::span<const Decimal> values, NullMask null_mask,
                          const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = large_vector<Decimal>(groups.size(), run);
  sums(groups, values, null_mask, out, run);
  return out;
}

std::vector<double> sums(const GroupNumbers& groups, std::span<const double> values, NullMask null_mask,
                         const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = large_vector<double>(groups.size(), run);
  sums(groups, values, null_mask, out, run);
  return out;
}

}  // namespace lofty
