#pragma once
// The made-up tables of Thornwick Honey, at any size.

#include <cstdint>
#include <filesystem>

namespace thornwick {

struct Size {
  std::uint64_t lines = 12'000;
  std::uint64_t shops = 0;  // 0: 214, and one for every thousand lines beyond 214,000
  std::uint64_t seed = 20'240'301;
};

// Writes order_lines.csv, shops.csv and products.csv into the folder: the same bytes for the same size and seed, on
// every machine. Throws std::runtime_error when they cannot be written.
//
// On purpose: two shops with exactly equal spend at the very top; a three-way tie at places 9 to 11; a shop with no
// orders; a shop with no valley; lines with no price; void lines, and returned ones with a negative quantity; lines
// with no status, or with `Paid ` for `paid`; an order whose shop is unknown; names with accents and mixed case;
// product names that end in numbers.
void write_tables(const std::filesystem::path& folder, const Size& size);

}  // namespace thornwick
