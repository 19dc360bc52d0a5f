#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>

#include "lofty/order.hpp"

using namespace lofty;

namespace {

template <class T>
std::vector<T> sorted(const std::vector<T>& values, const Order& order) {
  std::vector<T> out;
  for (const std::uint32_t row : order.rows()) out.push_back(values[row]);
  return out;
}

}  // namespace

TEST(CustomOrder, PinsAndSequencesOfArrays) {
  using Texts = std::vector<std::string>;
  const Texts season{"autumn", "spring", "winter", "summer", "never"};
  const CustomOrder year{
      .sequence = {std::string("spring"), std::string("summer"), std::string("autumn"), std::string("winter")}};
  EXPECT_EQ(sorted(season, order({ascending(season, {.custom = &year})})),
            (Texts{"spring", "summer", "autumn", "winter", "never"}));
  EXPECT_EQ(sorted(season, order({descending(season, {.custom = &year})})),
            (Texts{"winter", "autumn", "summer", "spring", "never"}));
  const CustomOrder pins{.first = {std::string("summer")}, .last = {std::string("autumn"), std::string("missing")}};
  EXPECT_EQ(sorted(season, order({ascending(season, {.custom = &pins})})),
            (Texts{"summer", "never", "spring", "winter", "autumn"}));
  EXPECT_EQ(sorted(season, order({descending(season, {.custom = &pins})})),
            (Texts{"summer", "winter", "spring", "never", "autumn"}));
  const std::vector<Date> days{{3}, {1}, {2}};
  const CustomOrder day{.first = {Date{2}}};
  const Order by_day = order({ascending(days, {.custom = &day})});
  EXPECT_EQ(by_day.rows()[0], 2u);
}

// Against the definition: pinned values first in their order, the rest as usual, the last ones last, nulls outside.
RC_GTEST_PROP(CustomOrderProperty, AgreesWithItsDefinition, ()) {
  const auto values = *rc::gen::nonEmpty(rc::gen::container<std::vector<int>>(rc::gen::inRange(0, 9)));
  const auto mask = *rc::gen::container<std::vector<std::uint8_t>>(
      values.size(), rc::gen::weightedElement<std::uint8_t>({{4, 0}, {1, 1}}));
  std::vector<int> listed(9);
  for (int i = 0; i < 9; ++i) listed[static_cast<std::size_t>(i)] = i;
  for (std::size_t i = 8; i > 0; --i)
    std::swap(listed[i], listed[static_cast<std::size_t>(*rc::gen::inRange(0, static_cast<int>(i) + 1))]);
  const int firsts = *rc::gen::inRange(0, 4), lasts = *rc::gen::inRange(0, 4);
  CustomOrder custom;
  for (int i = 0; i < firsts; ++i) custom.first.push_back(Decimal(listed[static_cast<std::size_t>(i)], 0));
  for (int i = 9 - lasts; i < 9; ++i) custom.last.push_back(Decimal(listed[static_cast<std::size_t>(i)], 0));
  const bool down = *rc::gen::arbitrary<bool>();
  const Nulls nulls = *rc::gen::element(Nulls::first, Nulls::last);
  const KeyOptions options{.nulls = nulls, .null_mask = mask, .custom = &custom};
  const std::vector<int> nothing(values.size(), 0);  // as a tie-breaker, so that nulls go where they are told
  const Order o = order({ascending(nothing)}, {down ? descending(values, options) : ascending(values, options)});
  const auto weight = [&](std::uint32_t row) {
    if (mask[row] != 0) return std::pair(nulls == Nulls::first ? -1 : 99, 0);
    const auto at = static_cast<int>(std::find(listed.begin(), listed.end(), values[row]) - listed.begin());
    if (at < firsts) return std::pair(0, at);
    if (at >= 9 - lasts) return std::pair(2, at);
    return std::pair(1, down ? -values[row] : values[row]);
  };
  for (std::size_t i = 1; i < values.size(); ++i) {
    const auto a = o.rows()[i - 1], b = o.rows()[i];
    RC_ASSERT(std::pair(weight(a), a) < std::pair(weight(b), b));
  }
}
