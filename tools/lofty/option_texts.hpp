#pragma once
// Options that hold more than a name and a value: how a column is read, and periods.

#include <string>
#include <vector>

#include "lofty/ladder.hpp"

namespace tool {

// What inspect and rank are told of how a table is read.
struct TableOptions {
  std::string delimiter, encoding, file_column;
  std::vector<std::string> nulls, columns_read;
  std::optional<std::size_t> skip, skip_last;
  std::vector<std::string> row_order;
};

// Lays them over what is said already. `locale`: whose months an example may have.
void apply(const TableOptions& options, lofty::ReadOptions& read, const std::string& locale = {});

// "recent: last 3 months of ordered_on, whole, back 1", "march: ordered_on from 2026-03-01 through 2026-03-31".
lofty::Period period_of(const std::string& text);

}  // namespace tool
