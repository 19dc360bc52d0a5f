#pragma once
// The rows of a large table that count, kept as the others go by.
// Covered by tests/relation/sinks_test.cpp and tests/relation/stretches_test.cpp.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "base/kept_parts.hpp"
#include "lofty/run.hpp"
#include "plan/plan.hpp"
#include "relation/row_counts.hpp"
#include "relation/rows.hpp"
#include "relation/texts_met.hpp"
#include "table/column.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// What is left of the first table, and what was met on the way.
struct SiftedRows {
  // The rows that count, and the first for which that is unknown; each has its number in the file.
  Table table;
  std::size_t read = 0;                                                        // rows of the first table
  RowCounts rows;                                                              // of the relation
  std::shared_ptr<TextsOfTable> texts_met = std::make_shared<TextsOfTable>();  // of all rows
  std::vector<JoinedRows::Report> reports;                                     // by join, of all rows
  double seconds = 0;
};

class RowSieve {
 public:
  // Of a question that needs the rows that count alone. `first` has the columns; the others have to outlive this.
  RowSieve(const Question& question, const Table& first, StretchJoins& joins, const Run& run);

  // Keeps what counts of the rows that the first table has here: those after `rows_before` others. Throws RowFailure
  // and Error for what a row makes impossible.
  Outcome add(const Tables& tables, std::size_t rows_before);
  // Once all were added; the first table is without columns.
  SiftedRows finish(const Tables& tables);

 private:
  void keep(const Table& table, const std::vector<std::uint32_t>& rows);

  const Question& question_;
  StretchJoins& joins_;
  const Run& run_;
  struct Kept {
    std::size_t column = 0;  // of the table
    Type type;
    std::vector<Piece> pieces;  // packed, one a stretch
    KeptParts parts;
  };
  std::vector<std::unique_ptr<Kept>> columns_;
  std::vector<std::uint32_t> numbers_;  // of the rows that are kept, in the table
  SiftedRows sifted_;
};

}  // namespace lofty::engine
