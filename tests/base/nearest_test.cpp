#include <gtest/gtest.h>

#include "base/folded.hpp"

using lofty::nearest_word;

TEST(Nearest, FindsTheWordThatWasMeant) {
  const std::vector<std::string> words = {"quantity", "unit_price", "shop_no", "status", "order_no"};
  EXPECT_EQ(nearest_word("quantty", words), "quantity");
  EXPECT_EQ(nearest_word("Shop_No", words), "shop_no");
  EXPECT_EQ(nearest_word("shpo_no", words), "shop_no");
  EXPECT_EQ(nearest_word("price", words), "");
  EXPECT_EQ(nearest_word("zzzzzz", words), "");
  EXPECT_EQ(nearest_word("x", {}), "");
}
