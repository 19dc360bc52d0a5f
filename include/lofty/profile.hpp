#pragma once
// First acquaintance with a table: what each column holds, and what about it is in doubt.

#include <cstddef>
#include <string>
#include <vector>

#include "lofty/export.hpp"
#include "lofty/remark.hpp"
#include "lofty/run.hpp"
#include "lofty/table.hpp"

namespace lofty LOFTY_EXPORT {

struct ColumnProfile {
  std::string heading;
  Type type;
  std::size_t blanks = 0;      // nulls, misfits included
  std::size_t distinct = 0;    // different values, null not counted
  Value least, greatest;       // by value; texts by code point; null when all is blank
  std::vector<Value> samples;  // up to three: the commonest where values repeat, else the first
  bool key = false;            // no blanks, all different: it would serve as a key
};

struct TableProfile {
  std::string table;
  std::size_t rows = 0;
  std::vector<ColumnProfile> columns;  // of the columns that the table holds
  std::size_t duplicate_rows = 0;      // rows equal to an earlier one in every column
  // numbers-as-text, mixed-dates, alike-spellings, null-words, duplicate-rows, misfits, mixed-offsets
  std::vector<Remark> remarks;
};

// O(rows * columns) time; memory for the distinct values of one column at a time. Thread-safe.
[[nodiscard]] TableProfile profile(const Table& table, const Run& run = {});

}  // namespace lofty
