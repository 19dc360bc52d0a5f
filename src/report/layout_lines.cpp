// Small line charts, one for each group or entry, in the order of the listing: from left to right, then down.

#include <algorithm>
#include <cmath>

#include "lofty/date.hpp"
#include "report/layout.hpp"

namespace lofty::report {
namespace {

constexpr double title_height = 22, axis_height = 20, gap_x = 26, gap_y = 18;
constexpr double axis_size = 10;        // of the texts along the axes
constexpr std::size_t most_across = 4;  // charts next to one another

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

class LinesLayout {
 public:
  LinesLayout(Drawing& drawing, const LinesPicture& lines) : drawing_(drawing), lines_(lines) {
    place_charts();
    measure();
  }

  double lay_out(double top) {
    y_ = top;
    add_legend();
    for (std::size_t i = 0; i < lines_.charts.size(); ++i)
      add_chart(lines_.charts[i], margin + static_cast<double>(i % across_) * (width_ + gap_x),
                y_ + static_cast<double>(i / across_) * (height() + gap_y));
    const auto rows = static_cast<double>((lines_.charts.size() + across_ - 1) / across_);
    return y_ + rows * (height() + gap_y) - gap_y;
  }

 private:
  double height() const { return title_height + plot_height_ + axis_height; }

  // As many charts next to one another as have room, and room for their titles; one alone is large.
  void place_charts() {
    double title_width = 0;
    for (const LinesPicture::Chart& chart : lines_.charts)
      title_width =
          std::max(title_width, text_width(chart.place, text_size, true) + text_width(chart.label, text_size, true) +
                                    text_width(chart.total, text_size) + 30);
    const double room = drawing_.width - 2 * margin, least_width = std::max(200.0, title_width);
    const double fitting = std::max(1.0, std::floor((room + gap_x) / (least_width + gap_x)));
    across_ = std::min({static_cast<std::size_t>(fitting), lines_.charts.size(), most_across});
    width_ = (room - gap_x * static_cast<double>(across_ - 1)) / static_cast<double>(across_);
    if (width_ < title_width) {
      drawing_.width += title_width - width_;
      width_ = title_width;
    }
    plot_height_ = lines_.charts.size() == 1 ? 300 : 96;
  }

  // The ranges of both axes, and room for the widest number.
  void measure() {
    for (const LinesPicture::Chart& chart : lines_.charts) {
      for (const LinesPicture::Point& point : chart.points) along_.add(point.along);
      const Range own = values_of(chart);
      shared_.add(own.least);
      shared_.add(own.most);
    }
    if (along_.most == along_.least) along_.most = along_.least + 1;
    for (const LinesPicture::Chart& chart : lines_.charts) {
      const std::vector<double> steps = steps_of(range_of(chart));
      for (const double step : steps)
        numbers_width_ = std::max(numbers_width_, text_width(round_text(step, steps[1] - steps[0]), axis_size) + 8);
    }
  }

  Range range_of(const LinesPicture::Chart& chart) const { return lines_.free_scale ? values_of(chart) : shared_; }

  // What is drawn, once for all charts; on a further line where it does not fit.
  void add_legend() {
    double x = margin;
    const auto say = [&](const std::string& words, Tone tone, double line) {
      const double mark = line > 0 ? 28 : 0, length = mark + text_width(words, small_size);
      if (x > margin && x + length > drawing_.width - margin) {
        x = margin;
        y_ += 18;
      }
      if (line > 0) drawing_.line({x, y_ + 8}, {x + 22, y_ + 8}, tone, line);
      drawing_.text_within(x + mark, y_ + 8, words, small_size, line > 0 ? Tone::quiet : tone, margin);
      x += length + 18;
    };
    const std::string subject = lines_.value_heading + " by " + lines_.along_heading;
    drawing_.width = std::max(drawing_.width, 2 * margin + text_width(subject, small_size));
    say(subject, Tone::quiet, 0);
    if (!lines_.smooth_words.empty()) {
      say("each", Tone::light, 1.2);
      say(lines_.smooth_words, Tone::main, 2.2);
    }
    if (lines_.free_scale) say("each chart has its own scale", Tone::accent, 0);
    y_ += 26;
  }

  void add_chart(const LinesPicture::Chart& chart, double x, double y) {
    add_title(chart, x, y);
    const double left = x + numbers_width_, right = x + width_, bottom = y + title_height + plot_height_;
    const Range range = range_of(chart);
    const std::vector<double> steps = steps_of(range);
    // The paper ends where the values do; round numbers are marked as far as they are within.
    const double least = std::min(range.least, steps.front()), most = std::max(range.most, steps.back());
    const auto y_of = [&](double value) { return bottom - (value - least) / (most - least) * plot_height_; };
    const auto at = [&](const LinesPicture::Point& point) {
      return Point{left + (point.along - along_.least) / (along_.most - along_.least) * (right - left),
                   y_of(*point.value)};
    };

    for (const double step : steps) {
      drawing_.line({left, y_of(step)}, {right, y_of(step)}, step == 0 ? Tone::quiet : Tone::grid, step == 0 ? 1 : 0.8);
      drawing_.texts.push_back(
          {{left - 6, y_of(step)}, round_text(step, steps[1] - steps[0]), axis_size, Anchor::end, Tone::quiet, false});
    }
    const bool smooth = !chart.smooth.empty();
    draw_line(drawing_, chart.points, at, smooth ? Tone::light : Tone::main, smooth ? 1.2 : 1.8);
    draw_line(drawing_, chart.smooth, at, Tone::main, 2.2);
    add_ends(left, right, bottom);
  }

  // Place, name and total.
  void add_title(const LinesPicture::Chart& chart, double x, double y) {
    const double right = x + width_;
    if (!chart.place.empty()) {
      drawing_.texts.push_back({{x, y + 8}, chart.place, text_size, Anchor::start, Tone::accent, true});
      x += text_width(chart.place, text_size, true) + 8;
    }
    drawing_.texts.push_back({{x, y + 8}, chart.label, text_size, Anchor::start, Tone::ink, true});
    drawing_.texts.push_back({{right, y + 8}, chart.total, text_size, Anchor::end, Tone::ink, false});
  }

  // The ends of the axis from left to right; the first alone where both don't fit.
  void add_ends(double left, double right, double bottom) {
    const std::string first = along_text(along_.least), last = along_text(along_.most);
    drawing_.texts.push_back({{left, bottom + 11}, first, axis_size, Anchor::start, Tone::quiet, false});
    if (text_width(first, axis_size) + text_width(last, axis_size) + 12 < right - left)
      drawing_.texts.push_back({{right, bottom + 11}, last, axis_size, Anchor::end, Tone::quiet, false});
  }

  std::string along_text(double value) const {
    switch (lines_.kind) {
      case LinesPicture::Along::dates: return Date{static_cast<std::int32_t>(std::floor(value))}.text();
      case LinesPicture::Along::numbers:
        return round_text(value, along_.most - along_.least > 10 && value == std::floor(value) ? 1 : 0.01);
      case LinesPicture::Along::texts: break;
    }
    // A single text has a place for a second one next to it.
    const auto at = static_cast<std::size_t>(value);
    return at < lines_.texts.size() ? lines_.texts[at] : std::string();
  }

  Drawing& drawing_;
  const LinesPicture& lines_;
  std::size_t across_ = 1;
  double width_ = 0, plot_height_ = 0, numbers_width_ = 0, y_ = 0;
  Range along_, shared_;
};

}  // namespace

double lay_out_lines(Drawing& drawing, const LinesPicture& lines, double top) {
  return LinesLayout(drawing, lines).lay_out(top);
}

}  // namespace lofty::report
