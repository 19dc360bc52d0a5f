#pragma once
// Reading the tables that questions share.
// Covered by tests/ladder/check_test.cpp and tests/ladder/stretches_test.cpp.

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

// The tables of questions that are over the same ones, with the columns that any of the questions mentions. What cannot
// be read is a problem like any other.
class TableReading {
 public:
  // Precondition: there is a question, and each has opened its tables. `run` has to outlive it.
  TableReading(std::span<const Resolution* const> questions, const Run& run);

  // Reads a table whole. Throws Error where the caller asked to stop.
  void read(std::size_t table, const Run& run);
  // Reads all that were not read yet.
  void read_all();
  // Reads all but the first one.
  void read_others();
  // Reads the first one a stretch at a time: all columns, or these. `run` has to outlive what is returned.
  CheckedStretches stretches(const Run& run) const { return stretches(wanted_.front(), run); }
  CheckedStretches stretches(const std::set<std::size_t>& columns, const Run& run) const {
    return CheckedStretches(*use(0).source, columns, run);
  }
  // "order_lines.csv (479 MB)"
  std::string name_and_size(std::size_t table) const;

  // What was read, and the seconds that it took. A stretch stands for the first table.
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

// The questions with the types of their tables, which are read whole; with all that is wrong. Precondition: the tables
// were opened.
Resolution::Typed read_and_type(const Resolution& question, const Run& run);

}  // namespace lofty::engine
