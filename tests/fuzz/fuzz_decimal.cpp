// Any two texts as decimals: what is read says itself back, and comparing agrees with exact arithmetic.
#include <cstdint>
#include <cstdlib>
#include <string_view>

#include "lofty/decimal.hpp"
#include "value/exact.hpp"

using lofty::Decimal;

namespace {

void require(bool right) {
  if (!right) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view all(reinterpret_cast<const char*>(data), size);
  const std::size_t split = std::min(all.find('\n'), all.size());
  const auto a = Decimal::parse(all.substr(0, split));
  const auto b = split < all.size() ? Decimal::parse(all.substr(split + 1)) : a;
  if (!a || !b) return 0;
  for (const Decimal& one : {*a, *b}) {
    const auto back = Decimal::parse(one.text());
    require(back && *back == one && back->scale() == one.scale());
    if (one.scale() < Decimal::max_digits) {
      const auto longer = one.rescaled(one.scale() + 1);
      require(!longer || *longer == one);
    }
    require(!one.grouped_text().empty() && one.to_double() == one.to_double());
  }
  require((*a < *b) + (*a == *b) + (*b < *a) == 1);
  const int by_digits = lofty::engine::compare_decimals(a->coefficient(), a->scale(), b->coefficient(), b->scale());
  require((by_digits < 0) == (*a < *b) && (by_digits == 0) == (*a == *b));
  // Doubles round, but never the other way round.
  require(!(*a < *b) || a->to_double() <= b->to_double());
  return 0;
}
