#pragma once
// Tables from a caller's own Catalog and TableSource: what these return is checked, in every build.

#include <algorithm>
#include <memory>
#include <span>
#include <string>

#include "lofty/catalog.hpp"
#include "table/call_check.hpp"

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

}  // namespace lofty::engine
