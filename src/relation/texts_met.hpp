#pragma once
// Which texts a table has whose rows are not kept, for what is said of values that do not occur.
// Covered by tests/relation/stretches_test.cpp.

#include <cstddef>
#include <map>
#include <string_view>
#include <vector>

#include "lofty/run.hpp"
#include "table/dictionary.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// The different texts of a column, and how many rows have each; only where there are not too many.
class TextsMet {
 public:
  static constexpr std::size_t most = 10'000;

  void add(std::string_view text, std::size_t rows) {
    const std::uint32_t code = texts_.add(text);
    if (code == rows_.size()) rows_.push_back(0);
    rows_[code] += rows;
  }
  void add_too_many() { too_many_ = true; }
  bool too_many() const { return too_many_ || texts_.size() > most; }
  const Dictionary& texts() const { return texts_; }
  const std::vector<std::size_t>& rows() const { return rows_; }  // by code

 private:
  Dictionary texts_;
  std::vector<std::size_t> rows_;
  bool too_many_ = false;
};

// By column of text that a table holds.
using TextsOfTable = std::map<std::size_t, TextsMet>;

// Adds the rows of a table, or of a stretch of one; each call has the same columns.
void add_texts(const Table& rows, const Run& run, TextsOfTable& met);

}  // namespace lofty::engine
