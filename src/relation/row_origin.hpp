#pragma once
// Where a row is from.

#include <cstddef>
#include <string>

namespace lofty::engine {

struct RowOrigin {
  std::string table;             // or which of its files
  const char* numbered = "row";  // what the file calls a row by: "line" or "row"
  std::size_t number = 0;
  bool plain = false;  // of the first table, which is in memory: its name need
                       // not be said

  // "line 17 of order_lines.csv", "row 3 of lines"
  std::string text() const { return number_text() + " of " + table; }
  // The same, and "row 3" where that is enough.
  std::string short_text() const { return plain ? number_text() : text(); }
  std::string number_text() const { return std::string(numbered) + " " + std::to_string(number); }
};

}  // namespace lofty::engine
