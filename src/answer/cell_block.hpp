#pragma once
// Cells as texts, a block of rows at a time.
// Covered by tests/io/write_test.cpp.

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/standings.hpp"
#include "table/column.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// A listing's rows, or a table's. Values are fetched column by column: rows of a listing lie all over the memory, which
// is waited for once a block rather than once a cell. Each thread has a block of its own.
class CellBlock {
 public:
  static constexpr std::size_t usual_rows = 2048;

  // Both refer to what they are given.
  explicit CellBlock(const Standings& listing);
  explicit CellBlock(const Table& table);

  std::size_t columns() const { return cells_.size(); }
  void load(const RowRange& rows);

  // Of the rows that were loaded, by their number in the block.
  bool is_null(std::size_t column, std::size_t row) const;
  // What to_text(value, type) gives, behind `out`. Not null.
  void put(std::size_t column, std::size_t row, std::string& out) const;
  const Type& type(std::size_t column) const { return cells_[column].type; }
  bool is_text(std::size_t column) const { return cells_[column].type.kind == Kind::text; }

 private:
  struct Cells {
    const Column* from = nullptr;  // null: `values`, of nested levels
    Type type;
    Lane lane = Lane::int64;
    std::vector<std::int64_t> ints;
    std::vector<double> doubles;
    std::vector<std::string_view> texts;  // data() is null for null
    std::vector<Value> values;
  };
  void load(Cells& cells, std::size_t column, const RowRange& rows);

  const Standings* listing_ = nullptr;
  const std::vector<std::uint32_t>* rows_ = nullptr;  // null: all of the table's, in their order
  std::vector<Cells> cells_;
};

}  // namespace lofty::engine
