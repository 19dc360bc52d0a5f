#pragma once
// From what a picture shows to shapes on a sheet: one function for each kind.
// Covered by tests/report/drawing_test.cpp.

#include "lofty/picture.hpp"
#include "report/drawing.hpp"

namespace lofty::report {

// Title, content and foot, top to bottom; as high as the content needs. Texts never overlap one another.
Drawing laid_out(const Picture& picture, int width, bool titled = true);

// ---- the parts

// The content of each kind, below `top`. Returns where it ends.
double lay_out_bars(Drawing& drawing, const BarsPicture& bars, double top);
double lay_out_lines(Drawing& drawing, const LinesPicture& lines, double top);
double lay_out_movement(Drawing& drawing, const MovementPicture& movement, double top);
double lay_out_shares(Drawing& drawing, const SharesPicture& shares, double top);

constexpr double margin = 24;     // around the sheet
constexpr double text_size = 12;  // of labels and numbers
constexpr double small_size = 11;
constexpr double line_height = 22;  // of a list of entries

}  // namespace lofty::report
