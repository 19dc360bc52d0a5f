#pragma once
// What an answer decides before it reads a row, and why.
// Covered by tests/plan/make_plan_test.cpp.

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "lofty/cost.hpp"
#include "lofty/ladder.hpp"
#include "plan/sizes.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// How one level makes its entries.
struct LevelPlan {
  // Rows may be dealt out over partitions, once there are too many entries for one table.
  bool may_deal = false;
  // Where rows are totalled as they are read: with more entries than this the plan does not hold.
  std::size_t most_entries = ~std::size_t{0};
  // The best rows are chosen before any row has a place, where there are enough rows for that to pay.
  bool cuts_early = false;
  // By entry column of single rows: is it made after that, for the rows that are left? Empty: none is.
  std::vector<bool> made_late = {};
  // The order of places is made before the windows over entries, which use it.
  bool places_first = false;
};

// Decisions for questions over the same tables. The questions are not part of it.
struct Plan {
  RowsKept rows = RowsKept::all;  // of the first table
  // Where rows are totalled as they are read: the constants over all rows are found in a pass before, over these
  // columns of the first table, which may be none. Nothing: there is no such pass.
  std::optional<std::set<std::size_t>> first_look = {};
  std::vector<std::vector<LevelPlan>> levels = {};  // by question, then level
  std::vector<Decision> decisions = {};             // of the first question: what `lofty cost` prints

  // The plan that follows where this one does not hold: every row is kept.
  Plan next() const {
    Plan out = *this;
    out.rows = RowsKept::all;
    out.first_look.reset();
    return out;
  }
};

// What became of a plan.
enum class Outcome : unsigned char {
  held,
  types_changed,      // a later row makes a column another type than the first rows did
  value_impossible,   // a row makes a value impossible: with all rows kept, its place is known
  several_values,     // a carried column has several values in one entry
  many_entries,       // more entries than LevelPlan::most_entries
  numbers_descended,  // a distinct count took numbers as settled, and one of them came again
  many_count,         // too many of the first rows count for the others to be left out
  many_rows,          // more rows than can be numbered
};
// "a later row changes the type of a column". Precondition: it did not hold.
const char* reason(Outcome outcome);

// One of the questions that are answered over the same tables.
struct Asked {
  const Ladder& ladder;
  const std::vector<Question>& levels;  // by names; types are not looked at
};

// What the answer may use.
struct Means {
  double memory = 0;        // bytes
  double kept_share = 0.5;  // of it, kept rows may take
};
// Those of a run on this machine.
Means means_of(const Run& run);
// The share that means_of() says. Tests make it 0, so that rows are looked at twice rather than kept.
constexpr double usual_kept_share = 0.5;
inline std::atomic<double> most_kept_share{usual_kept_share};

// Decides. A pure function: reads nothing, and the same arguments give the same plan. The first question is the
// ladder's own; all are over the same tables. `sizes`: of the first question.
Plan make_plan(std::span<const Asked> questions, const Sizes& sizes, const Means& means);

// Does a join find the partners of each row by itself, and let no other rows in?
bool joins_row_by_row(const JoinUse& join);

}  // namespace lofty::engine
