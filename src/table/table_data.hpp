#pragma once
// What a Table holds.

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "lofty/remark.hpp"
#include "lofty/table.hpp"
#include "table/column.hpp"
#include "table/infer.hpp"

namespace lofty {

struct Table::Data {
  std::string name;
  std::size_t rows = 0;
  std::vector<std::string> headings;
  std::vector<engine::ColumnPtr> columns;  // null where the column was not read
  std::vector<engine::Census> census;      // what the texts looked like; all zero for tables in memory
  std::vector<Remark> remarks;
  // What the file calls a row by: "line" and the number of the one on which it begins, or "row" and its number in the
  // sheet or the table of a database. No function for tables in memory, whose rows are counted from 1. May read the
  // file again.
  std::function<std::size_t(std::size_t row)> number_in_file;
  const char* numbered = "row";
  std::size_t number_of(std::size_t row) const { return number_in_file ? number_in_file(row) : row + 1; }
  std::string place_of(std::size_t row) const;  // "line 17", or "row 17"
  // Of several files that are one table: what each is called, and its first row, ascending. Empty for one file.
  struct FileRows {
    std::string name;
    std::size_t first_row = 0;
  };
  std::vector<FileRows> files;
  // The file that a row is from; empty where there is one only.
  std::string file_of(std::size_t row) const;
};

namespace engine {

using TableData = Table::Data;

// Rows are 32-bit numbers; the last two values are reserved.
inline constexpr std::size_t most_rows = 0xfffffffe;

}  // namespace engine
}  // namespace lofty
