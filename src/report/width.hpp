#pragma once
// Text on a terminal: display widths, alignment, wrapping, colour.
// Covered by tests/report/listing_test.cpp.

#include <string>
#include <string_view>
#include <vector>

#include "lofty/listing.hpp"

namespace lofty::report {

// Columns that a UTF-8 text takes on a terminal: wide characters two, combining marks none.
int display_width(std::string_view text);

// Control characters made visible, so that data cannot steer the terminal: ESC becomes its picture. So do
// bidirectional embeddings and overrides, which would show other text than there is, and bytes that are no UTF-8.
std::string printable(std::string_view text);

std::string padded(const std::string& text, int width, bool right);

// Broken at blanks into lines of at most `width` columns; later lines begin with `indent` blanks.
std::string wrapped(const std::string& text, int width, int indent = 0);

enum class Ink { strong, quiet, warn, mark };
std::string inked(const std::string& text, Ink ink, const Looks& looks);

// A grid: cells aligned to the widest of their column, two blanks between columns.
struct Grid {
  struct Column {
    std::string heading;
    bool right = false;
  };
  std::vector<Column> columns;
  std::vector<std::vector<std::string>> rows;
  std::vector<bool> gap_before;          // by row: an empty line in front of it
  std::vector<std::string> note_before;  // by row: a line of its own in front of it; empty: none
  std::string text(const Looks& looks) const;
};

}  // namespace lofty::report
