#pragma once
// Pictures of an answer: what they show, made from Standings alone, and the files that are drawn of it.
//
//   const lofty::Picture picture = lofty::picture_of(answer, lofty::PictureKind::bars);
//   lofty::write_file("best.svg", lofty::drawn(picture, lofty::PictureFormat::svg));

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "lofty/decimal.hpp"
#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/ladder.hpp"
#include "lofty/standings.hpp"
#include "lofty/value.hpp"

namespace lofty LOFTY_EXPORT {

enum class PictureKind : std::uint8_t {
  bars,      // a bar for each entry, in the order of the listing
  lines,     // a small line chart for each group, or each entry of an outer level, in the order of the listing
  movement,  // places at two or more times, joined by lines
  shares,    // the running share over the entries, the best first
};
[[nodiscard]] const char* to_string(PictureKind value);
template <>
std::optional<PictureKind> from_string<PictureKind>(std::string_view name);

struct PictureOptions {
  // bars, lines: the column of numbers; empty: the first key of rank.by where it is listed, else the first total.
  // shares: the column with the running share; empty: the one of rank.also.
  std::string value = {};
  // lines: the column from left to right; empty: the first listed one of dates, else of numbers that are keys, else a
  // key.
  std::string along = {};
  bool free_scale = false;  // lines: each chart has its own scale
  // lines: in addition to the values, their moving average over so many rows up to each point, or over so many days of
  // the dates up to it (the mean of the points that there are). 0: none.
  std::size_t smooth_rows = 0, smooth_days = 0;
  Decimal mark{5, 1};  // shares: the share whose first entry is marked; more than 0, at most 1
  // Draw only the first so many entries, and name the others. Without it more than 60 are refused.
  std::optional<std::size_t> at_most = {};
  // bars: values whose place is shown by a line across: a name, and a number (see Standings::place_for).
  std::vector<std::pair<std::string, Value>> references = {};
};

// The numbers are those of the listing: `text` as it has them, `value` for the length of what is drawn.
struct BarsPicture {
  struct Bar {
    std::string label, place, text;
    std::optional<double> value;  // nothing: null, which has no bar
    bool others = false;          // the line for the entries that are not listed
    std::size_t tie = 0;          // neighbours that share a place have the same number, from 1; 0: none
  };
  struct Group {
    std::string heading;  // empty: without groups
    std::vector<Bar> bars;
  };
  struct Reference {
    std::string label;
    double value = 0;
  };
  std::string value_heading;
  std::vector<Group> groups;
  std::vector<Reference> references;
};

struct LinesPicture {
  struct Point {
    double along = 0;             // days since 1970-01-01 for dates and timestamps; for texts their number, from 0
    std::optional<double> value;  // nothing: null, which breaks the line
  };
  struct Chart {
    std::string label, place, total;
    std::vector<Point> points, smooth;  // from left to right
  };
  std::string along_heading, value_heading, smooth_words;
  enum class Along : std::uint8_t { dates, numbers, texts } kind = Along::dates;
  std::vector<std::string> texts;  // Along::texts: what the numbers are called
  bool free_scale = false;
  std::vector<Chart> charts;
};
[[nodiscard]] const char* to_string(LinesPicture::Along value);
template <>
std::optional<LinesPicture::Along> from_string<LinesPicture::Along>(std::string_view name);

struct MovementPicture {
  enum class Moved : std::uint8_t { up, down, stayed, came, left };
  struct Line {
    std::string label;
    std::vector<std::optional<double>> places;  // by time
    std::vector<std::string> texts;             // by time; empty without a place
    Moved moved = Moved::stayed;                // from the first time to the last
    std::string note;                           // of one that left: "now 14"
  };
  std::vector<std::string> times;
  std::vector<Line> lines;
};
[[nodiscard]] const char* to_string(MovementPicture::Moved value);
template <>
std::optional<MovementPicture::Moved> from_string<MovementPicture::Moved>(std::string_view name);

struct SharesPicture {
  // Entries that share a place are one step: together they reach its share.
  struct Step {
    std::string label;        // of its first entry
    std::size_t entries = 0;  // in all, up to and with this step
    std::size_t peers = 1;    // in this step
    double share = 0;
    std::string text;
  };
  std::string share_heading;
  std::vector<Step> steps;
  std::size_t ranked = 0;  // all entries, listed or not
  double mark = 0;
  std::string mark_text;
  std::optional<std::size_t> reached;  // the first step that reaches the mark
};

struct Picture {
  std::string title, question;
  std::vector<std::string> foot;  // what is shown, and what is not
  std::variant<BarsPicture, LinesPicture, MovementPicture, SharesPicture> content;
  PictureKind kind() const { return static_cast<PictureKind>(content.index()); }
};

// Looks at the listed rows: O(rows x columns). Throws Error: unknown_column; wrong_type (the column is not one of
// numbers, or of dates); missing_key (no places for a movement, no running share); bad_value (more than 60 entries
// without `at_most`, charts of one point only, ...); nothing_to_draw where the answer has no rows. Thread-safe.
[[nodiscard]] Picture picture_of(const Standings& standings, PictureKind kind, const PictureOptions& options = {});

// A picture of shares needs a running share. This adds one, "running share of TOTAL", to a ladder of one level that has
// none and ranks by a total first; any other ladder comes back as it is. Thread-safe.
[[nodiscard]] Ladder with_running_share(Ladder ladder);

enum class PictureFormat : std::uint8_t { svg, png, pdf };
[[nodiscard]] const char* to_string(PictureFormat value);
template <>
std::optional<PictureFormat> from_string<PictureFormat>(std::string_view name);
[[nodiscard]] std::optional<PictureFormat> picture_format_from(std::string_view ending);

struct PictureLooks {
  bool dark = false;
  int width = 960;     // pixels; a PNG has two for each. From 480 on
  bool titled = true;  // with title, question and foot; a page has them already
};

// True for the codes of drawn() that say nothing about the answer: its caller can go on without the picture.
[[nodiscard]] inline bool is_fault_of_drawing(Code code) {
  return code == Code::missing_program || code == Code::drawing_failed;
}

// The whole file's bytes. The program gnuplot draws it, in some 0.1 s. Throws Error: missing_program where it is not
// installed, drawing_failed where it fails or does not end within 60 s, overflow and beyond_limit for values too far
// apart and names wider than the picture. CallError for a picture whose lines or steps do not fit together.
// Thread-safe.
[[nodiscard]] std::string drawn(const Picture& picture, PictureFormat format, const PictureLooks& looks = {});

}  // namespace lofty
