#pragma once
// The relation of rows: joined tables seen as one, without copying a value.

#include <vector>

#include "formula/evaluator.hpp"
#include "ladder/question.hpp"
#include "lofty/standings.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

inline constexpr std::uint32_t no_row = 0xffffffff;

class JoinedRows : public RowSource {
 public:
  // Finds every row's partner in every joined table. Throws Error(join_multiplies, key_mismatch).
  JoinedRows(const Question& question, const Run& run);

  std::size_t rows() const override { return question_.tables.front().table.rows(); }
  void load(int column, std::size_t begin, std::size_t count, Vector& out) const override;
  const Dictionary* dictionary(int column) const override;

  // Row counts, and up to three examples for each: keys without a partner, and rows of the other table without a row.
  struct Report {
    std::size_t unmatched = 0, without_rows = 0;
    std::vector<std::string> unmatched_examples, without_examples;
  };
  const std::vector<Report>& reports() const { return reports_; }

 private:
  const Column& column_of(std::size_t table, std::size_t column) const {
    return *question_.tables[table].table.data().columns[column];
  }
  void match(const JoinUse& join, const Run& run);

  const Question& question_;
  const std::uint32_t* partners(std::size_t table) const {
    return reinterpret_cast<const std::uint32_t*>(partners_[table].data());
  }

  std::vector<Bytes> partners_;  // by table: a row number for every row; empty for the first
  std::vector<Report> reports_;
};

}  // namespace lofty::engine
