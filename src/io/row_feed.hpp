#pragma once
// Tables whose rows come one after the other as texts: what SQLite files, JSON lines and workbooks have in common.
// Types are told by the rules for delimited text, from the whole column.
// Covered by tests/io/sources_test.cpp.

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/remark.hpp"

namespace lofty::engine {

struct FedField {
  std::string_view text;
  bool null = true;
};

class RowFeed {
 public:
  using Row = std::function<void(std::span<const FedField> fields)>;
  virtual ~RowFeed() = default;
  // The rows lie in so many pieces, which several threads may ask for at once where there are several.
  virtual std::size_t pieces() const { return 1; }
  // Calls `row` for every row of a piece, from the first to the last, with its fields in the order of `columns`. It may
  // be called again, for other columns, and then gives the same rows or throws Error(changed_file). Throws Error.
  virtual void each(std::size_t piece, std::span<const std::size_t> columns, const Run& run, const Row& row) const = 0;
  // What a message calls a row by: what is numbered in the file, and the row's number there, ascending.
  virtual const char* numbered() const { return "row"; }
  virtual std::function<std::size_t(std::size_t row)> numbers() const {
    return [](std::size_t row) { return row + 1; };
  }
  // What the last call of each() left in doubt.
  virtual std::vector<Remark> remarks() const { return {}; }
};

// `name` is what messages call the table, `form` how it is being read. Throws Error(bad_heading) for a heading that is
// empty or occurs twice, Error(unknown_column) for an option of a column that is not there.
std::shared_ptr<const TableSource> fed_table(std::string name, std::string form, std::vector<std::string> headings,
                                             std::shared_ptr<const RowFeed> feed, const ReadOptions& options);

}  // namespace lofty::engine
