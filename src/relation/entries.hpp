#pragma once
// The relation of entries: one row for each, and what was met on the way to them.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "formula/evaluator.hpp"
#include "question/question.hpp"
#include "relation/row_counts.hpp"
#include "relation/rows.hpp"
#include "relation/texts_met.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// Entries taken together, without another look at the rows: exact, distinct counts too.
class Regroup {
 public:
  virtual ~Regroup() = default;
  // The aggregates' columns, by Question::entry_columns (null pointers for the others), over `groups` groups.
  // `group_of` is by entry as run_rows() numbered them; an entry in group `groups` is left out. Thread-safe.
  virtual std::vector<ColumnPtr> totals(const std::vector<std::uint32_t>& group_of, std::size_t groups) = 0;
};

// Rows that are looked at more closely: how many there are, and how many of them each term of rows.where leaves out by
// itself.
struct Probed {
  struct Term {
    std::string text;
    std::size_t left_out = 0, unknown = 0;
  };
  std::size_t rows = 0;
  std::vector<Term> terms;  // by Question::where_first, then where_last

  void add(const Probed& more) {
    rows += more.rows;
    if (terms.size() < more.terms.size()) terms.resize(more.terms.size());
    for (std::size_t t = 0; t < more.terms.size(); ++t) {
      terms[t].text = more.terms[t].text;
      terms[t].left_out += more.terms[t].left_out;
      terms[t].unknown += more.terms[t].unknown;
    }
  }
};

// What windows over rows leave besides their values.
struct RowWindows {
  std::vector<WindowNotes> notes;  // by Question::row_windows
  WindowTimes times;
  std::vector<std::uint32_t> listed;  // entries in the order of the listing, where a window's sort has it; else empty
};

struct Entries {
  FormulaContext context;  // for formulas over the entries: with the constants over all rows that count
  Probed probed;           // where the question asks for it
  std::size_t count = 0;
  std::vector<ColumnPtr> columns;         // by Question::entry_columns; null for totals, which come later
  std::vector<std::uint32_t> first_rows;  // the first row that counts of each entry, ascending
  std::vector<std::uint32_t> row_counts;  // rows that count, by entry; empty where every row is an entry
  RowCounts rows;
  struct Blank {  // an aggregate whose argument was null on some rows
    std::size_t rows = 0, entries = 0;
    std::vector<std::uint32_t> by_entry = {};  // rows, as run_rows() numbered the entries; empty: none
  };
  std::vector<Blank> blanks;  // by Question::aggregates
  // Of the first table; null where all of its rows were kept.
  std::shared_ptr<const TextsOfTable> texts_met;
  struct UnknownFilter {  // rows that count for which an aggregate's filter is neither true nor false
    std::size_t rows = 0;
    std::uint32_t example = no_row;
  };
  std::vector<UnknownFilter> unknown_filters;  // by Question::aggregates
  struct Caught {                              // by a period
    std::size_t rows = 0;
    std::map<std::int64_t, std::size_t> days;  // rows of each that occurs
  };
  std::vector<Caught> caught;  // by Question::periods
  struct Mean {                // of an exact average, by entry: what it was before it was rounded
    int column = 0;
    std::vector<int128> sums;
    std::vector<std::int64_t> counts;
  };
  std::vector<Mean> means;
  struct Undecided {  // by the first or last row of an order: how many entries the input's order decides
    std::size_t aggregate = 0, entries = 0;
    std::uint32_t one = no_row, other = no_row;  // two rows that are equal in it
  };
  std::vector<Undecided> undecided;
  RowWindows windows;
  double count_seconds = 0, total_seconds = 0;  // finding the rows that windows see; the pass that totals
  std::shared_ptr<Regroup> regroup;             // where Question::keeps_states asks for it
  // By entry: as run_rows() numbered them, once entries were left out (perhaps all); nothing: just so.
  std::optional<std::vector<std::uint32_t>> numbered_as;
  std::size_t numbered = 0;  // how many there were then
};

}  // namespace lofty::engine
