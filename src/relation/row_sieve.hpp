#pragma once
// The rows of a large table that count, kept as the others go by.
// Covered by tests/ladder/stretches_test.cpp against answers from rows that are all kept.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "lofty/run.hpp"
#include "relation/rows.hpp"
#include "relation/texts_met.hpp"
#include "table/column.hpp"
#include "table/kept_parts.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// What is left of the first table, and what was met on the way.
struct SiftedRows {
  Table table;  // with the rows that count, and one for which that is unknown; they know their places in the file
  std::size_t read = 0;                               // rows of the first table
  std::size_t joined = 0, left_out = 0, unknown = 0;  // rows of the relation: all, and those that do not count
  TextsOfTable texts_met;                             // of all rows
  std::vector<JoinedRows::Report> reports;            // by join, of all rows
  double seconds = 0;
};

// Can a question do with the rows that count alone? It is of one level, has conditions on rows, and no constants over
// all rows, which conditions may need; and joins let no rows in.
bool takes_sifted_rows(const std::vector<Question>& levels);

class RowSieve {
 public:
  // Of a question that takes_sifted_rows(). All that is given has to outlive it.
  RowSieve(const Question& question, StretchJoins& joins, const Run& run);

  // Keeps what counts of the rows that the question's first table holds now: those after `rows_before` others. Throws
  // RowsNeeded where too many of the first ones do for that to pay; RowFailure and Error for what a row makes
  // impossible.
  void add(std::size_t rows_before);
  // Once all were added. `whole`: the first table without its columns.
  SiftedRows finish(const Table& whole);

 private:
  void keep(const std::vector<std::uint32_t>& rows);

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
