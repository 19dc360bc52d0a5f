#include "base/in_order.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <string>
#include <thread>

#include "lofty/error.hpp"

using namespace lofty;

TEST(InOrder, PartsAreTakenInTheirOrderByTheCaller) {
  for (const int threads : {1, 3, 8})
    for (const std::size_t rows : {std::size_t{0}, std::size_t{1}, std::size_t{1000}, std::size_t{12'345}}) {
      const auto caller = std::this_thread::get_id();
      std::string all;
      std::size_t most = 0;
      engine::make_in_order<std::string>(
          engine::RowRanges::costly(rows, 100), {.threads = threads},
          [&](const engine::RowRange& range, std::string& part) {
            part.clear();
            for (std::size_t row = range.begin; row < range.end; ++row) part += std::to_string(row) + ",";
          },
          [&](const std::string& part) {
            EXPECT_EQ(std::this_thread::get_id(), caller);
            most = std::max(most, part.size());
            all += part;
          });
      std::string expected;
      for (std::size_t row = 0; row < rows; ++row) expected += std::to_string(row) + ",";
      ASSERT_EQ(all, expected) << threads << " threads, " << rows << " rows";
      EXPECT_LE(most, 1000u);
    }
}

TEST(InOrder, WhatTakingThrowsEndsIt) {
  std::atomic<std::size_t> made = 0;
  EXPECT_THROW(engine::make_in_order<int>(
                   engine::RowRanges::costly(100'000, 100), {.threads = 2},
                   [&](const engine::RowRange&, int&) { ++made; }, [](int) { throw std::bad_alloc(); }),
               std::bad_alloc);
  EXPECT_LT(made, 100u);
}
