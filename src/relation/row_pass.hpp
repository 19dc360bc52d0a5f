#pragma once
// The pass over rows: which of them count, the entries that they are of, and what these total, piece by piece.
// Covered by tests/ladder/standings_test.cpp against a plain reference.

#include <memory>
#include <optional>
#include <vector>

#include "base/parallel.hpp"
#include "lofty/run.hpp"
#include "question/question.hpp"
#include "relation/entries.hpp"
#include "relation/inside.hpp"
#include "relation/partial_totals.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// The rows that count, ascending, and what became of all.
struct RowsThatCount {
  std::vector<std::uint32_t> rows;
  RowCounts counts;
};

// The rows of one relation in pieces, each with tables and states of its own. All functions throw RowFailure for
// the first row that fails.
class RowPass {
 public:
  // In fixed pieces. `inside`: null for the outermost level.
  RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run)
      : RowPass(question, rows, inside, run, RowRanges::few(rows.counting_rows(), batch_rows)) {}
  RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run,
          const RowRanges& pieces);

  const RowRanges& pieces() const { return pieces_; }

  // The constants over all rows that count, by Question::overalls; and over others, of which they are `so_far`.
  std::vector<Value> find_overalls(std::vector<Value> so_far = {}) const;
  RowsThatCount counted() const;
  // Adds each piece to a part, in their order. There are at least as many parts as pieces, and other rows may have been
  // added to them before.
  void add_to(std::vector<std::unique_ptr<PartialTotals>>& parts) const;

  // Calls work(begin, count) for each batch of a piece.
  template <class Work>
  void each_batch(const RowRange& rows, const Work& work) const {
    for (std::size_t begin = rows.begin; begin < rows.end; begin += batch_rows) {
      check_stop(run_);
      work(begin, std::min(batch_rows, rows.end - begin));
    }
  }

 private:
  const Question& question_;
  const JoinedRows& rows_;
  const Inside* const inside_;
  const Run& run_;
  const RowRanges pieces_;
};

// Adds what the parts counted on the way, but not their entries.
void add_counts(const std::vector<std::unique_ptr<PartialTotals>>& parts, const Question& question, Entries& entries);

}  // namespace lofty::engine
