#pragma once
// Is it the expected answer?

#include <optional>
#include <string>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/standings.hpp"
#include "lofty/table.hpp"

namespace lofty LOFTY_EXPORT {

// Standings against a small table of what they should be.
struct Comparison {
  std::vector<std::string> columns;  // compared: those of the table, which the listing has by heading or by name
  std::vector<std::string> keys;     // of these, what tells rows apart; none: rows are compared one by one
  std::size_t rows = 0;              // that are in both
  struct Cell {
    std::string entry, column;  // "shop_no 17"
    Value expected, found;
  };
  std::optional<Cell> differs;              // the first differing cell, in the order of the expected table
  std::size_t differing = 0;                // cells
  std::vector<std::string> missing, extra;  // entries that only the table has, and only the listing
  std::optional<std::string> out_of_order;  // the first entry in another position among those that are in both
  bool equal() const { return differing == 0 && missing.empty() && extra.empty() && !out_of_order; }
};

struct ComparisonOptions {
  // The table comes from a form of file that has no empty texts, as a workbook: its nulls equal empty texts too.
  bool nulls_are_empty_texts = false;
};

// Numbers are compared by value (12.5 is 12.50), text exactly, null equals null, and a date equals the timestamp of its
// midnight. Rows are told apart by the entries'
// keys as far as the table has them, else by the first label of words, else by their position. Throws
// Error(unknown_column) for a column of the table that is not listed, with the nearest; Error(key_mismatch) when the
// table has an entry twice. O(rows log rows).
[[nodiscard]] Comparison compare_with(const Standings& answer, const Table& expected,
                                      const ComparisonOptions& options = {});

}  // namespace lofty
