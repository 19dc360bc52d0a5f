#pragma once
// The entries of a ladder of one level, listed with everything that the workings of one of them tell.

#include <cstddef>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "derived/read_once.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"

namespace lofty::engine {

// A ladder that lists all its entries, with every key of the order and every part of a total as columns of their own;
// and which column is which.
struct EntryView {
  Ladder ladder;
  std::vector<std::string> keys;  // of rank.within, then rank.each: the first columns
  bool of_rows = false;           // every row is an entry

  struct Key {
    std::string text;
    std::size_t column;
  };
  std::vector<Key> by;  // rank.by
  struct Total {
    NamedFormula formula;
    std::size_t column;
    struct Part {
      std::string text;
      std::size_t column, rows;  // its value, and how many rows it is computed from
    };
    std::vector<Part> parts;
  };
  std::vector<Total> totals;
  std::vector<std::pair<NamedFormula, std::size_t>> windows, figures;  // with their columns
  std::optional<std::size_t> eligible;                                 // 1: it is; 0: it is not; null: that is unknown
  std::size_t place = 0;

  std::string label;  // a listed column that names an entry better than its keys; empty: there is none
  std::size_t label_column = 0;
};

// `ladder` has one level. The label is looked for later, because that reads: find_label().
EntryView view_entries(const Ladder& ladder);

// The same ladder with all its entries: without best, worst, keep.where and unranked.
Ladder without_cuts(Ladder ladder);

// A listed text column with one value an entry.
std::string find_label(const Ladder& ladder, const ReadOnce& tables, const Run& run);

}  // namespace lofty::engine
