// Formulas never crash, and what parses, parses again as a part of a longer one.
#include <cstdint>
#include <cstdlib>
#include <string>

#include "formula/parser.hpp"
#include "lofty/error.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  const auto places_hold = [&](const lofty::Error& error) {
    for (const lofty::Problem& p : error.problems())
      if (p.location.offset > p.location.text.size() || p.location.length == 0) std::abort();
  };
  try {
    lofty::engine::parse_expression(text);
    lofty::engine::parse_expression("(" + text + "\n)");
  } catch (const lofty::Error& error) {
    places_hold(error);
  }
  try {
    lofty::engine::parse_sort_list(text);
  } catch (const lofty::Error& error) {
    places_hold(error);
  }
  return 0;
}
