// Ranges of keys: each key's is the one whose borders it lies between, and no range that can be divided is crowded.
#include "order/key_bins.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "support/vectors.hpp"

using namespace lofty::engine;

namespace {

using Keys = std::vector<std::uint64_t>;

std::uint64_t last_of(int bits) { return (std::uint64_t{1} << bits) - 1; }

// Keys of this many bits: spread evenly, by their logarithm, two heaps, nearly always the same one, none.
std::vector<Keys> samples(int bits) {
  std::mt19937_64 random(5);
  const auto unit = [&] { return static_cast<double>(random() >> 11) * 0x1p-53; };
  std::vector<Keys> all(5);
  for (int i = 0; i < 1000; ++i) {
    all[0].push_back(random() & last_of(bits));
    all[1].push_back(static_cast<std::uint64_t>(std::exp2(unit() * bits)) & last_of(bits));
    all[2].push_back((i % 2 == 0 ? random() % 100 : last_of(bits) - random() % 100) & last_of(bits));
    all[3].push_back(i % 50 == 0 ? random() & last_of(bits) : last_of(bits) / 3);
  }
  return all;
}

void each_key_is_between_its_borders(int bits) {
  std::mt19937_64 random(6);
  for (const Keys& sample : samples(bits)) {
    const KeyBins bins(bits, sample);
    ASSERT_LE(bins.size(), KeyBins::most);
    ASSERT_EQ(bins.least(0), 0u);
    ASSERT_EQ(bins.least(bins.size()), last_of(bits) + 1);
    Keys keys = sample;
    for (std::size_t bin = 0; bin < bins.size(); bin += 1 + random() % 3) {
      ASSERT_LT(bins.least(bin), bins.least(bin + 1));
      keys.push_back(bins.least(bin));
      keys.push_back(bins.least(bin + 1) - 1);
    }
    keys.push_back(random() & last_of(bits));
    std::vector<std::uint32_t> found(keys.size(), ~0u);
    bins.find(keys.data(), keys.size(), found.data());
    for (std::size_t i = 0; i < keys.size(); ++i) {
      ASSERT_LT(found[i], bins.size());
      ASSERT_LE(bins.least(found[i]), keys[i]) << bits << " bits";
      ASSERT_LT(keys[i], bins.least(found[i] + 1)) << bits << " bits";
    }
  }
}

}  // namespace

TEST(KeyBins, EachKeyIsBetweenTheBordersOfItsRange) {
  with_all_vectors([] {
    for (const int bits : {1, 2, 11, 12, 13, 22, 23, 30, 45, 56, 63})
      ASSERT_NO_FATAL_FAILURE(each_key_is_between_its_borders(bits));
  });
}

TEST(KeyBins, WhatHoldsMoreThanAnEighthIsOneKey) {
  for (const int bits : {5, 12, 20, 30, 40, 52})
    for (const Keys& sample : samples(bits)) {
      const KeyBins bins(bits, sample);
      std::vector<std::uint32_t> found(sample.size());
      bins.find(sample.data(), sample.size(), found.data());
      std::vector<std::size_t> counts(bins.size(), 0);
      for (const std::uint32_t bin : found) ++counts[bin];
      for (std::size_t bin = 0; bin < bins.size(); ++bin) {
        const std::uint64_t width = bins.least(bin + 1) - bins.least(bin);
        EXPECT_TRUE(counts[bin] <= sample.size() / 8 || width == 1) << bits << " bits, " << counts[bin] << " keys";
      }
    }
}
