#pragma once
// Where a row is from.
// Covered by tests/ladder/standings_test.cpp and tests/derived/why_test.cpp.

#include <string>

namespace lofty::engine {

struct RowOrigin {
  std::string table;       // or the one of its files that has the row
  std::string number;      // "line 17", "row 3"
  bool in_memory = false;  // it is the first table, and has no file

  // "line 17 of order_lines.csv", "row 3 of lines"
  std::string text() const { return number + " of " + table; }
  // The same, without the name of a table in memory.
  std::string short_text() const { return in_memory ? number : text(); }
};

}  // namespace lofty::engine
