#pragma once
// Where a ladder finds its tables by name.

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/run.hpp"
#include "lofty/table.hpp"

namespace lofty LOFTY_EXPORT {

// What a ladder says about how a table is to be read. Ignored by tables that are in memory already.
struct ReadOptions {
  struct ColumnOption {
    std::string column;
    std::string type;  // "integer", "decimal", "float", "date", "timestamp", "boolean" or "text"
    // How its numbers are written, where that is not 12345.60: a sign between thousands (0: none), and the decimal
    // sign.
    char thousands = 0;
    char point = '.';
  };
  std::vector<ColumnOption> columns = {};
  std::vector<std::string> nulls = {};   // texts that mean null, in addition to an empty field
  std::vector<std::string> header = {};  // headings, for a file that has none or poor ones
  char delimiter = 0;                    // 0: told from the heading line
  bool ragged_as_null = false;           // short rows are filled with nulls instead of refused

  bool empty() const { return columns.empty() && nulls.empty() && header.empty() && delimiter == 0 && !ragged_as_null; }
};

// How large a table is, as far as it can be told without reading it.
struct TableSize {
  std::optional<double>
      rows;          // exact in memory, estimated from the first lines of a file; nothing where it is not known
  double bytes = 0;  // of the text that will be read; 0 in memory
};

// One table that can be read: its headings at once, its rows on demand.
class TableSource {
 public:
  virtual ~TableSource() = default;
  virtual const std::string& name() const = 0;  // as messages call it
  virtual const std::vector<std::string>& headings() const = 0;
  // How it is being read, where that was told from the data: "commas between fields". Empty when there is nothing to
  // say.
  virtual std::string form() const { return {}; }
  virtual TableSize size() const { return {}; }
  // The table with at least these columns (indices into headings()). Throws Error.
  virtual Table read(std::span<const std::size_t> columns, const Run& run) const = 0;
};

// Tables by name. Derive from it to bring tables from elsewhere. Ladders that are answered on several threads call
// open() on several threads: it has to allow that, as this one and TableFiles do. add() may not run at the same time.
class Catalog {
 public:
  virtual ~Catalog() = default;

  // Adds a table in memory under its own name; replaces one of that name.
  void add(Table table);

  // The table called `name`. Throws Error(Code::unknown_table) with the nearest name when there is none.
  virtual std::shared_ptr<const TableSource> open(const std::string& name, const ReadOptions& options) const;

 private:
  std::map<std::string, Table> tables_;
};

}  // namespace lofty
