// The running share over the entries, the best first: a staircase, with the step that reaches the mark.

#include <algorithm>
#include <cmath>

#include "report/layout.hpp"

namespace lofty::report {

double lay_out_shares(Drawing& drawing, const SharesPicture& shares, double top) {
  const double left = margin + 44, right = drawing.width - margin - 12, height = 380, bottom = top + height;
  double most = shares.reached ? shares.mark : 0.01;
  for (const SharesPicture::Step& step : shares.steps) most = std::max(most, step.share);
  const std::vector<double> levels = round_steps(0, std::min(most, 1.0), 5);
  most = std::max(most, levels.back());
  const auto entries = static_cast<double>(shares.steps.back().entries);
  const auto x_of = [&](double count) { return left + count / entries * (right - left); };
  const auto y_of = [&](double share) { return bottom - share / most * height; };

  for (const double level : levels) {
    drawing.line({left, y_of(level)}, {right, y_of(level)}, Tone::grid);
    drawing.texts.push_back({{left - 8, y_of(level)},
                             round_text(level * 100, (levels[1] - levels[0]) * 100) + " %",
                             small_size,
                             Anchor::end,
                             Tone::quiet,
                             false});
  }
  const std::vector<double> counts = round_steps(0, entries, 8);
  for (const double count : counts) {
    if (count > entries || count != std::floor(count)) continue;
    drawing.texts.push_back(
        {{x_of(count), bottom + 14}, round_text(count, 1), small_size, Anchor::middle, Tone::quiet, false});
  }
  drawing.texts.push_back(
      {{right, bottom + 32}, "entries, the best first", small_size, Anchor::end, Tone::quiet, false});
  drawing.texts.push_back({{left, bottom + 32}, shares.share_heading, small_size, Anchor::start, Tone::quiet, false});
  drawing.line({left, bottom}, {right, bottom}, Tone::quiet);

  // Peers rise together: a tie is one straight step over all of its entries, thick and of another tone.
  Point last{x_of(0), y_of(0)};
  bool any_tie = false;
  for (const SharesPicture::Step& step : shares.steps) {
    const Point next{x_of(static_cast<double>(step.entries)), y_of(step.share)};
    if (step.peers > 1) {
      drawing.line(last, next, Tone::accent, 4);
      any_tie = true;
    } else if (!drawing.strokes.empty() && drawing.strokes.back().tone == Tone::main &&
               drawing.strokes.back().width > 2) {
      drawing.strokes.back().points.push_back(next);
    } else {
      drawing.line(last, next, Tone::main, 2.2);
    }
    last = next;
  }
  if (any_tie) {
    drawing.line({left, bottom + 50}, {left + 22, bottom + 50}, Tone::accent, 4);
    drawing.texts.push_back(
        {{left + 28, bottom + 50}, "a tie is one step", small_size, Anchor::start, Tone::quiet, false});
  }

  double below = any_tie ? 62 : 44;  // what the axis and its notes take
  if (shares.reached) {
    const SharesPicture::Step& step = shares.steps[*shares.reached];
    const Point at{x_of(static_cast<double>(step.entries)), y_of(step.share)};
    drawing.line({left, y_of(shares.mark)}, {right, y_of(shares.mark)}, Tone::accent, 1.2, true);
    drawing.line({at.x, bottom}, at, Tone::accent, 1.2, true);
    drawing.polygons.push_back(
        {{{at.x, at.y - 7}, {at.x + 7, at.y}, {at.x, at.y + 7}, {at.x - 7, at.y}}, Tone::accent, true});
    const std::string words = round_text(static_cast<double>(step.entries), 1) +
                              (step.entries == 1 ? " entry brings " : " entries bring ") + step.text + ": " +
                              step.label +
                              (step.peers > 1 ? " and " + std::to_string(step.peers - 1) + " level with it" : "");
    // To the right of the mark the room under the curve is free; to its left the room above the curve; or else below
    // all.
    const double length = text_width(words, text_size, true);
    if (at.x + 10 + length <= right) {
      drawing.texts.push_back({{at.x + 10, bottom - 14}, words, text_size, Anchor::start, Tone::ink, true});
    } else if (at.x - 10 - length >= left) {
      drawing.texts.push_back({{at.x - 10, y_of(shares.mark) - 14}, words, text_size, Anchor::end, Tone::ink, true});
    } else {
      below += 20;
      drawing.width = std::max(drawing.width, 2 * margin + length);
      drawing.texts.push_back({{margin, bottom + below - 8}, words, text_size, Anchor::start, Tone::ink, true});
    }
  }
  return bottom + below;
}

}  // namespace lofty::report
