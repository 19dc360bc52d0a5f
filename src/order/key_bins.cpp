#include "order/key_bins.hpp"

#include <algorithm>
#include <bit>
#include <cassert>

#include "base/vectors.hpp"

namespace lofty::engine {
namespace {

constexpr int first_bits = 12, most_bits = 10;  // of ranges that are divided for the first time, and again
constexpr int mask_bits = 16;
constexpr std::uint32_t low_mask = (1u << mask_bits) - 1;
constexpr std::size_t crowded = 8;  // a range with more than an eighth of the sample

}  // namespace

KeyBins::KeyBins(int bits, std::vector<std::uint64_t> sample) : end_(std::uint64_t{1} << bits) {
  assert(bits < 64);
  std::sort(sample.begin(), sample.end());
  int shift = first_shift_ = bits - std::min(bits, first_bits);
  for (std::uint64_t least = 0; least < end_; least += std::uint64_t{1} << shift) least_.push_back(least);

  // Crowded bins are divided, step by step.
  while (shift > 0) {
    Step step{shift - std::min(shift, most_bits), {}};
    const std::uint32_t mask = (1u << (shift - step.shift)) - 1;
    std::vector<std::uint64_t> divided;
    bool any = false;
    for (std::size_t bin = 0; bin < least_.size(); ++bin) {
      const auto inside = std::lower_bound(sample.begin(), sample.end(), least(bin + 1)) -
                          std::lower_bound(sample.begin(), sample.end(), least(bin));
      // Only what the step before has made is as narrow as this step divides.
      const bool divide = least(bin + 1) - least(bin) == std::uint64_t{1} << shift &&
                          static_cast<std::size_t>(inside) > sample.size() / crowded;
      step.of.push_back(static_cast<std::uint32_t>(divided.size()) << mask_bits | (divide ? mask : 0));
      any |= divide;
      for (std::uint64_t part = 0; part <= (divide ? mask : 0); ++part)
        divided.push_back(least_[bin] + (part << step.shift));
    }
    if (!any || divided.size() > most) return;
    least_ = std::move(divided);
    shift = step.shift;
    steps_.push_back(std::move(step));
  }
}

// Compiled once for each instruction set below, in which the compiler turns it into vectors.
[[gnu::always_inline]] inline void KeyBins::find_all(const std::uint64_t* keys, std::size_t count,
                                                     std::uint32_t* __restrict bins) const {
  const int first_shift = first_shift_;
  for (std::size_t i = 0; i < count; ++i) bins[i] = static_cast<std::uint32_t>(keys[i] >> first_shift);
  for (const Step& step : steps_) {
    const std::uint32_t* const of = step.of.data();
    const int shift = step.shift;
    for (std::size_t i = 0; i < count; ++i) {
      const std::uint32_t one = of[bins[i]];
      bins[i] = (one >> mask_bits) + (static_cast<std::uint32_t>(keys[i] >> shift) & one & low_mask);
    }
  }
}

#ifdef __x86_64__
[[gnu::target("avx512f,avx512bw,avx512vl,avx512dq")]] void KeyBins::find_avx512(const std::uint64_t* keys,
                                                                                std::size_t count,
                                                                                std::uint32_t* __restrict bins) const {
  find_all(keys, count, bins);
}
[[gnu::target("avx2")]] void KeyBins::find_avx2(const std::uint64_t* keys, std::size_t count,
                                                std::uint32_t* __restrict bins) const {
  find_all(keys, count, bins);
}
#endif

void KeyBins::find(const std::uint64_t* keys, std::size_t count, std::uint32_t* __restrict bins) const {
#ifdef __x86_64__
  if (has_avx512()) return find_avx512(keys, count, bins);
  if (has_avx2()) return find_avx2(keys, count, bins);
#endif
  find_all(keys, count, bins);
}

}  // namespace lofty::engine
