#include "table/extremes.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdint>
#include <limits>
#include <random>
#include <vector>

#include "support/vectors.hpp"

using namespace lofty;

namespace {

template <class T>
class Extremes : public testing::Test {};
using Integers = testing::Types<std::int8_t, std::int16_t, std::int32_t, std::int64_t, std::uint8_t, std::uint16_t,
                                std::uint32_t, std::uint64_t>;
TYPED_TEST_SUITE(Extremes, Integers);

}  // namespace

// Sizes around every width of vector; the extremes are anywhere, the first and the last place included.
TYPED_TEST(Extremes, AreThoseOfTheStandardLibrary) {
  std::mt19937_64 random(7);
  for (std::size_t size = 1; size < 300; ++size) {
    std::vector<TypeParam> values(size);
    for (TypeParam& value : values) value = static_cast<TypeParam>(random());
    if (size % 3 == 0) values[random() % size] = std::numeric_limits<TypeParam>::max();
    if (size % 4 == 0) values[random() % size] = std::numeric_limits<TypeParam>::min();
    engine::with_all_vectors([&] {
      const auto [least, greatest] = engine::least_and_greatest(values.data(), size);
      ASSERT_EQ(least, *std::min_element(values.begin(), values.end())) << size;
      ASSERT_EQ(greatest, *std::max_element(values.begin(), values.end())) << size;
    });
  }
}
