// Small line charts in ranked order: what is drawn from left to right, and the smoothed line.

#include <cmath>
#include <map>

#include "lofty/order.hpp"
#include "lofty/window.hpp"
#include "report/picture_source.hpp"
#include "report/width.hpp"

namespace lofty::report {
namespace {

using Along = LinesPicture::Along;
using LinePoint = LinesPicture::Point;

bool of_moments(const StandingColumn& c) { return c.type.kind == Kind::date || c.type.kind == Kind::timestamp; }

// The column from left to right.
std::size_t along_column(const PictureSource& source, std::size_t value) {
  const std::string& wish = source.options.along;
  if (!wish.empty()) {
    const std::size_t c = column_named(source, wish);
    if (source.column(c).type.kind == Kind::boolean)
      refuse(Code::wrong_type, "`" + wish + "` is true or false, which is no order to draw along");
    return c;
  }

  // Dates come first, then numbers that are keys, then other keys.
  if (const auto date = first_column(source, of_moments)) return *date;
  for (const bool numeric : {true, false}) {
    const auto key = first_column(source, [&](const StandingColumn& c) {
      return c.role == Role::key && c.type.numeric() == numeric && &c != &source.column(value);
    });
    if (key) return *key;
  }
  refuse(Code::missing_key, "no listed column says what is drawn from left to right",
         "a date in list.columns, or picture.along = COLUMN");
}

// The values of a column as numbers to draw along: days for moments. Texts are numbered in the order in which they
// come.
class Axis {
 public:
  Axis(const PictureSource& source, std::size_t column) : source_(source), column_(column) {}

  std::optional<double> at(std::size_t row) {
    const Value value = source_.standings.value(row, column_);
    if (is_null(value)) return std::nullopt;
    if (const auto* const date = std::get_if<Date>(&value)) return date->days;
    if (const auto* const moment = std::get_if<Timestamp>(&value))
      return static_cast<double>(moment->microseconds) / 86'400e6;
    if (const auto number = number_of(value)) return number;
    const auto [entry, is_new] = numbers_.emplace(to_text(value), static_cast<double>(numbers_.size()));
    if (is_new) texts_.push_back(source_.cells.text(row, column_));
    return entry->second;
  }
  const std::vector<std::string>& texts() const { return texts_; }

 private:
  const PictureSource& source_;
  std::size_t column_;
  std::map<std::string, double> numbers_;
  std::vector<std::string> texts_;
};

// The rows of a chart, and the row that its title is from.
struct Member {
  std::size_t title = 0;
  std::vector<std::size_t> rows;
};

// A chart for each entry just outside the innermost level; without levels for each group; else one for all.
std::vector<Member> members_of(const PictureSource& source) {
  const Standings& s = source.standings;
  std::vector<Member> charts;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    const bool begins = source.nested() ? s.level(r) + 1 == source.innermost()
                                        : charts.empty() || (source.grouped() && s.starts_group(r));
    if (begins) charts.push_back({r, {}});
    if (s.level(r) == source.innermost() && !charts.empty()) charts.back().rows.push_back(r);
  }
  return charts;
}

std::string label_of(const PictureSource& source, const Member& chart) {
  if (!source.nested()) return source.grouped() ? heading_of_group(source, chart.title) : std::string();
  std::string label;
  for (const std::size_t outer : outer_rows(source, chart.title)) label += source.name(outer) + "  \xE2\x80\xBA  ";
  return label + source.name(chart.title);
}

// How the lines are smoothed, in words; empty: they are not.
std::string smooth_words(const PictureOptions& options, Along kind, const std::string& along) {
  if (options.smooth_rows > 0 && options.smooth_days > 0)
    refuse(Code::bad_value, "a line is smoothed over rows or over days, not both");
  if (options.smooth_days > 0 && kind != Along::dates)
    refuse(Code::wrong_type, "`" + along + "` does not hold dates, so there are no days to smooth over",
           "picture.smooth = 7 smooths over 7 rows");
  if (options.smooth_rows > 0) return "mean of the last " + std::to_string(options.smooth_rows);
  return options.smooth_days > 0 ? "mean of the last " + std::to_string(options.smooth_days) + " days" : std::string();
}

// The moving average of one line, by the library's own windows; empty where none is wanted.
std::vector<LinePoint> smoothed(const PictureOptions& options, const std::vector<LinePoint>& points) {
  if ((options.smooth_rows == 0 && options.smooth_days == 0) || points.empty()) return {};
  std::vector<double> along, values;
  std::vector<std::uint8_t> nulls;
  for (const LinePoint& point : points) {
    along.push_back(options.smooth_days > 0 ? std::floor(point.along) : point.along);
    values.push_back(point.value.value_or(0));
    nulls.push_back(!point.value);
  }

  const Order order = lofty::order({ascending(along)});
  Frame frame = last_rows(static_cast<std::int64_t>(std::max<std::size_t>(options.smooth_rows, 1)));
  if (options.smooth_days > 0)
    frame = {.unit = FrameUnit::range,
             .from = preceding(static_cast<std::int64_t>(options.smooth_days) - 1),
             .by = ascending(along)};
  const ColumnValues<double> means = frame_means(order, frame, std::span<const double>(values), nulls);

  std::vector<LinePoint> out;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const bool null = !means.nulls.empty() && means.nulls[i] != 0;
    out.push_back({points[order.rows()[i]].along, null ? std::nullopt : std::optional(means.values[i])});
  }
  return out;
}

LinesPicture::Chart chart_of(const PictureSource& source, const Member& member, Axis& axis, std::size_t value) {
  LinesPicture::Chart chart;
  chart.label = label_of(source, member);
  if (source.nested()) {
    chart.place = place_text(source.standings, source.cells, member.title);
    chart.total = ranked_text(source.standings, source.cells, member.title);
  }
  for (const std::size_t r : member.rows)
    if (const auto at = axis.at(r)) chart.points.push_back({*at, number_of(source.standings.value(r, value))});
  std::ranges::stable_sort(chart.points, {}, &LinePoint::along);
  chart.smooth = smoothed(source.options, chart.points);
  return chart;
}

// The column of numbers. Totals listed after the column along are those of the inner entries; outer totals come
// before it.
std::size_t value_beside(const PictureSource& source, std::size_t value, std::size_t along) {
  if (!source.options.value.empty() || !source.nested() || value > along) return value;
  for (std::size_t c = source.standings.columns().size(); c-- > along + 1;)
    if (source.column(c).role == Role::total && source.column(c).type.numeric() && of_innermost(source, c)) value = c;
  return value;
}

}  // namespace

LinesPicture lines_of(const PictureSource& source, std::vector<std::string>& foot) {
  LinesPicture out;
  const std::size_t first = value_column(source);
  const std::size_t along = along_column(source, first);
  const std::size_t value = value_beside(source, first, along);

  // What the axes are.
  const StandingColumn& axis_column = source.column(along);
  out.value_heading = printable(source.column(value).heading);
  out.along_heading = printable(axis_column.heading);
  out.free_scale = source.options.free_scale;
  out.kind = of_moments(axis_column) ? Along::dates : axis_column.type.numeric() ? Along::numbers : Along::texts;
  out.smooth_words = smooth_words(source.options, out.kind, axis_column.heading);

  // A chart for each.
  std::vector<Member> charts = members_of(source);
  const auto name_of = [&](std::size_t i) { return label_of(source, charts[i]); };
  charts.resize(drawn_of(source, charts.size(), "charts", name_of, foot));
  Axis axis(source, along);
  std::size_t most_points = 0;
  for (const Member& member : charts) {
    out.charts.push_back(chart_of(source, member, axis, value));
    most_points = std::max(most_points, out.charts.back().points.size());
  }
  out.texts = axis.texts();

  if (most_points < 2)
    refuse(Code::nothing_to_draw,
           "a line needs two points, and no chart has more than " + std::to_string(most_points) + " along `" +
               axis_column.heading + "`",
           source.nested() ? "a [[level]] of days or months inside, or picture.along = COLUMN"
                           : "each = [\"valley\", \"month\"] with within = [\"valley\"], or a [[level]] of days inside "
                             "each entry");
  return out;
}

}  // namespace lofty::report
