#pragma once
// The decisions of an answer, made before a row is read, with their reasons.
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
#include "plan/window_sorts.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// Decisions about one level.
struct LevelPlan {
  // Rows may be distributed over partitions when one table cannot hold all entries in the cache.
  bool may_deal = false;
  // The plan does not hold with more entries than this. Only for rows that are totalled as they are read.
  std::size_t most_entries = ~std::size_t{0};
  // The best rows are selected before any row is ranked, if enough rows are left out.
  bool cuts_early = false;
  // By entry column of single rows: true if the column is made after that selection. Empty: false for all.
  std::vector<bool> made_late = {};
  // Entries are ordered before the windows over entries are computed, and the windows use that order.
  bool places_first = false;
  // The sorts for windows: over rows, over entries, and over entries with their places.
  std::vector<SortStep> row_sorts = {}, entry_sorts = {}, late_sorts = {};
};

// Decisions for questions over the same tables.
struct Plan {
  RowsKept rows = RowsKept::all;  // of the first table
  // The first table's columns that a pass of its own reads for the constants over all rows; the set may be empty.
  // nullopt: there is no such pass.
  std::optional<std::set<std::size_t>> first_look = {};
  std::vector<std::vector<LevelPlan>> levels = {};  // by question, then level
  std::vector<Decision> decisions = {};             // of the first question, in words; `lofty cost` prints them

  // The plan to carry out if this one does not hold. It keeps every row.
  Plan next() const {
    Plan out = *this;
    out.rows = RowsKept::all;
    out.first_look.reset();
    return out;
  }
};

// The result of carrying out a plan.
enum class Outcome : unsigned char {
  held,
  types_changed,      // a later row makes a column another type than the first rows did
  value_impossible,   // a row makes a value impossible; the next plan finds out which row it is
  several_values,     // a carried column has several values in one entry
  many_entries,       // more entries than LevelPlan::most_entries
  numbers_descended,  // a distinct count had dropped numbers as complete, and one of them occurs again
  many_count,         // too many of the first rows count; leaving out the others does not pay
  many_rows,          // more rows than can be numbered
};
// In words: "a later row changes the type of a column". Empty for `held`.
const char* reason(Outcome outcome);

// One of the questions that are answered over the same tables.
struct Asked {
  const Ladder& ladder;
  const std::vector<Question>& levels;  // names resolved; types may be unknown
};

// Resources of an answer.
struct Means {
  double memory = 0;        // bytes
  double kept_share = 0.5;  // the part of the memory that kept rows may take
};
// The resources of a run on this machine.
Means means_of(const Run& run);
// Means::kept_share as means_of() sets it. Tests set it to 0, so that tables are read twice and rows are not kept.
constexpr double usual_kept_share = 0.5;
inline std::atomic<double> most_kept_share{usual_kept_share};

// Makes the plan. A pure function: it reads nothing, and the same arguments give the same plan. The first question is
// the ladder's own. All questions are over the same tables. `sizes` are those of the first question.
Plan make_plan(std::span<const Asked> questions, const Sizes& sizes, const Means& means);

// True if a join needs no other rows to find a row's partner, and adds no rows without one.
bool joins_row_by_row(const JoinUse& join);

}  // namespace lofty::engine
