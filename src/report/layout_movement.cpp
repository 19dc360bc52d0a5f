// Places at two or more times. Each time is a column in which entries are listed by their places; lines join them.

#include <algorithm>
#include <numeric>

#include "report/layout.hpp"

namespace lofty::report {
namespace {

using Moved = MovementPicture::Moved;

constexpr double line_height = 22;

Tone tone_of(Moved moved) {
  switch (moved) {
    case Moved::up: return Tone::main;
    case Moved::down: return Tone::fall;
    case Moved::came: return Tone::main;
    case Moved::left: return Tone::fall;
    case Moved::stayed: break;
  }
  return Tone::quiet;
}

// Direction is a shape too: triangles up and down, a square for those that stayed, a diamond for those that came or
// left.
void mark(Drawing& drawing, Point at, Moved moved) {
  constexpr double r = 5.5;
  std::vector<Point> corners;
  switch (moved) {
    case Moved::up: corners = {{at.x, at.y - r}, {at.x + r, at.y + r * 0.8}, {at.x - r, at.y + r * 0.8}}; break;
    case Moved::down: corners = {{at.x, at.y + r}, {at.x + r, at.y - r * 0.8}, {at.x - r, at.y - r * 0.8}}; break;
    case Moved::stayed:
      corners = {{at.x - 4, at.y - 4}, {at.x + 4, at.y - 4}, {at.x + 4, at.y + 4}, {at.x - 4, at.y + 4}};
      break;
    case Moved::came:
    case Moved::left: corners = {{at.x, at.y - r}, {at.x + r, at.y}, {at.x, at.y + r}, {at.x - r, at.y}}; break;
  }
  drawing.polygons.push_back({std::move(corners), tone_of(moved), true});
}

}  // namespace

double lay_out_movement(Drawing& drawing, const MovementPicture& movement, double top) {
  const std::size_t times = movement.times.size();
  // By time, the rows of the entries that have a place then: by it, and in the picture's order where they share one.
  std::vector<std::vector<double>> row_at(times, std::vector<double>(movement.lines.size(), -1));
  std::size_t most_rows = 0;
  for (std::size_t t = 0; t < times; ++t) {
    std::vector<std::size_t> there;
    for (std::size_t l = 0; l < movement.lines.size(); ++l)
      if (movement.lines[l].places[t]) there.push_back(l);
    std::stable_sort(there.begin(), there.end(), [&](std::size_t a, std::size_t b) {
      return *movement.lines[a].places[t] < *movement.lines[b].places[t];
    });
    for (std::size_t i = 0; i < there.size(); ++i) row_at[t][there[i]] = static_cast<double>(i);
    most_rows = std::max(most_rows, there.size());
  }

  // Labels at both ends, whole: as much room as the longest takes.
  const auto left_label = [&](const MovementPicture::Line& line) { return line.label + "  " + line.texts.front(); };
  const auto right_label = [&](const MovementPicture::Line& line) {
    return line.texts.back() + "  " + line.label + (line.moved == Moved::came ? "  (new)" : "");
  };
  const auto gone_label = [](const MovementPicture::Line& line) {
    return line.note.empty() ? std::string("left") : line.note;
  };
  double left_room = 0, right_room = 0;
  for (const MovementPicture::Line& line : movement.lines) {
    if (line.places.front()) left_room = std::max(left_room, text_width(left_label(line), text_size));
    if (line.places.back()) right_room = std::max(right_room, text_width(right_label(line), text_size));
  }
  left_room = std::max(left_room, text_width(movement.times.front(), text_size, true) / 2);
  right_room = std::max(right_room, text_width(movement.times.back(), text_size, true) / 2);
  double left = margin + left_room + 14, right = drawing.width - margin - right_room - 14;
  const double least_room = 150.0 * static_cast<double>(times - 1);
  if (right - left < least_room) {
    drawing.width += least_room - (right - left);
    right = left + least_room;
  }
  const auto x_of = [&](std::size_t time) {
    return left + (right - left) * static_cast<double>(time) / static_cast<double>(times - 1);
  };
  // Long enough to pass the place that is written at a time in between.
  double stub = 30;
  for (const MovementPicture::Line& line : movement.lines)
    for (std::size_t t = 1; t + 1 < times; ++t) stub = std::max(stub, 12 + text_width(line.texts[t], small_size));
  const double first_row = top + 40;
  const auto y_of = [&](double row) { return first_row + row * line_height; };

  for (std::size_t t = 0; t < times; ++t) {
    drawing.texts.push_back({{x_of(t), top + 10},
                             movement.times[t],
                             text_size,
                             t == 0           ? Anchor::end
                             : t + 1 == times ? Anchor::start
                                              : Anchor::middle,
                             Tone::ink,
                             true});
    drawing.line({x_of(t), first_row - 14}, {x_of(t), y_of(static_cast<double>(most_rows)) - 8}, Tone::grid);
  }
  for (std::size_t l = 0; l < movement.lines.size(); ++l) {
    const MovementPicture::Line& line = movement.lines[l];
    const Tone tone = tone_of(line.moved);
    Stroke stroke{{}, tone, 2, false};
    Point last{};
    for (std::size_t t = 0; t < times; ++t) {
      if (!line.places[t]) {
        if (stroke.points.size() > 1) drawing.strokes.push_back(stroke);
        stroke.points.clear();
        continue;
      }
      last = {x_of(t), y_of(row_at[t][l])};
      stroke.points.push_back(last);
      // In between the place is written next to its mark.
      if (t > 0 && t + 1 < times)
        drawing.texts.push_back(
            {{last.x + 9, last.y - 9}, line.texts[t], small_size, Anchor::start, Tone::quiet, false});
      mark(drawing, last, line.moved);
    }
    if (stroke.points.size() > 1) drawing.strokes.push_back(stroke);
    if (line.places.front())
      drawing.texts.push_back({{left - 12, y_of(row_at.front()[l])},
                               left_label(line),
                               text_size,
                               Anchor::end,
                               line.moved == Moved::left ? tone : Tone::ink,
                               false});
    if (line.places.back())
      drawing.texts.push_back({{right + 12, y_of(row_at.back()[l])},
                               right_label(line),
                               text_size,
                               Anchor::start,
                               line.moved == Moved::came ? tone : Tone::ink,
                               false});
    // One that left: a short stub, and why.
    if (!line.places.back() && last.x > 0 && last.x < right) {
      drawing.strokes.push_back({{last, {last.x + stub, last.y}}, tone, 1.4, true});
      drawing.texts.push_back({{last.x + stub + 6, last.y}, gone_label(line), small_size, Anchor::start, tone, false});
    }
  }

  // What the shapes mean, as far as they occur.
  const double legend = y_of(static_cast<double>(most_rows)) + 10;
  double x = margin + 6;
  for (const auto& [moved, words] :
       {std::pair{Moved::up, "up"}, std::pair{Moved::down, "down"}, std::pair{Moved::stayed, "same place"},
        std::pair{Moved::came, "new"}, std::pair{Moved::left, "no longer listed"}}) {
    if (std::none_of(movement.lines.begin(), movement.lines.end(),
                     [&](const auto& line) { return line.moved == moved; }))
      continue;
    mark(drawing, {x, legend}, moved);
    drawing.texts.push_back({{x + 12, legend}, words, small_size, Anchor::start, Tone::quiet, false});
    x += 34 + text_width(words, small_size);
  }
  return legend + 10;
}

}  // namespace lofty::report
