#pragma once
// Tables from a caller's own Catalog and TableSource: what these return is checked, in every build.

#include <algorithm>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "base/call_check.hpp"
#include "lofty/catalog.hpp"

namespace lofty::engine {

// Throws CallError for a catalog that returns no source, and what the catalog throws.
inline std::shared_ptr<const TableSource> opened(const Catalog& catalog, const std::string& name,
                                                 const ReadOptions& options = {}) {
  std::shared_ptr<const TableSource> source = catalog.open(name, options);
  require(source != nullptr, "Catalog::open() returns a source, or throws");
  return source;
}

// Throws CallError for a table that lacks one of the columns, and what the source throws.
inline Table read_from(const TableSource& source, std::span<const std::size_t> columns, const Run& run) {
  Table table = source.read(columns, run);
  require(std::all_of(columns.begin(), columns.end(), [&](std::size_t column) { return table.holds(column); }),
          "TableSource::read() returns a table that holds the columns it was called with");
  return table;
}

// A table that comes a stretch at a time.
class CheckedStretches {
 public:
  CheckedStretches(const TableSource& source, std::set<std::size_t> columns, const Run& run)
      : source_(source), columns_(columns.begin(), columns.end()), stretches_(source.stretches(columns_, run)) {
    require(stretches_ != nullptr, "TableSource::stretches() returns stretches, or throws");
  }

  // As TableStretches. Throws also CallError for a stretch that lacks one of the columns, or has one of another type
  // than the first.
  std::optional<Table> next() {
    std::optional<Table> rows = stretches_->next();
    for (std::size_t c = 0; rows && c < columns_.size(); ++c) {
      require(rows->holds(columns_[c]), "TableStretches::next() returns tables that hold the columns");
      if (types_.size() == c) types_.push_back(rows->type(columns_[c]));
      require(types_[c] == rows->type(columns_[c]), "TableStretches::next() returns columns of the first ones' types");
    }
    if (rows) rows_ += rows->rows();
    return rows;
  }
  bool types_hold() const { return stretches_->types_hold(); }
  Table whole() {
    Table table = stretches_->whole();
    require(table.rows() == rows_, "TableStretches::whole() has as many rows as the stretches");
    require(table.headings() == source_.headings(), "TableStretches::whole() has the headings of its source");
    return table;
  }

 private:
  const TableSource& source_;
  std::vector<std::size_t> columns_;
  std::unique_ptr<TableStretches> stretches_;
  std::vector<Type> types_;
  std::size_t rows_ = 0;
};

}  // namespace lofty::engine
