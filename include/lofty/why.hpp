#pragma once
// "Why is this shop second?" The workings of one entry.

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

struct Workings {
  explicit Workings(Standings rows_that_count) : lines(std::move(rows_that_count)) {}

  std::string entry;  // what a reader calls it; "line 17 of order_lines.csv" where every row is an entry
  struct Named {
    std::string name;
    Value value;
    Type type = {};  // of the column: to_text(value, type) shows a moment where it belongs
  };
  std::vector<Named> keys;   // of rank.each
  std::vector<Named> group;  // of rank.within

  // ---- its place
  Value place;                     // null: it has none, for this reason:
  std::string without_place;       // empty for ranked entries
  std::size_t ranked = 0;          // ranked entries of its group
  std::vector<std::string> equal;  // the others that are equal on all of rank.by
  struct Neighbour {
    std::string entry;
    Value place;
    Value value;                  // its first key of rank.by
    std::optional<Value> margin;  // the distance to it, for numbers (and in days for dates)
    std::string decided_by;       // the key that tells the two apart
  };
  std::optional<Neighbour> ahead, behind;  // the nearest that are not equal
  std::string by;                          // the first key, as written
  Value value;                             // what the entry has there
  Type by_type = {};                       // of that key, the neighbours' too

  // ---- its totals
  struct Part {
    std::string formula;  // a total inside a formula: "sum(amount)"
    Value value;
    std::size_t rows = 0;  // that it was computed from
    Type type = {};
  };
  struct Total {
    std::string name, formula;
    Value value;
    std::vector<Part> parts;
    Type type = {};
  };
  std::vector<Total> totals;
  struct WindowValue {
    std::string name, formula;
    Value value;  // null for an entry that rank.having drops: no window sees it
    Type type = {};
  };
  std::vector<WindowValue> windows;  // of [windows]
  std::vector<WindowValue> figures;  // of [figures], where every row is an entry

  // ---- its rows
  std::size_t rows = 0;  // all that belong to it
  struct LeftOut {
    std::string condition;  // a term of rows.where, each judged separately
    std::size_t rows = 0, unknown = 0;
  };
  std::vector<LeftOut> left_out;
  Standings lines;  // those that count, with every column that the ladder mentions
};

// The workings of the one entry for which `condition` is true ("shop_no = 17", "rank = 2"): of nested levels the
// outermost in which it holds for just one. Where every row is an entry, a row ("line_no = 17"). Tables are read once,
// and their rows looked at twice; a third and fourth time where no entry that is ranked is meant. Throws Error as
// standings() does, and Error(unknown_entry) when the condition holds for no entry, with the nearest value where it
// asks for one, or for several. Thread-safe for different catalogs.
[[nodiscard]] Workings why(const Ladder& ladder, const Catalog& catalog, const std::string& condition,
                           const Run& run = {});

}  // namespace lofty
