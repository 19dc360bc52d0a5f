// How pictures are laid out and drawn: nothing overlaps, nothing is cut, and the drawn numbers are the listing's.
#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>
#include <chrono>

#include <cmath>
#include <pugixml.hpp>

#include "io/child_process.hpp"
#include "lofty/picture.hpp"
#include "report/drawing.hpp"
#include "report/gnuplot.hpp"
#include "report/layout.hpp"
#include "support/process.hpp"
#include "support/tables.hpp"

using namespace lofty;
using namespace lofty::report;

namespace {

struct Box {
  double left, top, right, bottom;
  std::string words;
};

Box box_of(const Text& text) {
  const double width = text_width(text.words, text.size, text.bold);
  const double left = text.anchor == Anchor::start    ? text.at.x
                      : text.anchor == Anchor::middle ? text.at.x - width / 2
                                                      : text.at.x - width;
  return {left, text.at.y - text.size * 0.5, left + width, text.at.y + text.size * 0.5, text.words};
}

// The first pair of texts that overlap, or a text that is not on the paper.
std::string overlap(const Drawing& drawing) {
  std::vector<Box> boxes;
  for (const Text& text : drawing.texts) {
    if (text.words.empty()) continue;
    boxes.push_back(box_of(text));
    const Box& box = boxes.back();
    if (box.left < -0.5 || box.right > drawing.width + 0.5 || box.top < 0 || box.bottom > drawing.height)
      return "off the paper: " + box.words;
  }
  for (std::size_t i = 0; i < boxes.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if (boxes[i].left < boxes[k].right && boxes[k].left < boxes[i].right && boxes[i].top < boxes[k].bottom &&
          boxes[k].top < boxes[i].bottom)
        return boxes[k].words + " | " + boxes[i].words;
  return {};
}

const char* const hard_names[] = {"A",
                                  "The Quite Unusually Long Name of a Shop in the High Moor & Sons",
                                  "\u00D8sten's Caf\u00E9",
                                  "\u05D7\u05E0\u05D5\u05EA \u05D3\u05D1\u05E9",
                                  "\u8702\u871C\u5546\u5E97",
                                  "<b>&\"'`ls`$(x)@{}",
                                  "WWWWWWWWWWWWWWWWWWWWWWW",
                                  "iiii",
                                  "%d \\n \\\\ 'q'",
                                  "`1` 2025-12-01 \\101 $x @y"};

std::string any_name() { return hard_names[*rc::gen::inRange(0, 10)]; }

Picture any_bars() {
  BarsPicture bars;
  bars.value_heading = any_name();
  const int count = *rc::gen::inRange(1, 61);
  const double scale = *rc::gen::element(1.0, 1e6, 1e-3);
  const int sign = *rc::gen::element(1, -1, 0);
  for (int i = 0; i < count; ++i) {
    if (bars.groups.empty() || *rc::gen::inRange(0, 8) == 0)
      bars.groups.push_back({*rc::gen::arbitrary<bool>() ? any_name() : "", {}});
    BarsPicture::Bar bar{any_name(), std::to_string(i + 1),        "",
                         {},         *rc::gen::inRange(0, 9) == 0, static_cast<std::size_t>(*rc::gen::inRange(0, 3))};
    if (*rc::gen::inRange(0, 6) > 0)
      bar.value = scale * (sign == 0 ? *rc::gen::inRange(-100, 100) : sign * *rc::gen::inRange(0, 100));
    bar.text = bar.value ? std::to_string(*bar.value) : "(none)";
    bars.groups.back().bars.push_back(std::move(bar));
  }
  const int references = *rc::gen::inRange(0, 3);
  for (int i = 0; i < references; ++i)
    bars.references.push_back({"4,200 would take place " + std::to_string(i), scale * *rc::gen::inRange(-50, 150)});
  return {"A title", "A question that is said back in a sentence.", {"3 of 7"}, bars};
}

Picture any_lines() {
  LinesPicture lines;
  lines.value_heading = "spend";
  lines.along_heading = "day";
  lines.free_scale = *rc::gen::arbitrary<bool>();
  if (*rc::gen::arbitrary<bool>()) lines.smooth_words = "mean of the last 7 days";
  const int charts = *rc::gen::inRange(1, 61);
  for (int c = 0; c < charts; ++c) {
    LinesPicture::Chart chart{any_name(), std::to_string(c + 1) + "=", "1,234,567.00", {}, {}};
    const int points = *rc::gen::inRange(1, 12);
    for (int i = 0; i < points; ++i)
      chart.points.push_back({20'000.0 + i, *rc::gen::inRange(0, 5) == 0
                                                ? std::nullopt
                                                : std::optional<double>(*rc::gen::inRange(-100000, 100000))});
    lines.charts.push_back(std::move(chart));
  }
  return {"A title", "A question.", {}, lines};
}

Picture any_movement() {
  MovementPicture movement;
  const int times = *rc::gen::inRange(2, 5);
  for (int t = 0; t < times; ++t) movement.times.push_back("time " + std::to_string(t));
  const int lines = *rc::gen::inRange(1, 61);
  for (int l = 0; l < lines; ++l) {
    MovementPicture::Line line{any_name(), {}, {}, MovementPicture::Moved::stayed, ""};
    for (int t = 0; t < times; ++t) {
      const bool there = *rc::gen::inRange(0, 6) > 0;
      const int place = *rc::gen::inRange(1, 200);
      line.places.push_back(there ? std::optional<double>(place) : std::nullopt);
      line.texts.push_back(there ? std::to_string(place) + "=" : "");
    }
    line.moved = !line.places.front()  ? MovementPicture::Moved::came
                 : !line.places.back() ? MovementPicture::Moved::left
                                       : MovementPicture::Moved::up;
    movement.lines.push_back(std::move(line));
  }
  return {"A title", "A question.", {"3 of 7"}, movement};
}

Picture any_shares() {
  SharesPicture shares;
  shares.share_heading = "so far";
  const int steps = *rc::gen::inRange(1, 200);
  std::size_t entries = 0;
  for (int i = 0; i < steps; ++i) {
    const auto peers = static_cast<std::size_t>(*rc::gen::inRange(1, 4));
    entries += peers;
    shares.steps.push_back({any_name(), entries, peers, (i + 1.0) / steps, "12.3 %"});
  }
  shares.mark = 0.5;
  shares.mark_text = "0.5";
  for (std::size_t i = 0; i < shares.steps.size() && !shares.reached; ++i)
    if (shares.steps[i].share >= 0.5) shares.reached = i;
  return {"A title", "A question.", {}, shares};
}

// The texts of an SVG, and the lengths of the rectangles of one colour.
struct Svg {
  pugi::xml_document document;
  std::vector<std::string> texts;
  std::vector<double> bars;
  explicit Svg(const std::string& bytes, const std::string& colour = "rgb( 35,  98, 143)") {
    EXPECT_TRUE(document.load_string(bytes.c_str())) << bytes.substr(0, 200);
    for (const auto& found : document.select_nodes("//*[local-name()='text']"))
      texts.emplace_back(found.node().text().as_string());
    for (const auto& found : document.select_nodes("//*[local-name()='polygon']")) {
      if (std::string(found.node().attribute("fill").value()) != colour) continue;
      double x0 = 0, y0 = 0, x1 = 0;
      std::sscanf(found.node().attribute("points").value(), "%lf,%lf %lf", &x0, &y0, &x1);
      bars.push_back(x1 - x0);
    }
  }
  bool has(const std::string& text) const { return std::find(texts.begin(), texts.end(), text) != texts.end(); }
};

}  // namespace

RC_GTEST_PROP(DrawingProperty, TextsNeverOverlapNorLeaveThePaper, ()) {
  const int kind = *rc::gen::inRange(0, 4);
  const Picture picture = kind == 0 ? any_bars() : kind == 1 ? any_lines() : kind == 2 ? any_movement() : any_shares();
  const Drawing drawing = laid_out(picture, *rc::gen::element(480, 960, 1600), *rc::gen::arbitrary<bool>());
  RC_ASSERT(overlap(drawing) == std::string());
  for (const Stroke& stroke : drawing.strokes)
    for (const report::Point& point : stroke.points)
      RC_ASSERT(std::isfinite(point.x) && std::isfinite(point.y) && point.x >= -1 && point.x <= drawing.width + 1);
  for (const Polygon& polygon : drawing.polygons)
    for (const report::Point& corner : polygon.corners)
      RC_ASSERT(std::isfinite(corner.x) && corner.x >= -1 && corner.x <= drawing.width + 1 &&
                corner.y <= drawing.height);
}

TEST(Drawing, TheSvgHasTheNumbersOfTheListing) {
  const Standings answer =
      standings({.title = "Shops & <more>",
                 .data = {.from = "lines", .joins = {{.with = "shops", .on = {"shop_no"}}}},
                 .figures = {{"amount", "quantity * unit_price"}},
                 .totals = {{"spend", "sum(amount)"}},
                 .levels = {{.each = {"shop_no"}, .by = "spend desc", .tiebreak = "shop"}},
                 .list = {.columns = {"rank", "shop", "spend"}, .formats = {{"spend", "\u20AC1,234.50 = 1234.50"}}}},
                support::small_shop());
  const std::string bytes = drawn(picture_of(answer, PictureKind::bars), PictureFormat::svg);
  const Svg svg(bytes);
  const std::string listed = listing(answer);
  for (std::size_t r = 0; r < answer.rows(); ++r) {
    const Value value = answer.value(r, 2);
    const std::string text = is_null(value) ? "(none)" : answer.columns()[2].format->text(value);
    EXPECT_TRUE(svg.has(text)) << text;
    EXPECT_NE(listed.find(text), std::string::npos) << text;
  }
  EXPECT_TRUE(svg.has("\u00C4lv Corner"));
  // Lengths are to one another as the numbers are: 11, 11, 5.
  ASSERT_EQ(svg.bars.size(), 3u);
  EXPECT_NEAR(svg.bars[0], svg.bars[1], 0.05);
  EXPECT_NEAR(svg.bars[2] / svg.bars[0], 5.0 / 11, 0.001);
  EXPECT_EQ(std::string(svg.document.select_node("//*[local-name()='title']").node().text().as_string()),
            "Shops & <more>");
  EXPECT_NE(bytes.find("written by Lofty Ladder"), std::string::npos);
  EXPECT_EQ(bytes, drawn(picture_of(answer, PictureKind::bars), PictureFormat::svg));  // the same bytes every time
}

TEST(Drawing, HostileNamesAreTextsAndNothingElse) {
  BarsPicture bars;
  bars.value_heading = "spend";
  bars.groups.push_back({"", {}});
  const support::Scratch scratch;
  for (const char* name : hard_names) bars.groups[0].bars.push_back({name, "1", "12", 12.0, false, 0});
  const std::string evil = "' ; system('touch " + (scratch.path() / "made").string() + "') #";
  bars.groups[0].bars.push_back({evil, "2", "11", 11.0, false, 0});
  bars.groups[0].bars.push_back({"two\nlines\tand \x1b[31m", "3", "10", 10.0, false, 0});
  const Picture picture{evil, "`touch x` $(touch x)", {}, bars};
  const Svg svg(drawn(picture, PictureFormat::svg));
  for (const char* name : hard_names) EXPECT_TRUE(svg.has(name)) << name;
  EXPECT_TRUE(svg.has(evil));
  EXPECT_FALSE(std::filesystem::exists(scratch.path() / "made"));
  EXPECT_TRUE(svg.has("two\u240Alines\u2409and \u241B[31m"));
}

TEST(Drawing, AllFormatsAndBothPalettes) {
  const Picture picture{"t", "q", {}, BarsPicture{"v", {{"", {{"a", "1", "12", 12.0, false, 0}}}}, {}}};
  const std::string png = drawn(picture, PictureFormat::png), pdf = drawn(picture, PictureFormat::pdf);
  EXPECT_TRUE(png.starts_with("\x89PNG"));
  EXPECT_NE(png.find("tEXtSoftware"), std::string::npos);
  EXPECT_TRUE(pdf.starts_with("%PDF"));
  EXPECT_TRUE(pdf.ends_with("% written by Lofty Ladder\n"));
  const std::string dark = drawn(picture, PictureFormat::svg, {.dark = true});
  EXPECT_NE(dark.find("#17202a"), std::string::npos);
  EXPECT_NE(drawn(picture, PictureFormat::svg).find("#ffffff"), std::string::npos);
}

// The palettes, measured: texts are legible, and what differs by colour differs in grey.
TEST(Drawing, PalettesHaveContrast) {
  for (const bool dark : {false, true}) {
    Drawing drawing;
    drawing.width = drawing.height = 100;
    const Tone tones[] = {Tone::ink, Tone::quiet, Tone::accent, Tone::main, Tone::fall, Tone::light};
    for (const Tone tone : tones) drawing.texts.push_back({{1, 1}, "x", 12, Anchor::start, tone, false});
    const std::string commands = gnuplot_commands(drawing, PictureFormat::svg, dark);
    std::vector<double> light;  // relative luminances (WCAG 2.1): the paper's first
    for (std::size_t at = 0; (at = commands.find("rgb '#", at)) != std::string::npos; ++at) {
      const auto part = [&](std::size_t i) {
        const double c = std::stoi(commands.substr(at + 6 + 2 * i, 2), nullptr, 16) / 255.0;
        return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
      };
      light.push_back(0.2126 * part(0) + 0.7152 * part(1) + 0.0722 * part(2));
    }
    ASSERT_EQ(light.size(), 7u);
    const auto contrast = [](double a, double b) { return (std::max(a, b) + 0.05) / (std::min(a, b) + 0.05); };
    for (std::size_t t = 1; t <= 3; ++t) EXPECT_GE(contrast(light[t], light[0]), 4.5) << dark << t;
    EXPECT_GE(contrast(light[4], light[0]), 3) << dark;  // bars
    EXPECT_GE(contrast(light[5], light[0]), 3) << dark;
    EXPECT_GE(contrast(light[6], light[4]), 1.5) << dark;  // the others' bar is lighter than the entries'
    EXPECT_GE(contrast(light[5], light[4]), 1.15) << dark;
  }
}

TEST(Drawing, RoundStepsCoverTheRange) {
  EXPECT_EQ(round_steps(0, 100, 5), (std::vector<double>{0, 20, 40, 60, 80, 100}));
  EXPECT_EQ(round_steps(-3, 7, 2), (std::vector<double>{-5, 0, 5, 10}));
  EXPECT_EQ(round_steps(0, 0, 2).front(), 0);
  EXPECT_EQ(round_text(12500, 500), "12,500");
  EXPECT_EQ(round_text(0.25, 0.05), "0.25");
  EXPECT_EQ(round_text(2e20, 1e20), "2.0e20");
}

TEST(ChildProcess, PassesTextBothWaysAndTellsHowItEnded) {
  const std::string much(3'000'000, 'x');
  const auto copied = engine::run_program("cat", {}, much, std::chrono::seconds(30));
  EXPECT_EQ(copied.status, 0);
  EXPECT_EQ(copied.output, much);
  EXPECT_EQ(engine::run_program("sh", {"-c", "echo no >&2; exit 3"}, much, std::chrono::seconds(30)).status,
            3);  // reads nothing
  EXPECT_EQ(engine::run_program("sh", {"-c", "echo no >&2; exit 3"}, "", std::chrono::seconds(30)).errors, "no\n");
  EXPECT_EQ(engine::run_program("sh", {"-c", "kill -9 $$"}, "", std::chrono::seconds(30)).status, -1);
  EXPECT_TRUE(engine::run_program("no-program-is-called-so", {}, "", std::chrono::seconds(30)).not_found);
}

// A program that hangs, also after it has closed its pipes, is killed with its own children.
TEST(ChildProcess, ProgramsThatDoNotEndAreKilled) {
  for (const char* script : {"sleep 600 & wait", "exec >&- 2>&-; sleep 600"}) {
    const auto begun = std::chrono::steady_clock::now();
    const auto ended = engine::run_program("sh", {"-c", script}, "", std::chrono::milliseconds(300));
    EXPECT_TRUE(ended.out_of_time) << script;
    EXPECT_LT(std::chrono::steady_clock::now() - begun, std::chrono::seconds(60)) << script;
  }
}
