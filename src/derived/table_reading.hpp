#pragma once
// Reading the tables that questions share.
// Covered by tests/question/check_test.cpp and tests/relation/stretches_test.cpp.

#include <set>
#include <span>
#include <string>
#include <vector>

#include "lofty/error.hpp"
#include "lofty/run.hpp"
#include "question/resolve.hpp"
#include "question/tables.hpp"
#include "table/checked_source.hpp"

namespace lofty::engine {

// Reads tables for questions that are over the same ones, with the columns that any of them mentions. Errors of reading
// become problems.
class TableReading {
 public:
  // Preconditions: there is a question, and each has opened its tables. `run` has to outlive this.
  TableReading(std::span<const Resolution* const> questions, const Run& run);

  // Reads a whole table. Throws Error if the caller asked to stop.
  void read(std::size_t table, const Run& run);
  // Reads all tables that were not read yet.
  void read_all();
  // The same without the first table.
  void read_others();
  // The first table's stretches, with all columns or with these. `run` has to outlive the result.
  CheckedStretches stretches(const Run& run) const { return stretches(wanted_.front(), run); }
  CheckedStretches stretches(const std::set<std::size_t>& columns, const Run& run) const {
    return CheckedStretches(*use(0).source, columns, run);
  }
  // "order_lines.csv (479 MB)"
  std::string name_and_size(std::size_t table) const;

  // By table. The first table may be a stretch of it.
  Tables tables;
  std::vector<double> seconds;
  std::vector<Problem> problems;

 private:
  const TableUse& use(std::size_t table) const { return questions_.front()->questions().front().tables[table]; }

  std::span<const Resolution* const> questions_;
  const Run& run_;
  std::vector<std::set<std::size_t>> wanted_;  // by table
  std::vector<std::uint8_t> there_;            // by table: was it read?
};

// Reads a question's tables whole and resolves it with their types. The result has all problems. Precondition: the
// tables were opened.
Resolution::Typed read_and_type(const Resolution& question, const Run& run);

}  // namespace lofty::engine
