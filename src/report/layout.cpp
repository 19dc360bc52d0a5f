#include "report/layout.hpp"

#include <algorithm>
#include <cmath>

#include "base/call_check.hpp"
#include "lofty/error.hpp"
#include "report/width.hpp"

namespace lofty::report {
namespace {

// A picture that a caller put together may not be one.
void require_whole(const LinesPicture& lines) {
  for (const LinesPicture::Chart& chart : lines.charts)
    for (const auto* points : {&chart.points, &chart.smooth})
      for (const LinesPicture::Point& point : *points) {
        engine::require(std::isfinite(point.along), "the points of a chart lie somewhere along it");
        engine::require(lines.kind != LinesPicture::Along::texts ||
                            (point.along >= 0 && point.along < static_cast<double>(lines.texts.size())),
                        "the points of a chart along texts have the numbers of texts");
      }
}
void require_whole(const MovementPicture& movement) {
  engine::require(movement.times.size() >= 2, "a movement has at least two times");
  for (const MovementPicture::Line& line : movement.lines)
    engine::require(line.places.size() == movement.times.size() && line.texts.size() == movement.times.size(),
                    "a line has a place and a text for each time");
}
void require_whole(const SharesPicture& shares) {
  engine::require(!shares.reached || *shares.reached < shares.steps.size(), "the step that reaches the mark is a step");
}
void require_whole(const BarsPicture&) {}

// Values near the ends of the range of floats have no distance that is one, and a name may be of any length.
void check(const Drawing& drawing) {
  const auto lies_somewhere = [](const Point& point) { return std::isfinite(point.x) && std::isfinite(point.y); };
  const auto all_lie_somewhere = [&](const std::vector<Point>& points) {
    return std::all_of(points.begin(), points.end(), lies_somewhere);
  };
  const bool finite = std::isfinite(drawing.height) &&
                      std::all_of(drawing.polygons.begin(), drawing.polygons.end(),
                                  [&](const Polygon& polygon) { return all_lie_somewhere(polygon.corners); }) &&
                      std::all_of(drawing.strokes.begin(), drawing.strokes.end(),
                                  [&](const Stroke& stroke) { return all_lie_somewhere(stroke.points); }) &&
                      std::all_of(drawing.texts.begin(), drawing.texts.end(),
                                  [&](const Text& text) { return lies_somewhere(text.at); });

  // Everything lies on the sheet.
  if (!finite)
    throw Error(Problem{Code::overflow,
                        "the values are too far apart to be drawn on one scale",
                        {},
                        {},
                        "leave out the values near 1e308"});
  for (const Text& text : drawing.texts)
    if (text_width(text.words, text.size, text.bold) > drawing.width)
      throw Error(Problem{Code::beyond_limit,
                          "the text `" + cut_to(text.words, 40) + "` is wider than the picture",
                          {},
                          {},
                          "a shorter one, or picture.width"});
}

}  // namespace

Drawing laid_out(const Picture& picture, int width, bool titled) {
  std::visit([](const auto& content) { require_whole(content); }, picture.content);
  Drawing drawing;
  drawing.width = width;
  drawing.title = picture.title.empty() ? picture.question : picture.title;
  double y = margin;
  const double room = width - 2 * margin;
  const auto paragraph = [&](const std::string& words, double size, Tone tone, bool bold) {
    for (const std::string& line : text_lines(words, bold ? size * 1.12 : size, room)) {
      y += size * 0.75;
      drawing.texts.push_back({{margin, y}, line, size, Anchor::start, tone, bold});
      y += size * 0.75;
    }
  };

  // What it shows, in words.
  if (titled && !picture.title.empty()) {
    paragraph(picture.title, 18, Tone::ink, true);
    y += 4;
  }
  if (titled) {
    paragraph(picture.question, small_size, Tone::quiet, false);
    y += 14;
  }

  // The picture itself.
  y = std::visit(
      [&](const auto& content) {
        using Content = std::decay_t<decltype(content)>;
        if constexpr (std::is_same_v<Content, BarsPicture>) return lay_out_bars(drawing, content, y);
        if constexpr (std::is_same_v<Content, LinesPicture>) return lay_out_lines(drawing, content, y);
        if constexpr (std::is_same_v<Content, MovementPicture>) return lay_out_movement(drawing, content, y);
        if constexpr (std::is_same_v<Content, SharesPicture>) return lay_out_shares(drawing, content, y);
      },
      picture.content);

  // What is shown, and what is not.
  y += 12;
  for (const std::string& line : picture.foot) {
    if (!titled && &line == &picture.foot.front()) continue;  // how many are shown: the page says it
    paragraph(line, small_size, Tone::quiet, false);
    y += 2;
  }
  drawing.height = y + margin - 6;
  check(drawing);
  return drawing;
}

}  // namespace lofty::report
