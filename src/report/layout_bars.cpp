// Ranked bars: place, name, bar and number on a line; neighbours that share a place are joined by a bracket.

#include <algorithm>
#include <cmath>

#include "report/layout.hpp"

namespace lofty::report {
namespace {

constexpr double line_height = 22, bar_height = 14, heading_height = 26;

}  // namespace

double lay_out_bars(Drawing& drawing, const BarsPicture& bars, double top) {
  // The columns: places, brackets, names, then bars with their numbers next to them.
  double places = 0, names = 0, numbers = 0, least = 0, most = 0;
  bool any_tie = false;
  const auto each_bar = [&](const auto& work) {
    for (const BarsPicture::Group& group : bars.groups)
      for (const BarsPicture::Bar& bar : group.bars) work(bar);
  };
  each_bar([&](const BarsPicture::Bar& bar) {
    places = std::max(places, text_width(bar.place, text_size));
    names = std::max(names, text_width(bar.label, text_size));
    numbers = std::max(numbers, text_width(bar.text, text_size));
    any_tie = any_tie || bar.tie > 0;
    if (!bar.value) return;
    least = std::min(least, *bar.value);
    most = std::max(most, *bar.value);
  });
  for (const BarsPicture::Reference& reference : bars.references) {
    least = std::min(least, reference.value);
    most = std::max(most, reference.value);
  }
  if (most == least) most = least + 1;
  // Headings are whole, and so is what is said above the bars.
  const auto widen = [&](double width) { drawing.width = std::max(drawing.width, 2 * margin + width); };
  widen(text_width(bars.value_heading, small_size));
  for (const BarsPicture::Group& group : bars.groups) widen(text_width(group.heading, text_size, true));
  for (const BarsPicture::Reference& reference : bars.references) widen(text_width(reference.label, small_size));
  const double bracket_x = margin + places + 6;
  const double name_x = bracket_x + (any_tie ? 12 : 4);
  const double gap = 10;
  double left = name_x + names + gap + (least < 0 ? numbers + 6 : 0), right = drawing.width - margin - numbers - 6;
  // Long names leave bars at least a third of the sheet: the sheet becomes wider.
  const double least_room = 240;
  if (right - left < least_room) {
    drawing.width += least_room - (right - left);
    right = left + least_room;
  }
  const auto x_of = [&](double value) { return left + (value - least) / (most - least) * (right - left); };
  const double zero = x_of(0);

  double y = top;
  if (!bars.value_heading.empty()) {
    drawing.text_within(zero, y + 8, bars.value_heading, small_size, Tone::quiet, margin);
    y += 22;
  }
  // Labels of reference lines above the bars, each on a line of its own.
  double references_y = y;
  for (const BarsPicture::Reference& reference : bars.references) {
    const double x = x_of(reference.value), width = text_width(reference.label, small_size);
    const bool at_left = x + 6 + width > drawing.width - margin && x - 6 - width >= margin;
    drawing.text_within(at_left ? x - 6 - width : x + 6, y + 8, reference.label, small_size, Tone::accent, margin);
    y += 18;
  }
  const double bars_top = y;

  for (const BarsPicture::Group& group : bars.groups) {
    if (!group.heading.empty()) {
      y += y > bars_top ? 8 : 0;
      drawing.texts.push_back(
          {{margin, y + heading_height / 2}, group.heading, text_size, Anchor::start, Tone::ink, true});
      y += heading_height;
    }
    drawing.line({zero, y - 2}, {zero, y + 2 + line_height * static_cast<double>(group.bars.size())}, Tone::quiet, 1);
    for (std::size_t b = 0; b < group.bars.size(); ++b) {
      const BarsPicture::Bar& bar = group.bars[b];
      const double middle = y + line_height / 2;
      drawing.texts.push_back({{margin + places, middle}, bar.place, text_size, Anchor::end, Tone::quiet, false});
      drawing.texts.push_back(
          {{name_x, middle}, bar.label, text_size, Anchor::start, bar.others ? Tone::quiet : Tone::ink, false});
      const bool negative = bar.value && *bar.value < 0;
      if (bar.value) {
        const double end = x_of(*bar.value);
        drawing.rectangle(std::min(zero, end), middle - bar_height / 2, std::max(std::fabs(end - zero), 0.5),
                          bar_height,
                          bar.others ? Tone::light
                          : negative ? Tone::fall
                                     : Tone::main);
        // A line of reference passes behind the number.
        const double width = text_width(bar.text, text_size);
        if (!bars.references.empty())
          drawing.rectangle(negative ? end - 8 - width : end + 4, middle - 8, width + 4, 16, Tone::paper, true);
        drawing.texts.push_back({{negative ? end - 6 : end + 6, middle},
                                 bar.text,
                                 text_size,
                                 negative ? Anchor::end : Anchor::start,
                                 Tone::ink,
                                 false});
      } else {
        drawing.texts.push_back({{zero + 6, middle}, bar.text, text_size, Anchor::start, Tone::quiet, false});
      }
      // A bracket around neighbours that share a place, once they are all there.
      const bool last_of_tie = bar.tie > 0 && (b + 1 == group.bars.size() || group.bars[b + 1].tie != bar.tie);
      if (last_of_tie) {
        std::size_t first = b;
        while (first > 0 && group.bars[first - 1].tie == bar.tie) --first;
        const double from = y - static_cast<double>(b - first) * line_height + 4, to = y + line_height - 4;
        drawing.strokes.push_back({{{bracket_x + 5, from}, {bracket_x, from}, {bracket_x, to}, {bracket_x + 5, to}},
                                   Tone::accent,
                                   1.6,
                                   false});
      }
      y += line_height;
    }
  }
  for (const BarsPicture::Reference& reference : bars.references) {
    drawing.line({x_of(reference.value), references_y}, {x_of(reference.value), y + 2}, Tone::accent, 1.4, true);
    references_y += 18;
  }
  return y;
}

}  // namespace lofty::report
