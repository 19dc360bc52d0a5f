#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include "lofty/error.hpp"
#include "lofty/order.hpp"

using namespace lofty;

namespace {

std::vector<std::string> sorted(const std::vector<std::string>& texts, KeyOptions options) {
  std::vector<std::string> out;
  const Order o = order({ascending(texts, options)});
  for (const std::uint32_t row : o.rows()) out.push_back(texts[row]);
  return out;
}

using Texts = std::vector<std::string>;

}  // namespace

TEST(TextOrder, ByLanguageNaturallyAndByCodePoint) {
  const Texts names{"Zebra", "apple", "Été", "Apple", "eve", "Comb 10", "Comb 2"};
  EXPECT_EQ(sorted(names, {}), (Texts{"apple", "Apple", "Comb 10", "Comb 2", "Été", "eve", "Zebra"}));
  EXPECT_EQ(sorted(names, {.text = TextOrder::natural}),
            (Texts{"apple", "Apple", "Comb 2", "Comb 10", "Été", "eve", "Zebra"}));
  EXPECT_EQ(sorted(names, {.text = TextOrder::code_point}),
            (Texts{"Apple", "Comb 10", "Comb 2", "Zebra", "apple", "eve", "Été"}));
  EXPECT_EQ(sorted({"Östen", "Zita", "Olga"}, {.locale = "sv"}), (Texts{"Olga", "Zita", "Östen"}));
  EXPECT_EQ(sorted({"Östen", "Zita", "Olga"}, {}), (Texts{"Olga", "Östen", "Zita"}));
}

// Texts equal by a language's rules are told apart by code points, so distinct texts never tie.
RC_GTEST_PROP(TextOrderProperty, DistinctTextsNeverTie, ()) {
  const auto texts = *rc::gen::container<Texts>(
      rc::gen::element<std::string>("e", "\u00e9", "e\u0301", "E", "", "a", "a\u00ad", "01", "1", "b"));
  for (const TextOrder way : {TextOrder::language, TextOrder::natural, TextOrder::code_point}) {
    if (texts.empty()) continue;
    const Order o = order({ascending(texts, {.text = way})});
    for (std::size_t i = 1; i < texts.size(); ++i) {
      const std::string &a = texts[o.rows()[i - 1]], &b = texts[o.rows()[i]];
      RC_ASSERT(o.starts_peers(i) == (a != b));
      if (a == b) RC_ASSERT(o.rows()[i - 1] < o.rows()[i]);
    }
  }
}
