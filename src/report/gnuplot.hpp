#pragma once
// A drawing as commands of the program gnuplot.
// Covered by tests/report/drawing_test.cpp.

#include <string>

#include "lofty/picture.hpp"
#include "report/drawing.hpp"

namespace lofty::report {

// Every text is in single quotes, in which nothing but a quote has a meaning.
std::string gnuplot_commands(const Drawing& drawing, PictureFormat format, bool dark);

}  // namespace lofty::report
