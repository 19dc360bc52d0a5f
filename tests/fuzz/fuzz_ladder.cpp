// Ladder files never crash, and what is read can be written and read again.
#include <cstdint>
#include <cstdlib>
#include <string>

#include "lofty/lofty.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  try {
    const lofty::Ladder ladder = lofty::read_ladder(text, "fuzz").ladder;
    const std::string once = lofty::ladder_text(ladder);
    if (lofty::ladder_text(lofty::read_ladder(once, "again").ladder) != once) std::abort();
    lofty::Catalog catalog;
    const std::vector<std::int64_t> numbers{1, 2};
    catalog.add(lofty::TableBuilder(ladder.data.from.empty() ? "t" : ladder.data.from)
                    .column("shop_no", numbers)
                    .column("quantity", numbers)
                    .build());
    static_cast<void>(lofty::check(ladder, catalog));
  } catch (const lofty::Error& error) {
    if (lofty::problems_text(error.problems()).empty()) std::abort();
  }
  return 0;
}
