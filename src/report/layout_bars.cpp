// Ranked bars: place, name, bar and number on a line; neighbours that share a place are joined by a bracket.

#include <algorithm>
#include <cmath>

#include "report/layout.hpp"

namespace lofty::report {
namespace {

constexpr double bar_height = 14, heading_height = 26, reference_height = 18;
constexpr double least_bar_room = 240;  // of the bars, however long the names are

class BarsLayout {
 public:
  BarsLayout(Drawing& drawing, const BarsPicture& bars) : drawing_(drawing), bars_(bars) {
    measure();
    place_columns();
  }

  double lay_out(double top) {
    y_ = top;
    if (!bars_.value_heading.empty()) {
      drawing_.text_within(zero_, y_ + 8, bars_.value_heading, small_size, Tone::quiet, margin);
      y_ += 22;
    }
    const double references_top = y_;
    label_references();

    const double bars_top = y_;
    for (const BarsPicture::Group& group : bars_.groups) {
      if (!group.heading.empty()) add_heading(group.heading, y_ > bars_top);
      add_group(group);
    }
    draw_references(references_top);
    return y_;
  }

 private:
  // What has to fit: the widest of each column, and the range of the values.
  void measure() {
    const auto meet = [&](double value) {
      least_ = std::min(least_, value);
      most_ = std::max(most_, value);
    };
    for (const BarsPicture::Group& group : bars_.groups)
      for (const BarsPicture::Bar& bar : group.bars) {
        places_ = std::max(places_, text_width(bar.place, text_size));
        names_ = std::max(names_, text_width(bar.label, text_size));
        numbers_ = std::max(numbers_, text_width(bar.text, text_size));
        any_tie_ = any_tie_ || bar.tie > 0;
        if (bar.value) meet(*bar.value);
      }
    for (const BarsPicture::Reference& reference : bars_.references) meet(reference.value);
    if (most_ == least_) most_ = least_ + 1;
  }

  // From left to right: places, brackets, names, bars with their numbers. The sheet becomes wider where that is needed
  // for whole headings, or to leave bars some room.
  void place_columns() {
    const auto widen = [&](double width) { drawing_.width = std::max(drawing_.width, 2 * margin + width); };
    widen(text_width(bars_.value_heading, small_size));
    for (const BarsPicture::Group& group : bars_.groups) widen(text_width(group.heading, text_size, true));
    for (const BarsPicture::Reference& reference : bars_.references) widen(text_width(reference.label, small_size));

    bracket_x_ = margin + places_ + 6;
    name_x_ = bracket_x_ + (any_tie_ ? 12 : 4);
    left_ = name_x_ + names_ + 10 + (least_ < 0 ? numbers_ + 6 : 0);
    right_ = drawing_.width - margin - numbers_ - 6;
    if (right_ - left_ < least_bar_room) {
      drawing_.width += least_bar_room - (right_ - left_);
      right_ = left_ + least_bar_room;
    }
    zero_ = x_of(0);
  }

  double x_of(double value) const { return left_ + (value - least_) / (most_ - least_) * (right_ - left_); }

  // Above the bars, each on its own line.
  void label_references() {
    for (const BarsPicture::Reference& reference : bars_.references) {
      const double x = x_of(reference.value), width = text_width(reference.label, small_size);
      const bool at_left = x + 6 + width > drawing_.width - margin && x - 6 - width >= margin;
      drawing_.text_within(at_left ? x - 6 - width : x + 6, y_ + 8, reference.label, small_size, Tone::accent, margin);
      y_ += reference_height;
    }
  }

  // From their labels down through all bars.
  void draw_references(double top) {
    for (const BarsPicture::Reference& reference : bars_.references) {
      const double x = x_of(reference.value);
      drawing_.line({x, top}, {x, y_ + 2}, Tone::accent, 1.4, true);
      top += reference_height;
    }
  }

  void add_heading(const std::string& heading, bool after_others) {
    if (after_others) y_ += 8;
    drawing_.texts.push_back({{margin, y_ + heading_height / 2}, heading, text_size, Anchor::start, Tone::ink, true});
    y_ += heading_height;
  }

  void add_group(const BarsPicture::Group& group) {
    const double height = line_height * static_cast<double>(group.bars.size());
    drawing_.line({zero_, y_ - 2}, {zero_, y_ + 2 + height}, Tone::quiet, 1);
    for (std::size_t b = 0; b < group.bars.size(); ++b) {
      add_bar(group.bars[b]);
      const std::size_t tie = group.bars[b].tie;
      const bool last_of_tie = tie > 0 && (b + 1 == group.bars.size() || group.bars[b + 1].tie != tie);
      if (last_of_tie) add_bracket(group, b);
      y_ += line_height;
    }
  }

  void add_bar(const BarsPicture::Bar& bar) {
    const double middle = y_ + line_height / 2;
    drawing_.texts.push_back({{margin + places_, middle}, bar.place, text_size, Anchor::end, Tone::quiet, false});
    drawing_.texts.push_back(
        {{name_x_, middle}, bar.label, text_size, Anchor::start, bar.others ? Tone::quiet : Tone::ink, false});
    if (!bar.value) {
      drawing_.texts.push_back({{zero_ + 6, middle}, bar.text, text_size, Anchor::start, Tone::quiet, false});
      return;
    }

    // Negative bars are to the left of zero, and so are their numbers.
    const bool negative = *bar.value < 0;
    const double end = x_of(*bar.value), length = std::max(std::fabs(end - zero_), 0.5);
    const Tone tone = bar.others ? Tone::light : negative ? Tone::fall : Tone::main;
    drawing_.rectangle(std::min(zero_, end), middle - bar_height / 2, length, bar_height, tone);

    // Paper around the number, so that no line of reference crosses it.
    const double width = text_width(bar.text, text_size);
    if (!bars_.references.empty())
      drawing_.rectangle(negative ? end - 8 - width : end + 4, middle - 8, width + 4, 16, Tone::paper, true);
    drawing_.texts.push_back({{negative ? end - 6 : end + 6, middle},
                              bar.text,
                              text_size,
                              negative ? Anchor::end : Anchor::start,
                              Tone::ink,
                              false});
  }

  // Around the neighbours that share the place of bar `last`, which is at y_.
  void add_bracket(const BarsPicture::Group& group, std::size_t last) {
    std::size_t first = last;
    while (first > 0 && group.bars[first - 1].tie == group.bars[last].tie) --first;
    const double from = y_ - static_cast<double>(last - first) * line_height + 4, to = y_ + line_height - 4;
    const double x = bracket_x_;
    drawing_.strokes.push_back({{{x + 5, from}, {x, from}, {x, to}, {x + 5, to}}, Tone::accent, 1.6, false});
  }

  Drawing& drawing_;
  const BarsPicture& bars_;
  double places_ = 0, names_ = 0, numbers_ = 0;  // widths
  double least_ = 0, most_ = 0;                  // values
  bool any_tie_ = false;
  double bracket_x_ = 0, name_x_ = 0, left_ = 0, right_ = 0, zero_ = 0;
  double y_ = 0;
};

}  // namespace

double lay_out_bars(Drawing& drawing, const BarsPicture& bars, double top) {
  return BarsLayout(drawing, bars).lay_out(top);
}

}  // namespace lofty::report
