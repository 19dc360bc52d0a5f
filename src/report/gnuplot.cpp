#include "report/gnuplot.hpp"

#include <charconv>

#include "io/child_process.hpp"
#include "io/write_marks.hpp"
#include "lofty/error.hpp"
#include "report/layout.hpp"
#include "report/width.hpp"

namespace lofty {
namespace report {
namespace {

// The palettes: blue against amber and rust, which the common kinds of colour blindness tell apart, and which differ in
// lightness, so that they do in grey too. Text has a contrast of at least 4.5 against the paper.
const char* colour_of(Tone tone, bool dark) {
  switch (tone) {
    case Tone::paper: return dark ? "#17202a" : "#ffffff";
    case Tone::ink: return dark ? "#e8edf1" : "#1d2a35";
    case Tone::quiet: return dark ? "#a3b0bb" : "#5b6873";
    case Tone::grid: return dark ? "#2e3b47" : "#dde3e8";
    case Tone::main: return dark ? "#6fb1de" : "#23628f";
    case Tone::light: return dark ? "#3f5a70" : "#a8c3d6";
    case Tone::accent: return dark ? "#f0b454" : "#9a5b00";
    case Tone::fall: return dark ? "#d8714b" : "#c2571f";
  }
  return "#000000";
}

std::string number(double value) {
  char buffer[32];
  const auto end = std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, 2);
  return {buffer, end.ptr};
}

// In double quotes a quote, a backslash and a backtick have a meaning. A backtick cannot be escaped but by its number,
// whose three digits gnuplot tells from digits that follow.
std::string quoted(const std::string& text) {
  std::string out = "\"";
  for (const char c : printable(text)) {
    if (c == '`') {
      out += "\\140";
      continue;
    }
    if (c == '"' || c == '\\') out += '\\';
    out += c;
  }
  return out + "\"";
}

// gnuplot writes points of type as pixels at 96 to the inch into PNG and PDF files, and as they are into SVG.
std::string terminal(const Drawing& drawing, PictureFormat format, bool dark) {
  const std::string paper =
      std::string(" background rgb '") + colour_of(Tone::paper, dark) + "' noenhanced font 'DejaVu Sans,12'\n";
  switch (format) {
    case PictureFormat::svg:
      return "set terminal svg fixed size " + number(drawing.width) + "," + number(drawing.height) + paper;
    case PictureFormat::png:
      return "set terminal pngcairo fontscale 1.5 linewidth 2 dashlength 2 size " + number(2 * drawing.width) + "," +
             number(2 * drawing.height) + paper;
    case PictureFormat::pdf:
      return "set terminal pdfcairo fontscale 0.75 linewidth 0.75 size " + number(drawing.width / 96) + "in," +
             number(drawing.height / 96) + "in" + paper;
  }
  return {};
}

}  // namespace

std::string gnuplot_commands(const Drawing& drawing, PictureFormat format, bool dark) {
  std::string out =
      "set encoding utf8\n" + terminal(drawing, format, dark) +
      "unset border; unset tics; unset key; unset colorbox\n"
      "set lmargin at screen 0; set rmargin at screen 1; set tmargin at screen 1; set bmargin at screen 0\n"
      "set xrange [0:" +
      number(drawing.width) + "]\nset yrange [" + number(drawing.height) + ":0]\n";
  const auto rgb = [&](Tone tone) { return std::string("rgb '") + colour_of(tone, dark) + "'"; };
  const auto at = [](const Point& point) { return number(point.x) + "," + number(point.y); };

  // Areas.
  std::size_t object = 0;
  for (const Polygon& polygon : drawing.polygons) {
    out += "set object " + std::to_string(++object) + " polygon from ";
    for (const Point& corner : polygon.corners) out += at(corner) + " to ";
    out += at(polygon.corners.front()) + (polygon.in_front ? " front" : " back") +
           " fillstyle solid 1 noborder fillcolor " + rgb(polygon.tone) + "\n";
  }

  // Texts.
  std::size_t label = 0;
  for (const Text& text : drawing.texts) {
    if (text.words.empty()) continue;
    const char* const anchor = text.anchor == Anchor::start    ? " left"
                               : text.anchor == Anchor::middle ? " center"
                                                               : " right";
    out += "set label " + std::to_string(++label) + " " + quoted(text.words) + " at " + at(text.at) + anchor +
           " front font 'DejaVu Sans" + (text.bold ? ":Bold" : "") + "," + number(text.size) + "' textcolor " +
           rgb(text.tone) + "\n";
  }

  // Lines, each with its points.
  std::string plot;
  std::size_t line = 0;
  for (const Stroke& stroke : drawing.strokes) {
    const std::string name = "$line" + std::to_string(++line);
    out += name + " << END\n";
    for (const Point& point : stroke.points) out += number(point.x) + " " + number(point.y) + "\n";
    out += "END\n";
    plot += (plot.empty() ? "plot " : ", ") + name + " with lines linewidth " + number(stroke.width) + " linecolor " +
            rgb(stroke.tone) + (stroke.dashed ? " dashtype (5,4)" : " dashtype 1") + " notitle";
  }
  return out + (plot.empty() ? "plot NaN notitle" : plot) + "\n";
}

namespace {

std::string xml_text(const std::string& text) {
  std::string out;
  for (const char c : printable(text)) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else
      out += c;
  }
  return out;
}

void replace_all(std::string& text, const std::string& from, const std::string& to) {
  for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += to.size())
    text.replace(at, from.size(), to);
}

// A name for readers who do not see it, fonts that browsers have, and whose file it is.
std::string finished_svg(std::string svg, const std::string& title) {
  replace_all(svg, "font-family=\"DejaVu Sans:Bold\"",
              "font-family=\"DejaVu Sans, Verdana, Arial, sans-serif\" font-weight=\"bold\"");
  replace_all(svg, "font-family=\"DejaVu Sans\"", "font-family=\"DejaVu Sans, Verdana, Arial, sans-serif\"");
  const std::size_t open = svg.find("<title>"), close = svg.find("</desc>");
  if (open == std::string::npos || close == std::string::npos) return svg;
  return svg.substr(0, open) + "<title>" + xml_text(title) + "</title>\n" + engine::svg_mark + svg.substr(close + 7);
}

bool is_whole(const std::string& bytes, PictureFormat format) {
  switch (format) {
    case PictureFormat::svg: return bytes.starts_with("<?xml") && bytes.find("</svg>") != std::string::npos;
    case PictureFormat::png:
      return bytes.starts_with("\x89PNG") &&
             bytes.find("IEND", bytes.size() - std::min<std::size_t>(bytes.size(), 12)) != std::string::npos;
    case PictureFormat::pdf:
      return bytes.starts_with("%PDF") &&
             bytes.find("%%EOF", bytes.size() - std::min<std::size_t>(bytes.size(), 16)) != std::string::npos;
  }
  return false;
}

}  // namespace
}  // namespace report

namespace {

// A picture takes some 0.1 s; one of 60 charts on a busy machine a few.
constexpr std::chrono::seconds most_drawing_time{60};

}  // namespace

std::optional<PictureFormat> picture_format_from(std::string_view ending) {
  if (ending == "svg") return PictureFormat::svg;
  if (ending == "png") return PictureFormat::png;
  if (ending == "pdf") return PictureFormat::pdf;
  return std::nullopt;
}

std::string drawn(const Picture& picture, PictureFormat format, const PictureLooks& looks) {
  const report::Drawing drawing = report::laid_out(picture, std::max(looks.width, 480), looks.titled);
  const std::string commands = report::gnuplot_commands(drawing, format, looks.dark);
  // -d: not the commands that a user keeps for every picture of his.
  const engine::ProgramResult result = engine::run_program("gnuplot", {"-d"}, commands, most_drawing_time);
  if (result.not_found)
    throw Error(Problem{Code::missing_program,
                        "pictures are drawn by the program gnuplot, which is not installed",
                        {},
                        {},
                        "install the package gnuplot-nox"});
  if (result.out_of_time)
    throw Error(Problem{Code::drawing_failed, "gnuplot did not end within 60 s, and was stopped", {}, {}, {}});
  if (result.status != 0 || !report::is_whole(result.output, format))
    throw Error(Problem{Code::drawing_failed,
                        "gnuplot could not draw the picture" +
                            (result.errors.empty() ? "" : ": " + report::printable(result.errors.substr(0, 400))),
                        {},
                        {},
                        {}});
  switch (format) {
    case PictureFormat::svg: return report::finished_svg(result.output, drawing.title);
    case PictureFormat::png: return engine::marked_png(result.output);
    case PictureFormat::pdf: return result.output + engine::pdf_mark;
  }
  return {};
}

}  // namespace lofty
