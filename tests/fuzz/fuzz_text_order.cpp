// Any bytes as texts, one a line: the ranks of each text order are a total order that agrees with comparing pairs, and
// different texts never tie.
#include <cstdint>
#include <cstdlib>
#include <set>
#include <string_view>
#include <vector>

#include "order/codes.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace lofty;
  std::string_view rest(reinterpret_cast<const char*>(data), size);
  std::set<std::string_view> texts;  // distinct
  while (!rest.empty() && texts.size() < 10) {
    const std::size_t end = std::min(rest.find('\n'), rest.size());
    texts.insert(rest.substr(0, end));
    rest.remove_prefix(std::min(end + 1, rest.size()));
  }
  const std::vector<std::string_view> distinct(texts.begin(), texts.end());
  for (const TextOrder order : {TextOrder::language, TextOrder::natural, TextOrder::code_point}) {
    const std::string locale = size % 2 == 0 ? "" : "sv";
    const auto ranks = engine::text_ranks(distinct, order, locale, {});
    for (std::size_t a = 0; a < distinct.size(); ++a)
      for (std::size_t b = 0; b < distinct.size(); ++b) {
        const int way = engine::compare_texts(distinct[a], distinct[b], order, locale);
        if ((way < 0) != (ranks[a] < ranks[b]) || (way == 0) != (a == b)) std::abort();
      }
  }
  return 0;
}
