#pragma once
// A drawing as commands of the program gnuplot.
// Covered by tests/report/drawing_test.cpp.

#include <string>

#include "lofty/picture.hpp"
#include "report/drawing.hpp"

namespace lofty::report {

// Texts cannot steer it: what has a meaning in its strings is written by number.
std::string gnuplot_commands(const Drawing& drawing, PictureFormat format, bool dark);

}  // namespace lofty::report
