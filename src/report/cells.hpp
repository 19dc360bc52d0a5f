#pragma once
// The values of an answer as people read them: in the formats of list.formats, with enough decimals to tell neighbours
// apart.
// Covered by tests/report/listing_test.cpp.

#include <optional>
#include <string>
#include <vector>

#include "lofty/standings.hpp"

namespace lofty::report {

// As a length to draw. Nothing for null, for what is not a number, and for numbers that no length has.
std::optional<double> number_of(const Value& value);

class CellTexts {
 public:
  // Looks at all listed values of numeric columns: O(rows x columns). `standings` has to outlive this.
  explicit CellTexts(const Standings& standings);

  // Control characters are made visible. Null: "(none)", and an en dash in places, measures and cells.
  std::string text(std::size_t row, std::size_t column) const { return of(column, s_.value(row, column)); }
  std::string of(std::size_t column, const Value& value) const;
  int decimals(std::size_t column) const { return decimals_[column]; }

 private:
  const Standings& s_;
  std::vector<int> decimals_;  // by column; of numbers that are exact or have a format
};

}  // namespace lofty::report
