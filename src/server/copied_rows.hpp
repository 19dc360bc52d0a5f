#pragma once
// Rows as PostgreSQL copies them in its binary format, into columns.
// Covered by tests/server/postgresql_test.cpp.

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "table/column.hpp"

namespace lofty::engine {

// How the values of a column are sent.
enum class SentAs : unsigned char { int2, int4, int8, numeric, float4, float8, date, timestamp, boolean, text };

struct SentColumn {
  std::string name;  // for messages
  SentAs as = SentAs::text;
  Type type;  // decimals: with the scale that the server declares; 0 where it declares none
};

// A value that has no place in a column: "NaN", or a date after the year 9999.
struct Misplaced {
  std::size_t column = 0;
  std::string what;
};

class CopiedRows {
 public:
  explicit CopiedRows(const std::vector<SentColumn>& columns);

  // Adds what one part of the copy holds: a header, a row, or the end. Throws Misplaced, std::out_of_range for bytes
  // that are no row.
  void add(std::string_view part);
  std::size_t rows() const { return rows_; }
  std::size_t bytes() const { return bytes_; }
  // Returns the rows so far. The next row is the first of a new set.
  std::vector<Piece> take();

 private:
  void add_value(std::size_t column, std::string_view bytes);
  void add_numeric(std::size_t column, std::string_view bytes);
  void begin();

  const std::vector<SentColumn>& columns_;
  std::vector<Piece> pieces_;
  std::size_t rows_ = 0, bytes_ = 0;
  bool header_ = true;
};

}  // namespace lofty::engine
