// Places at two or more times. Each time is a column in which entries are listed by their places; lines join them.

#include <algorithm>
#include <numeric>

#include "report/layout.hpp"

namespace lofty::report {
namespace {

using Moved = MovementPicture::Moved;

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

class MovementLayout {
 public:
  MovementLayout(Drawing& drawing, const MovementPicture& movement) : drawing_(drawing), movement_(movement) {
    find_rows();
    place_columns();
  }

  double lay_out(double top) {
    first_row_ = top + 40;
    add_times(top);
    for (std::size_t l = 0; l < movement_.lines.size(); ++l) add_line(l);
    return add_legend();
  }

 private:
  std::size_t times() const { return movement_.times.size(); }
  double x_of(std::size_t time) const {
    return left_ + (right_ - left_) * static_cast<double>(time) / static_cast<double>(times() - 1);
  }
  double y_of(double row) const { return first_row_ + row * line_height; }

  // By time, the rows of the entries that have a place then: by it, and in the picture's order where they share one.
  void find_rows() {
    row_at_.assign(times(), std::vector<double>(movement_.lines.size(), -1));
    for (std::size_t t = 0; t < times(); ++t) {
      std::vector<std::size_t> there;
      for (std::size_t l = 0; l < movement_.lines.size(); ++l)
        if (movement_.lines[l].places[t]) there.push_back(l);
      std::stable_sort(there.begin(), there.end(), [&](std::size_t a, std::size_t b) {
        return *movement_.lines[a].places[t] < *movement_.lines[b].places[t];
      });
      for (std::size_t i = 0; i < there.size(); ++i) row_at_[t][there[i]] = static_cast<double>(i);
      rows_ = std::max(rows_, there.size());
    }
  }

  static std::string left_label(const MovementPicture::Line& line) { return line.label + "  " + line.texts.front(); }
  static std::string right_label(const MovementPicture::Line& line) {
    return line.texts.back() + "  " + line.label + (line.moved == Moved::came ? "  (new)" : "");
  }

  // Labels at both ends are whole: as much room as the longest takes, and a wider sheet where that is too much.
  void place_columns() {
    double left_room = text_width(movement_.times.front(), text_size, true) / 2;
    double right_room = text_width(movement_.times.back(), text_size, true) / 2;
    for (const MovementPicture::Line& line : movement_.lines) {
      if (line.places.front()) left_room = std::max(left_room, text_width(left_label(line), text_size));
      if (line.places.back()) right_room = std::max(right_room, text_width(right_label(line), text_size));
    }
    left_ = margin + left_room + 14;
    right_ = drawing_.width - margin - right_room - 14;
    const double least_room = 150.0 * static_cast<double>(times() - 1);
    if (right_ - left_ < least_room) {
      drawing_.width += least_room - (right_ - left_);
      right_ = left_ + least_room;
    }
    // The stub of an entry that left passes the place that is written at a time in between.
    for (const MovementPicture::Line& line : movement_.lines)
      for (std::size_t t = 1; t + 1 < times(); ++t) stub_ = std::max(stub_, 12 + text_width(line.texts[t], small_size));
  }

  void add_times(double top) {
    const double bottom = y_of(static_cast<double>(rows_)) - 8;
    for (std::size_t t = 0; t < times(); ++t) {
      const Anchor anchor = t == 0 ? Anchor::end : t + 1 == times() ? Anchor::start : Anchor::middle;
      drawing_.texts.push_back({{x_of(t), top + 10}, movement_.times[t], text_size, anchor, Tone::ink, true});
      drawing_.line({x_of(t), first_row_ - 14}, {x_of(t), bottom}, Tone::grid);
    }
  }

  void add_line(std::size_t l) {
    const MovementPicture::Line& line = movement_.lines[l];
    const Tone tone = tone_of(line.moved);
    Stroke stroke{{}, tone, 2, false};
    const auto finish = [&] {
      if (stroke.points.size() > 1) drawing_.strokes.push_back(stroke);
      stroke.points.clear();
    };
    Point last{};
    for (std::size_t t = 0; t < times(); ++t) {
      if (!line.places[t]) {
        finish();
        continue;
      }
      last = {x_of(t), y_of(row_at_[t][l])};
      stroke.points.push_back(last);
      // In between the place is written next to its mark.
      if (t > 0 && t + 1 < times())
        drawing_.texts.push_back(
            {{last.x + 9, last.y - 9}, line.texts[t], small_size, Anchor::start, Tone::quiet, false});
      mark(drawing_, last, line.moved);
    }
    finish();
    add_labels(l, line, tone, last);
  }

  void add_labels(std::size_t l, const MovementPicture::Line& line, Tone tone, const Point& last) {
    const auto add = [&](Point at, const std::string& words, double size, Anchor anchor, Tone of) {
      drawing_.texts.push_back({at, words, size, anchor, of, false});
    };
    if (line.places.front())
      add({left_ - 12, y_of(row_at_.front()[l])}, left_label(line), text_size, Anchor::end,
          line.moved == Moved::left ? tone : Tone::ink);
    if (line.places.back())
      add({right_ + 12, y_of(row_at_.back()[l])}, right_label(line), text_size, Anchor::start,
          line.moved == Moved::came ? tone : Tone::ink);
    // One that left: a short stub, and why.
    if (line.places.back() || last.x <= 0 || last.x >= right_) return;
    drawing_.strokes.push_back({{last, {last.x + stub_, last.y}}, tone, 1.4, true});
    add({last.x + stub_ + 6, last.y}, line.note.empty() ? "left" : line.note, small_size, Anchor::start, tone);
  }

  // What the shapes mean, as far as they occur. Returns where it ends.
  double add_legend() {
    const double y = y_of(static_cast<double>(rows_)) + 10;
    double x = margin + 6;
    for (const auto& [moved, words] :
         {std::pair{Moved::up, "up"}, std::pair{Moved::down, "down"}, std::pair{Moved::stayed, "same place"},
          std::pair{Moved::came, "new"}, std::pair{Moved::left, "no longer listed"}}) {
      const auto is_one = [m = moved](const MovementPicture::Line& line) { return line.moved == m; };
      if (std::none_of(movement_.lines.begin(), movement_.lines.end(), is_one)) continue;
      mark(drawing_, {x, y}, moved);
      drawing_.texts.push_back({{x + 12, y}, words, small_size, Anchor::start, Tone::quiet, false});
      x += 34 + text_width(words, small_size);
    }
    return y + 10;
  }

  Drawing& drawing_;
  const MovementPicture& movement_;
  std::vector<std::vector<double>> row_at_;  // by time, then line; -1: not there
  std::size_t rows_ = 0;                     // at the time that has most
  double left_ = 0, right_ = 0, first_row_ = 0, stub_ = 30;
};

}  // namespace

double lay_out_movement(Drawing& drawing, const MovementPicture& movement, double top) {
  return MovementLayout(drawing, movement).lay_out(top);
}

}  // namespace lofty::report
