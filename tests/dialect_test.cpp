// Each kind of array that a key may be made of, in order. Compiled twice: as ISO C++ and with the compiler's
// extensions, under which more types are integers.
#include <gtest/gtest.h>

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/key.hpp"
#include "lofty/order.hpp"

namespace {

template <class T>
void expect_sorted(const std::vector<T>& values) {  // the second, the third, the first
  const lofty::Order ascends = lofty::order({lofty::ascending(values)}),
                     descends = lofty::order({lofty::descending(values)});
  EXPECT_EQ(std::vector<std::uint32_t>(ascends.rows().begin(), ascends.rows().end()),
            (std::vector<std::uint32_t>{1, 2, 0}));
  EXPECT_EQ(std::vector<std::uint32_t>(descends.rows().begin(), descends.rows().end()),
            (std::vector<std::uint32_t>{0, 2, 1}));
}

template <class T>
class Integers : public ::testing::Test {};
using All =
    ::testing::Types<char, signed char, unsigned char, short, unsigned short, int, unsigned, long, unsigned long,
                     long long, unsigned long long, std::int8_t, std::uint64_t, char16_t, char32_t, wchar_t>;
TYPED_TEST_SUITE(Integers, All);

template <class Range>
concept MakesKey = requires(Range&& range) {
  lofty::ascending(range);
};
__extension__ using Wide = __int128;
__extension__ using UnsignedWide = unsigned __int128;
static_assert(!MakesKey<std::vector<Wide>&> && !MakesKey<std::vector<UnsignedWide>&>);

}  // namespace

TYPED_TEST(Integers, AreSorted) {
  expect_sorted(std::vector<TypeParam>{std::numeric_limits<TypeParam>::max(), std::numeric_limits<TypeParam>::min(),
                                       TypeParam{5}});
}

TEST(Others, AreSorted) {
  expect_sorted(std::vector<float>{2, -1, 0.5F});
  expect_sorted(std::vector<double>{1e300, -1, 0.5});
  expect_sorted(std::vector<lofty::Decimal>{lofty::Decimal(5, 0), lofty::Decimal(-5, 3), lofty::Decimal(15, 1)});
  expect_sorted(std::vector<lofty::Date>{{30}, {-2}, {7}});
  expect_sorted(std::vector<lofty::Timestamp>{{30}, {-2}, {7}});
  expect_sorted(std::vector<std::string>{"c", "a", "b"});
  expect_sorted(std::vector<std::string_view>{"c", "a", "b"});
}
