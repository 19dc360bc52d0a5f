#pragma once
// Text on a terminal: display widths, alignment, wrapping, colour.
// Covered by tests/report/listing_test.cpp.

#include <string>
#include <string_view>

#include "lofty/listing.hpp"

namespace lofty::report {

// Columns that a UTF-8 text takes on a terminal: wide characters two, combining marks none.
int display_width(std::string_view text);

// Control characters made visible, so that data cannot steer the terminal: ESC becomes its picture. Bidirectional
// controls, tags and code points that are no characters, which hide or turn round other text, become escapes such as
// <U+200F>. Bytes that are not UTF-8 become U+FFFD.
std::string printable(std::string_view text);

std::string padded(const std::string& text, int width, bool right);

// Broken at blanks into lines of at most `width` columns; later lines begin with `indent` blanks.
std::string wrapped(const std::string& text, int width, int indent = 0);

// At most `width` columns of the text; where it is longer it ends in an ellipsis. width >= 1.
std::string cut_to(const std::string& text, int width);

enum class Ink { strong, quiet, warn, mark };
std::string inked(const std::string& text, Ink ink, const Looks& looks);

}  // namespace lofty::report
