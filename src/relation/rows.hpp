#pragma once
// The relation of rows: joined tables seen as one, without copying a value.

#include <memory>
#include <vector>

#include "base/access.hpp"
#include "formula/evaluator.hpp"
#include "question/question.hpp"
#include "question/tables.hpp"
#include "relation/join_keys.hpp"
#include "relation/row_origin.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

class JoinCache;
class StretchJoins;

class JoinedRows : public RowSource {
 public:
  struct Report;
  // Finds every row's partner in every joined table, or takes those of another question that joins the same tables in
  // the same way. Throws Error(join_multiplies, key_mismatch).
  JoinedRows(const Question& question, const Tables& tables, const Run& run, JoinCache* cache = nullptr)
      : JoinedRows(question, tables, run, cache, nullptr) {}
  // Of a stretch of the first table's rows, one after the other: left and inner joins only.
  JoinedRows(const Question& question, const Tables& tables, const Run& run, StretchJoins& joins);
  // What is left of rows that were not kept: how many there were, and where the first table's are. No columns.
  JoinedRows(const Question& question, const Tables& tables, std::size_t rows, std::vector<Report> reports);

  const Question& question() const { return question_; }
  // By Question::tables.
  const Tables& tables() const { return tables_; }
  std::size_t rows() const override { return rows_; }
  // The first so many of them may count. The others are rows of a table of which all are entries (JoinUse::include)
  // that nothing refers to: they stand for their entries only.
  std::size_t counting_rows() const { return counting_rows_; }
  // A table's row for a row of the relation; no_row where it has none.
  std::uint32_t row_of_table(std::size_t table, std::size_t row) const { return row_in(table, row); }
  void load(int column, std::size_t begin, std::size_t count, Vector& out) const override;
  const Dictionary* dictionary(int column) const override;
  // The column of the first table that this one is, row by row; null where it is none, or rows were left out, repeated
  // or let in.
  ColumnPtr as_it_is(int column) const;

  // Row counts, and up to three examples for each: keys without a partner, and rows of the other table without a row.
  struct Report {
    static constexpr std::size_t most_examples = 3;
    std::size_t unmatched = 0, without_rows = 0;
    std::vector<std::string> unmatched_examples, without_examples;
    double seconds = 0;                 // that matching took
    std::size_t several = 0, more = 0;  // rows with several partners, and how many rows there are more because of them

    // `text` makes the key's text, which is wanted for the first examples only.
    template <class Text>
    void add_unmatched(const Text& text) {
      ++unmatched;
      if (unmatched_examples.size() < most_examples) add_example(text());
    }
    void add(const Report& other);
    void add_example(const std::string& text);
  };
  const std::vector<Report>& reports() const { return reports_; }
  // Replaces them by those of more rows, of which these are a part.
  void set_reports(std::vector<Report> reports) { reports_ = std::move(reports); }
  // The values of one of Question::row_windows, one a row.
  void set_window(std::size_t window, ColumnPtr values) {
    if (windows_.size() <= window) windows_.resize(window + 1);
    windows_[window] = std::move(values);
  }
  // What formulas over the rows need: the scratch memory, and the constants over all rows that count once they are set.
  const FormulaContext& context() const { return context_; }
  void set_overalls(std::vector<Value> values) { context_.overalls = std::move(values); }
  // In the first table, or in the one that the row came in with.
  RowOrigin origin_of(std::size_t row) const;

 private:
  const Column& column_of(std::size_t table, std::size_t column) const { return *tables_.data(table).columns[column]; }
  friend class StretchJoins;
  JoinedRows(const Question& question, const Tables& tables, const Run& run, JoinCache* cache, StretchJoins* stretches);
  struct Sides {
    JoinKeys keys;
    std::vector<std::uint8_t> merged;  // by key: an earlier join merged it, so each row of the relation has a value
  };
  // What matching knows of a join's second table.
  struct Matched {
    Sides sides;
    std::unique_ptr<const RowsByKey> by_key;
    std::vector<std::uint8_t> used;  // by its row: it is a partner
  };
  Sides sides_of(const JoinUse& join) const;
  void prepare(const JoinUse& join, Matched& matched) const;
  Report match(const JoinUse& join, Matched& matched, const Run& run);
  static void add_unused(const Table& table, const JoinUse& join, const Matched& matched, Report& report);
  Report find_partners(const JoinUse& join, const Sides& sides, const RowsByKey& by_key,
                       std::vector<std::uint8_t>& used, const Run& run);
  Error several_partners(const JoinUse& join, std::size_t row, std::uint32_t first, std::uint32_t second) const;
  void rebuild(const JoinUse& join, const Matched& matched, Report& report, const Run& run);
  const ColumnPtr* merged(const RowColumn& column) const;  // null: no join has merged it
  void merge_keys(const JoinUse& join, const Run& run);
  // A table's row for a row of the relation; no_row where it has none.
  std::uint32_t row_in(std::size_t table, std::size_t row) const {
    return partners_[table] == nullptr ? static_cast<std::uint32_t>(row) : partners(table)[row];
  }
  const std::uint32_t* partners(std::size_t table) const {
    return reinterpret_cast<const std::uint32_t*>(partners_[table]->data());
  }

  const Question& question_;
  const Tables tables_;
  FormulaContext context_;
  std::size_t rows_ = 0, counting_rows_ = 0;
  // By table: its row for every row of the relation. Empty: the first table, as long as every row of it occurs once.
  std::vector<std::shared_ptr<const Bytes>> partners_;
  std::vector<Report> reports_;
  // Keys of one name on both sides of a join that let rows of its second table in, whose value then comes from there;
  // by row of the relation. Later joins go by them.
  std::vector<std::pair<RowColumn, ColumnPtr>> merged_;
  std::vector<ColumnPtr> windows_;
};

// The partners that were found, for further questions over the same tables. Not thread-safe.
class JoinCache {
 private:
  friend class JoinedRows;
  struct Found {
    std::vector<Table> tables;
    std::vector<JoinUse> joins;
    std::size_t rows = 0, counting_rows = 0;
    std::vector<std::shared_ptr<const Bytes>> partners;
    std::vector<JoinedRows::Report> reports;
    std::vector<std::pair<RowColumn, ColumnPtr>> merged;
  };
  std::vector<Found> found_;
};

// Joins over stretches of the first table's rows, for all questions that join the same tables in the same way: the
// second tables' keys, what was met so far, and the partners of the stretch at hand. Not thread-safe.
class StretchJoins {
 public:
  // The rows of the next stretch will come.
  void next() { partners_ = {}; }
  // By join, once all rows were joined.
  std::vector<JoinedRows::Report> reports(const Question& question, const Tables& tables) const;

 private:
  friend class JoinedRows;
  struct One {
    JoinedRows::Matched matched;
    JoinedRows::Report report;
  };
  std::vector<One> joins_;
  JoinCache partners_;
};

}  // namespace lofty::engine
