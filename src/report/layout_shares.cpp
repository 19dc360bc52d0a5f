// The running share over the entries, the best first: a staircase, with the step that reaches the mark.

#include <algorithm>
#include <cmath>

#include "report/layout.hpp"

namespace lofty::report {

namespace {

constexpr double plot_height = 380;

class SharesLayout {
 public:
  SharesLayout(Drawing& drawing, const SharesPicture& shares) : drawing_(drawing), shares_(shares) {
    left_ = margin + 44;
    right_ = drawing.width - margin - 12;
    entries_ = static_cast<double>(shares.steps.back().entries);
    most_ = shares.reached ? shares.mark : 0.01;
    for (const SharesPicture::Step& step : shares.steps) most_ = std::max(most_, step.share);
    levels_ = round_steps(0, std::min(most_, 1.0), 5);
    most_ = std::max(most_, levels_.back());
  }

  double lay_out(double top) {
    bottom_ = top + plot_height;
    below_ = 44;
    add_axes();
    add_stairs();
    if (shares_.reached) add_mark(shares_.steps[*shares_.reached]);
    return bottom_ + below_;
  }

 private:
  double x_of(double count) const { return left_ + count / entries_ * (right_ - left_); }
  double y_of(double share) const { return bottom_ - share / most_ * plot_height; }
  void say(Point at, const std::string& words, Anchor anchor) {
    drawing_.texts.push_back({at, words, small_size, anchor, Tone::quiet, false});
  }

  void add_axes() {
    const double step = (levels_[1] - levels_[0]) * 100;
    for (const double level : levels_) {
      drawing_.line({left_, y_of(level)}, {right_, y_of(level)}, Tone::grid);
      say({left_ - 8, y_of(level)}, round_text(level * 100, step) + " %", Anchor::end);
    }
    for (const double count : round_steps(0, entries_, 8))
      if (count <= entries_ && count == std::floor(count))
        say({x_of(count), bottom_ + 14}, round_text(count, 1), Anchor::middle);
    say({right_, bottom_ + 32}, "entries, the best first", Anchor::end);
    say({left_, bottom_ + 32}, shares_.share_heading, Anchor::start);
    drawing_.line({left_, bottom_}, {right_, bottom_}, Tone::quiet);
  }

  // Peers rise together: a tie is one straight step over all of its entries, thick and of another tone.
  void add_stairs() {
    Point last{x_of(0), y_of(0)};
    bool any_tie = false, goes_on = false;
    for (const SharesPicture::Step& step : shares_.steps) {
      const Point next{x_of(static_cast<double>(step.entries)), y_of(step.share)};
      if (step.peers > 1)
        drawing_.line(last, next, Tone::accent, 4);
      else if (goes_on)
        drawing_.strokes.back().points.push_back(next);
      else
        drawing_.line(last, next, Tone::main, 2.2);
      goes_on = step.peers == 1;
      any_tie = any_tie || step.peers > 1;
      last = next;
    }
    if (!any_tie) return;
    drawing_.line({left_, bottom_ + 50}, {left_ + 22, bottom_ + 50}, Tone::accent, 4);
    say({left_ + 28, bottom_ + 50}, "a tie is one step", Anchor::start);
    below_ = 62;
  }

  // The step that reaches the mark, and how many entries that takes.
  void add_mark(const SharesPicture::Step& step) {
    const Point at{x_of(static_cast<double>(step.entries)), y_of(step.share)};
    drawing_.line({left_, y_of(shares_.mark)}, {right_, y_of(shares_.mark)}, Tone::accent, 1.2, true);
    drawing_.line({at.x, bottom_}, at, Tone::accent, 1.2, true);
    drawing_.polygons.push_back(
        {{{at.x, at.y - 7}, {at.x + 7, at.y}, {at.x, at.y + 7}, {at.x - 7, at.y}}, Tone::accent, true});

    std::string words = round_text(static_cast<double>(step.entries), 1);
    words += (step.entries == 1 ? " entry brings " : " entries bring ") + step.text + ": " + step.label;
    if (step.peers > 1) words += " and " + std::to_string(step.peers - 1) + " level with it";

    // To the right of the mark the room under the curve is free, to its left the room above it; or else below all.
    const double length = text_width(words, text_size, true);
    const auto add = [&](Point where, Anchor anchor) {
      drawing_.texts.push_back({where, words, text_size, anchor, Tone::ink, true});
    };
    if (at.x + 10 + length <= right_) return add({at.x + 10, bottom_ - 14}, Anchor::start);
    if (at.x - 10 - length >= left_) return add({at.x - 10, y_of(shares_.mark) - 14}, Anchor::end);
    below_ += 20;
    drawing_.width = std::max(drawing_.width, 2 * margin + length);
    add({margin, bottom_ + below_ - 8}, Anchor::start);
  }

  Drawing& drawing_;
  const SharesPicture& shares_;
  std::vector<double> levels_;
  double left_ = 0, right_ = 0, bottom_ = 0, entries_ = 1, most_ = 1;
  double below_ = 0;  // what the axis and its notes take
};

}  // namespace

double lay_out_shares(Drawing& drawing, const SharesPicture& shares, double top) {
  return SharesLayout(drawing, shares).lay_out(top);
}

}  // namespace lofty::report
