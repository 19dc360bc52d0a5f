#pragma once
// Tables that are read a stretch of rows at a time, so that rows need not be kept.
// Covered by tests/ladder/stretches_test.cpp.

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "lofty/run.hpp"
#include "table/column.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// The rows read so far make a column another type than the first stretch did, which earlier stretches were read as.
struct TypeChanged {};

// A table on its way. Not thread-safe; it uses the threads of the run that it was made with.
class TableStretches {
 public:
  virtual ~TableStretches() = default;
  // The next rows, as a table that counts its rows from 0; nothing once all are read. Columns have the types and scales
  // of the first stretch. Throws Error as TableSource::read() does, and TypeChanged.
  virtual std::optional<Table> next() = 0;
  // Once all are read: the table that read() would give, without its columns.
  virtual Table whole() = 0;
};

// A TableSource that can be read so.
class StretchSource {
 public:
  virtual ~StretchSource() = default;
  // How many bytes of the file are read at a time; 0 where it is so small that it may as well be kept.
  virtual std::uint64_t stretch_bytes() const = 0;
  // Null where stretch_bytes() is 0. The source has to outlive it, and so does `run`.
  virtual std::unique_ptr<TableStretches> stretches(std::span<const std::size_t> columns, const Run& run) const = 0;
};

}  // namespace lofty::engine
