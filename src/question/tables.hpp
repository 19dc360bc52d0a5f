#pragma once
// The tables that a question is answered from.

#include <vector>

#include "base/access.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// By Question::tables, as they were read. Copies share the rows.
struct Tables {
  std::vector<Table> read;

  const Table& first() const { return read.front(); }
  const Table& operator[](std::size_t table) const { return read[table]; }
  const TableData& data(std::size_t table) const { return Access::data(read[table]); }
  // The same with other rows of the first table.
  Tables with_first(Table rows) const {
    Tables out = *this;
    out.read.front() = std::move(rows);
    return out;
  }
};

}  // namespace lofty::engine
