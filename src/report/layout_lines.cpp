// Small line charts, one for each group or entry, in the order of the listing: from left to right, then down.

#include <algorithm>
#include <cmath>

#include "lofty/date.hpp"
#include "report/layout.hpp"

namespace lofty::report {
namespace {

constexpr double title_height = 22, axis_height = 20, gap_x = 26, gap_y = 18;

struct Range {
  double least = INFINITY, most = -INFINITY;
  void add(double value) {
    least = std::min(least, value);
    most = std::max(most, value);
  }
};

// The values that a chart shows, with zero: lines that do not begin at zero exaggerate.
Range values_of(const LinesPicture::Chart& chart) {
  Range range;
  range.add(0);
  for (const auto* points : {&chart.points, &chart.smooth})
    for (const LinesPicture::Point& point : *points)
      if (point.value) range.add(*point.value);
  return range;
}

std::vector<double> steps_of(const Range& range) {
  std::vector<double> steps = round_steps(range.least, range.most, 2);
  std::vector<double> within;
  for (const double step : steps)
    if (step >= range.least && step <= range.most) within.push_back(step);
  return within.size() < 2 ? steps : within;
}

// Strokes between the points that have a value; a value alone between nulls is a dot.
void draw_line(Drawing& drawing, const std::vector<LinesPicture::Point>& points, const auto& at, Tone tone,
               double width) {
  Stroke stroke{{}, tone, width, false};
  const auto finish = [&] {
    if (stroke.points.size() > 1) drawing.strokes.push_back(stroke);
    if (stroke.points.size() == 1)
      drawing.rectangle(stroke.points[0].x - 1.5, stroke.points[0].y - 1.5, 3, 3, tone, true);
    stroke.points.clear();
  };
  for (const LinesPicture::Point& point : points)
    if (point.value)
      stroke.points.push_back(at(point));
    else
      finish();
  finish();
}

}  // namespace

double lay_out_lines(Drawing& drawing, const LinesPicture& lines, double top) {
  // As many charts next to one another as are at least so wide, and as their titles need.
  const double room = drawing.width - 2 * margin;
  double title_width = 0;
  for (const LinesPicture::Chart& chart : lines.charts)
    title_width =
        std::max(title_width, text_width(chart.place, text_size, true) + text_width(chart.label, text_size, true) +
                                  text_width(chart.total, text_size) + 30);
  const double least_width = std::max(200.0, title_width);
  auto across = static_cast<std::size_t>(std::max(1.0, std::floor((room + gap_x) / (least_width + gap_x))));
  across = std::min({across, lines.charts.size(), std::size_t{4}});
  double width = (room - gap_x * static_cast<double>(across - 1)) / static_cast<double>(across);
  if (width < title_width) {
    drawing.width += title_width - width;
    width = title_width;
  }
  const double plot_height = across == 1 && lines.charts.size() == 1 ? 300 : 96;
  const double height = title_height + plot_height + axis_height;

  Range along, shared;
  for (const LinesPicture::Chart& chart : lines.charts) {
    for (const LinesPicture::Point& point : chart.points) along.add(point.along);
    const Range own = values_of(chart);
    shared.add(own.least);
    shared.add(own.most);
  }
  if (along.most == along.least) along.most = along.least + 1;

  // Room for the widest number of an axis.
  double numbers_width = 0;
  for (const LinesPicture::Chart& chart : lines.charts) {
    const Range own = lines.free_scale ? values_of(chart) : shared;
    const std::vector<double> steps = steps_of(own);
    for (const double step : steps)
      numbers_width = std::max(numbers_width, text_width(round_text(step, steps[1] - steps[0]), 10) + 8);
  }

  // What is drawn, once for all charts.
  double y = top;
  double x_next = margin;
  const auto say = [&](const std::string& words, Tone tone, double line) {
    const double length = (line > 0 ? 28 : 0) + text_width(words, small_size);
    if (x_next > margin && x_next + length > drawing.width - margin) {
      x_next = margin;
      y += 18;
    }
    if (line > 0) drawing.line({x_next, y + 8}, {x_next + 22, y + 8}, tone, line);
    drawing.text_within(x_next + (line > 0 ? 28 : 0), y + 8, words, small_size, line > 0 ? Tone::quiet : tone, margin);
    x_next += length + 18;
  };
  const std::string subject = lines.value_heading + " by " + lines.along_heading;
  drawing.width = std::max(drawing.width, 2 * margin + text_width(subject, small_size));
  say(subject, Tone::quiet, 0);
  if (!lines.smooth_words.empty()) {
    say("each", Tone::light, 1.2);
    say(lines.smooth_words, Tone::main, 2.2);
  }
  if (lines.free_scale) say("each chart has its own scale", Tone::accent, 0);
  y += 26;

  for (std::size_t i = 0; i < lines.charts.size(); ++i) {
    const LinesPicture::Chart& chart = lines.charts[i];
    const double x0 = margin + static_cast<double>(i % across) * (width + gap_x);
    const double y0 = y + static_cast<double>(i / across) * (height + gap_y);
    // Place, name and total above the chart.
    double x = x0;
    if (!chart.place.empty()) {
      drawing.texts.push_back({{x, y0 + 8}, chart.place, text_size, Anchor::start, Tone::accent, true});
      x += text_width(chart.place, text_size, true) + 8;
    }
    drawing.texts.push_back({{x, y0 + 8}, chart.label, text_size, Anchor::start, Tone::ink, true});
    drawing.texts.push_back({{x0 + width, y0 + 8}, chart.total, text_size, Anchor::end, Tone::ink, false});

    const double left = x0 + numbers_width, right = x0 + width, plot_top = y0 + title_height,
                 bottom = plot_top + plot_height;
    const Range own = lines.free_scale ? values_of(chart) : shared;
    const std::vector<double> steps = steps_of(own);
    // The paper ends where the values do; round numbers are marked as far as they are within.
    const double least = std::min(own.least, steps.front()), most = std::max(own.most, steps.back());
    const auto at = [&](const LinesPicture::Point& point) {
      return Point{left + (point.along - along.least) / (along.most - along.least) * (right - left),
                   bottom - (*point.value - least) / (most - least) * plot_height};
    };
    for (const double step : steps) {
      const double line_y = bottom - (step - least) / (most - least) * plot_height;
      drawing.line({left, line_y}, {right, line_y}, step == 0 ? Tone::quiet : Tone::grid, step == 0 ? 1 : 0.8);
      drawing.texts.push_back(
          {{left - 6, line_y}, round_text(step, steps[1] - steps[0]), 10, Anchor::end, Tone::quiet, false});
    }
    draw_line(drawing, chart.points, at, chart.smooth.empty() ? Tone::main : Tone::light,
              chart.smooth.empty() ? 1.8 : 1.2);
    draw_line(drawing, chart.smooth, at, Tone::main, 2.2);

    // The ends of the axis.
    const auto along_text = [&](double value) {
      switch (lines.kind) {
        case LinesPicture::Along::dates: return Date{static_cast<std::int32_t>(std::floor(value))}.text();
        case LinesPicture::Along::numbers:
          return round_text(value, along.most - along.least > 10 && value == std::floor(value) ? 1 : 0.01);
        case LinesPicture::Along::texts: break;
      }
      return lines.texts[static_cast<std::size_t>(value)];
    };
    const std::string first = along_text(along.least), last = along_text(along.most);
    drawing.texts.push_back({{left, bottom + 11}, first, 10, Anchor::start, Tone::quiet, false});
    if (text_width(first, 10) + text_width(last, 10) + 12 < right - left)
      drawing.texts.push_back({{right, bottom + 11}, last, 10, Anchor::end, Tone::quiet, false});
  }
  const auto rows = static_cast<double>((lines.charts.size() + across - 1) / across);
  return y + rows * (height + gap_y) - gap_y;
}

}  // namespace lofty::report
