#pragma once
// The different values of a column, and rows that equal earlier ones.
// Covered by tests/derived/profile_test.cpp against plain references.

#include <cstdint>
#include <vector>

#include "base/parallel.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// In the order in which they first appear; null is none.
class DistinctValues {
 public:
  // O(rows). Columns whose values ascend or descend from row to row take no memory, others 4 to 40 bytes a value.
  DistinctValues(const Column& column, Progress& progress);

  std::size_t size() const { return all_differ_ ? rows_ : first_rows_.size(); }
  std::uint32_t first_row(std::size_t i) const { return all_differ_ ? static_cast<std::uint32_t>(i) : first_rows_[i]; }
  std::uint32_t count(std::size_t i) const { return all_differ_ ? 1 : counts_[i]; }

 private:
  void number_by_place(const Column& column, std::size_t places, Progress& progress);
  void number_by_key(const Column& column, Progress& progress);
  void meet(std::uint32_t id, std::size_t row) {
    if (id == first_rows_.size()) {
      first_rows_.push_back(static_cast<std::uint32_t>(row));
      counts_.push_back(0);
    }
    ++counts_[id];
  }

  std::size_t rows_ = 0;
  bool all_differ_ = false;
  std::vector<std::uint32_t> first_rows_, counts_;
};

// How many rows equal an earlier one in every column. Compares hashes of rows first, in 16 bytes a row, and then only
// the rows whose hashes occur twice.
std::size_t count_duplicate_rows(const std::vector<ColumnPtr>& columns, std::size_t rows, Progress& progress);

}  // namespace lofty::engine
