#pragma once
// Cells as texts, a block of rows at a time.
// Covered by tests/io/write_test.cpp.

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "base/parallel.hpp"
#include "lofty/standings.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// Cells of one column as texts, one after the other; those that are null have none. What comes after them is room.
struct TextStrip {
  static constexpr std::size_t slack = 16;  // bytes after the last text that may be read
  std::string bytes;
  std::vector<std::size_t> ends;  // by cell
};

// A listing's rows, or a table's. Values are fetched column by column: rows of a listing lie all over the memory, which
// is waited for once a block rather than once a cell. Each thread has a block of its own.
class CellBlock {
 public:
  static constexpr std::size_t usual_rows = 2048;

  // Both refer to what they are given.
  explicit CellBlock(const Standings& listing);
  explicit CellBlock(const Table& table);

  // Where arrays lie in the file that is for what memory has no room for: brings column after column into the order of
  // the listing, so that no more than one of them is read all over at once. Copies of the block share them.
  void bring_in_order(const Run& run);

  std::size_t columns() const { return cells_.size(); }
  void load(const RowRange& rows);
  void load(std::size_t column, const RowRange& rows);  // that one alone

  // Of the rows that were loaded, by their number in the block.
  bool is_null(std::size_t column, std::size_t row) const;
  // What to_text(value, type) gives, behind `out`. Not null.
  void put(std::size_t column, std::size_t row, std::string& out) const;
  // Room for a column's texts, which is kept from block to block.
  TextStrip& strip(std::size_t column) { return cells_[column].strip; }
  void put_all(std::size_t column);  // into its strip: of all rows that were loaded
  const Type& type(std::size_t column) const { return cells_[column].type; }
  // Is `check` true of the text, as it is stored? Asked once for each text of a column, as far as they are known.
  template <class Check>
  bool is_so(std::size_t column, std::size_t row, const Check& check);
  bool is_text(std::size_t column) const { return cells_[column].type.kind == Kind::text; }

 private:
  struct Cells {
    const Column* from = nullptr;  // null: `values`, of nested levels
    ColumnPtr own = nullptr;       // what `from` is, where it was brought in order
    Type type;
    Lane lane = Lane::int64;
    std::vector<std::int64_t> ints;
    std::vector<double> doubles;
    std::vector<std::string_view> texts;  // data() is null for null
    std::vector<Value> values;
    TextStrip strip;
    std::vector<std::uint8_t> checked;  // by code: 0 not yet, 1 true, 2 false
  };

  const Standings* listing_ = nullptr;
  std::size_t loaded_ = 0;                            // rows
  const std::vector<std::uint32_t>* rows_ = nullptr;  // null: all of the table's, in their order
  std::vector<Cells> cells_;
};

template <class Check>
bool CellBlock::is_so(std::size_t column, std::size_t row, const Check& check) {
  Cells& cells = cells_[column];
  if (cells.from == nullptr) return check(std::string_view(std::get<std::string>(cells.values[row])));
  if (cells.checked.empty()) cells.checked.resize(cells.from->dictionary().size());
  std::uint8_t& known = cells.checked[static_cast<std::size_t>(cells.ints[row])];
  if (known == 0) known = check(cells.texts[row]) ? 1 : 2;
  return known == 1;
}

}  // namespace lofty::engine
