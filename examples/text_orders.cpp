// The orders of texts: by a language's rules, with numbers inside by their value, by code point, and one's own.

#include <cstdio>
#include <string>
#include <vector>

#include "lofty/order.hpp"

namespace {

void show(const char* what, const std::vector<std::string>& texts, const lofty::KeyOptions& options) {
  std::printf("%-22s", what);
  const lofty::Order order = lofty::order({lofty::ascending(texts, options)});
  for (const std::uint32_t row : order.rows()) std::printf("  %s", texts[row].c_str());
  std::puts("");
}

}  // namespace

int main() {
  const std::vector<std::string> texts{"Comb 10", "comb 2", "Ålesby", "Zeal", "Élan", "Elder"};
  show("language:", texts, {});
  show("language, Swedish:", texts, {.locale = "sv"});
  show("natural:", texts, {.text = lofty::TextOrder::natural});
  show("code point:", texts, {.text = lofty::TextOrder::code_point});

  const std::vector<std::string> sizes{"large", "small", "jar", "medium"};
  const lofty::CustomOrder by_size{.sequence = {std::string("small"), std::string("medium"), std::string("large")}};
  show("a sequence:", sizes, {.custom = &by_size});  // what it forgets follows
  return 0;
}
