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
    // integer, decimal, floating, date, timestamp, boolean or text; nothing: what `written` shows. Other kinds are no
    // types of columns: opening the table throws Error(bad_value).
    std::optional<Kind> type = {};
    // How its numbers or dates are written, by examples (lofty::Specimen): "1.234,50 = 1234.50". Empty: 1234.50, or
    // 2025-12-31.
    std::vector<std::string> written = {};
    friend bool operator==(const ColumnOption&, const ColumnOption&) = default;
  };
  std::vector<ColumnOption> columns = {};
  std::vector<std::string> nulls = {};   // texts that mean null, in addition to an empty field
  std::vector<std::string> header = {};  // headings, for a file that has none or poor ones
  char delimiter = 0;                    // 0: told from the heading line
  bool ragged_as_null = false;           // short rows are filled with nulls instead of refused
  // Lines of a text file, or rows of a sheet, that are not part of the table: so many before the headings, and so many
  // at the end, which are no rows. Other tables refuse them.
  std::size_t skip = 0, skip_last = 0;
  // How the bytes of a text file are characters, by a name that ICU knows: "windows-1252", "UTF-16". Empty: UTF-8, or
  // what a byte-order mark says.
  std::string encoding = {};
  // Tables whose rows follow, as if all were one: further names, or patterns of names, of files of delimited text. They
  // have the same headings, in any order. The first name may be a pattern, too.
  std::vector<std::string> more = {};
  // The heading of a further column that says which file a row is from. Empty: there is none.
  std::string file_column = {};
  // The columns that a server sorts its rows by, which have no order of their own. Other tables refuse it.
  std::vector<std::string> order = {};
  // The language of months in `written`; a ladder's is filled in. No option of a table by itself: empty() ignores it.
  std::string locale = {};

  bool empty() const {
    return columns.empty() && nulls.empty() && header.empty() && delimiter == 0 && !ragged_as_null && skip == 0 &&
           skip_last == 0 && encoding.empty() && more.empty() && file_column.empty() && order.empty();
  }
  friend bool operator==(const ReadOptions&, const ReadOptions&) = default;
};

// How large a table is, as far as it can be told without reading it.
struct TableSize {
  std::optional<double>
      rows;          // exact in memory, estimated from the first lines of a file; nothing where it is not known
  double bytes = 0;  // of the text that will be read; 0 in memory
  // How many of these TableSource::stretches() reads at a time; 0: it hands over the whole table at once.
  double stretch_bytes = 0;
};

// A table that is read a stretch of rows at a time, so that its rows need not be kept. Not thread-safe: one call at a
// time, each on any thread. It uses the threads of the run that it was made with.
class TableStretches {
 public:
  virtual ~TableStretches() = default;
  // The next rows, as a table that counts its rows from 0. Its columns have the types and scales that they had in the
  // first stretch. Nothing: all rows were read, or types_hold() is false. Throws Error as TableSource::read() does.
  virtual std::optional<Table> next() = 0;
  // Do the rows read so far give each column the type that it had in the first stretch? If not, the table has to be
  // read whole.
  virtual bool types_hold() const { return true; }
  // Once all rows were read: the table that read() returns, without its columns. Throws Error.
  virtual Table whole() = 0;
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
  // False if the rows may come in another order each time, as a server's do. Answers that the order of rows would decide
  // are then refused.
  virtual bool has_order() const { return true; }
  // The table with at least these columns (indices into headings()). Throws Error.
  virtual Table read(std::span<const std::size_t> columns, const Run& run) const = 0;
  // The same rows, a stretch at a time; each call begins with the first row. Unless a source does better, the whole
  // table is one stretch. The source and `run` have to outlive it. Throws Error.
  virtual std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const;
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
