#pragma once
// The pass over rows: which of them count, the entries that they are of, and what these total, piece by piece.
// Covered by tests/ladder/standings_test.cpp against a plain reference.

#include <memory>
#include <optional>
#include <vector>

#include "lofty/run.hpp"
#include "question/question.hpp"
#include "relation/entries.hpp"
#include "relation/inside.hpp"
#include "relation/part.hpp"
#include "relation/rows.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// The rows that count, ascending, and what became of the others.
struct RowsThatCount {
  std::vector<std::uint32_t> rows;
  std::size_t left_out = 0, unknown = 0;
  std::uint32_t unknown_example = no_row;
};

// The rows of one relation in pieces, each with tables and states of its own. All functions throw RowFailure for
// the first row that fails.
class RowPass {
 public:
  // In fixed pieces. `inside`: null for the outermost level.
  RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run)
      : RowPass(question, rows, inside, run, Pieces::few(rows.counting_rows(), batch_rows)) {}
  RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run, const Pieces& pieces);

  const Pieces& pieces() const { return pieces_; }

  // The constants over all rows that count, by Question::overalls; and over others, of which they are `so_far`.
  std::vector<Value> find_overalls(std::vector<Value> so_far = {}) const;
  RowsThatCount counted() const;
  // What each piece holds, in their order. `may_deal`: LevelPlan::may_deal.
  std::vector<std::unique_ptr<Part>> parts(bool may_deal) const;
  // The same added to parts that other rows went to before; there are at least as many of them as pieces.
  void add_to(std::vector<std::unique_ptr<Part>>& parts) const;

  // Calls work(begin, count) for each batch of a piece.
  template <class Work>
  void each_batch(const RowRange& rows, const Work& work) const {
    for (std::size_t begin = rows.begin; begin < rows.end; begin += batch_rows) {
      check_stop(run_);
      work(begin, std::min(batch_rows, rows.end - begin));
    }
  }

 private:
  void run_piece(const RowRange& rows, Part& part) const;
  void probe(Evaluator& evaluator, std::size_t begin, std::size_t count, Part& part,
             std::vector<std::uint32_t>& chosen) const;
  void catch_periods(Evaluator& evaluator, std::size_t begin, std::size_t count, const std::vector<unsigned char>& mask,
                     Part& part) const;
  struct Totalled {
    const Vector *values = nullptr, *filter = nullptr;
  };
  Totalled totalled(Part& part, std::size_t a, Evaluator& evaluator, std::size_t begin, std::size_t count,
                    const std::vector<unsigned char>& mask, std::vector<unsigned char>& narrowed) const;
  void total(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
             const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
             std::vector<unsigned char>& narrowed) const;
  void take_first_rows(const Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count, std::size_t known,
                       const Node& node, Carried& values) const;
  void deal(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
            const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
            std::vector<unsigned char>& narrowed) const;
  void number(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
              const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
              std::vector<std::uint32_t>& ids) const;

  const Question& question_;
  const JoinedRows& rows_;
  const Inside* const inside_;
  const Run& run_;
  const Pieces pieces_;
};

// Adds what the parts counted on the way, but not their entries.
void add_counts(const std::vector<std::unique_ptr<Part>>& parts, const Question& question, Entries& entries);

}  // namespace lofty::engine
