#pragma once
// A table of texts on a terminal.
// Covered by tests/report/listing_test.cpp.

#include <string>
#include <vector>

#include "lofty/listing.hpp"

namespace lofty::report {

// Cells aligned to the widest of their column, two blanks between columns.
struct Grid {
  struct Column {
    std::string heading;
    bool right = false;
    // Where the grid is too wide: may it be left out? 0: never; columns of higher numbers go first, from the right.
    int spare = 0;
    bool shrinks = false;  // its texts may be cut
  };
  std::vector<Column> columns;
  std::vector<std::vector<std::string>> rows;  // one without cells is its note alone
  std::vector<bool> gap_before;                // by row: an empty line before it; may be shorter
  std::vector<std::string> note_before;        // by row: its own line before it; empty: none; may be shorter

  // What was done so that the grid fits `Looks::table_width`: the headings of columns.
  struct Fitted {
    std::vector<std::string> left_out, cut;
  };
  std::string text(const Looks& looks, Fitted* fitted = nullptr) const;

 private:
  std::vector<int> natural_widths() const;
  // The widths of the columns that are shown, 0 for those that are left out.
  std::vector<int> fitted_widths(int most) const;
  std::string line_of(const std::vector<std::string>& cells, const std::vector<int>& widths) const;
  std::string headings_of(const std::vector<int>& widths, const Looks& looks) const;
  Fitted fitted_to(const std::vector<int>& widths) const;
};

}  // namespace lofty::report
