#include "report/layout.hpp"

namespace lofty::report {

Drawing laid_out(const Picture& picture, int width, bool titled) {
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
  return drawing;
}

}  // namespace lofty::report
