#pragma once
// Shapes on a sheet of paper: what a picture becomes before a program draws it.
// Covered by tests/report/drawing_test.cpp.

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace lofty::report {

// What a colour is for. See tone_of() in gnuplot.cpp for the two palettes.
enum class Tone : std::uint8_t { paper, ink, quiet, grid, main, light, accent, fall };

// Lengths are pixels; (0, 0) is the upper left corner.
struct Point {
  double x = 0, y = 0;
};

struct Polygon {
  std::vector<Point> corners;
  Tone tone = Tone::main;
  bool in_front = false;  // of lines
};

struct Stroke {
  std::vector<Point> points;
  Tone tone = Tone::grid;
  double width = 1;
  bool dashed = false;
};

enum class Anchor : std::uint8_t { start, middle, end };

struct Text {
  Point at;  // the middle of the text's height
  std::string words;
  double size = 12;
  Anchor anchor = Anchor::start;
  Tone tone = Tone::ink;
  bool bold = false;
};

struct Drawing {
  double width = 0, height = 0;
  std::string title;  // for readers who don't see it
  std::vector<Polygon> polygons;
  std::vector<Stroke> strokes;
  std::vector<Text> texts;

  void rectangle(double x, double y, double wide, double high, Tone tone, bool in_front = false) {
    polygons.push_back({{{x, y}, {x + wide, y}, {x + wide, y + high}, {x, y + high}}, tone, in_front});
  }
  void line(Point from, Point to, Tone tone, double thick = 1, bool dashed = false) {
    strokes.push_back({{from, to}, tone, thick, dashed});
  }
  // A text that begins at x, or as far to the left of it as the paper's edge demands.
  void text_within(double x, double y, const std::string& words, double size, Tone tone, double edge);
};

// About how wide a text is drawn, never less than it is in the fonts that are meant.
double text_width(std::string_view text, double size, bool bold = false);

// Lines of words that are at most so wide; a longer word has its own line.
std::vector<std::string> text_lines(std::string_view text, double size, double width);

// Round numbers from `least` to `most` or a little beyond, about `count` of them.
std::vector<double> round_steps(double least, double most, int count);
// A round number as an axis has it: "12,500", "0.25".
std::string round_text(double number, double step);

}  // namespace lofty::report
