// What pictures show, from an answer.
// Covered by tests/report/picture_test.cpp.

#include "lofty/picture.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "lofty/order.hpp"
#include "lofty/window.hpp"
#include "question/prose.hpp"
#include "report/cells.hpp"
#include "report/names.hpp"
#include "report/width.hpp"
#include "table/nearest.hpp"

namespace lofty {
namespace {

using namespace report;
using engine::with_commas;

constexpr std::size_t most_entries = 60;  // more do not fit a page
constexpr const char* kind_names[] = {"bars", "lines", "movement", "shares"};

[[noreturn]] void fail(Code code, std::string sentence, std::string advice, std::string nearest = {}) {
  throw Error(Problem{code, std::move(sentence), {}, std::move(nearest), std::move(advice)});
}

class PictureMaker {
 public:
  PictureMaker(const Standings& standings, const PictureOptions& options)
      : s_(standings), o_(options), cells_(standings) {
    picture_.title = printable(s_.title());
    picture_.question = printable(s_.question());
  }

  Picture make(PictureKind kind) {
    if (s_.rows() == 0) fail(Code::nothing_to_draw, "there is nothing to draw: the answer has no rows", {});
    picture_.foot.push_back(printable(s_.shown_of_total()));
    switch (kind) {
      case PictureKind::bars: picture_.content = bars(); break;
      case PictureKind::lines: picture_.content = lines(); break;
      case PictureKind::movement: picture_.content = movement(); break;
      case PictureKind::shares: picture_.content = shares(); break;
    }
    return std::move(picture_);
  }

 private:
  std::size_t columns() const { return s_.columns().size(); }
  const StandingColumn& column(std::size_t c) const { return s_.columns()[c]; }
  std::size_t innermost() const { return s_.levels() - 1; }
  bool of_innermost(std::size_t c) const {
    for (std::size_t r = 0; r < s_.rows(); ++r)
      if (s_.level(r) == innermost()) return s_.of_level(r, c);
    return false;
  }

  std::size_t named(const std::string& name) const {
    std::vector<std::string> names;
    for (std::size_t c = 0; c < columns(); ++c) {
      if (column(c).name == name || column(c).heading == name) return c;
      names.push_back(column(c).name);
    }
    fail(Code::unknown_column, "no listed column is called `" + name + "`", {}, engine::nearest_word(name, names));
  }

  template <class Fits>
  std::optional<std::size_t> first_column(const Fits& fits) const {
    for (std::size_t c = 0; c < columns(); ++c)
      if (fits(column(c)) && of_innermost(c)) return c;
    return std::nullopt;
  }

  // The column of numbers that bars and lines show.
  std::size_t value_column() const {
    if (!o_.value.empty()) {
      const std::size_t c = named(o_.value);
      if (!column(c).type.numeric())
        fail(Code::wrong_type,
             "`" + o_.value + "` holds values of type " + kind_name(column(c).type.kind) +
                 ", and a picture needs numbers",
             {});
      return c;
    }
    const auto is = [](Role role) {
      return [role](const StandingColumn& c) { return c.role == role && c.type.numeric(); };
    };
    const auto ranked_by = first_column([](const StandingColumn& c) {
      return c.sort_position == 1 && c.type.numeric() && c.role != Role::place && c.role != Role::key;
    });
    if (ranked_by) return *ranked_by;
    for (const Role role : {Role::total, Role::measure, Role::cell, Role::label})
      if (const auto c = first_column(is(role))) return *c;
    fail(Code::missing_key, "no listed column holds numbers to draw", "a total in list.columns, or --value COLUMN");
  }

  // How many of `count` entries are drawn; the others are named.
  std::size_t drawn_of(std::size_t count, const char* what, const auto& name_of) {
    if (!o_.at_most && count > most_entries)
      fail(Code::bad_value,
           "a picture shows at most " + std::to_string(most_entries) + " " + what + ", and this answer has " +
               with_commas(count),
           "--best 30 asks for fewer; --at-most 30 draws the first 30 and names the others");
    const std::size_t drawn = std::min(count, o_.at_most.value_or(count));
    if (drawn < count) {
      std::string names;
      constexpr std::size_t most_named = 12;
      for (std::size_t i = drawn; i < std::min(count, drawn + most_named); ++i)
        names += (names.empty() ? "" : ", ") + name_of(i);
      if (count - drawn > most_named) names += " and " + with_commas(count - drawn - most_named) + " more";
      picture_.foot.push_back("Not drawn: " + names + ".");
    }
    return drawn;
  }

  // The names of the entries that a row is inside of, outermost first.
  std::vector<std::size_t> outer_rows(std::size_t row) const {
    std::vector<std::size_t> rows;
    for (std::size_t r = row, level = s_.level(row); level > 0 && r-- > 0;)
      if (s_.level(r) < level) {
        level = s_.level(r);
        rows.insert(rows.begin(), r);
      }
    return rows;
  }

  std::string heading_of_group(std::size_t row) const {
    std::string heading;
    if (s_.levels() > 1) {
      for (const std::size_t outer : outer_rows(row)) {
        heading += (heading.empty() ? "" : "  \xE2\x80\xBA  ") + place_text(s_, cells_, outer) + " " +
                   row_name(s_, cells_, outer) + "  " + ranked_text(s_, cells_, outer);
      }
      return heading;
    }
    for (std::size_t c = 0; c < columns() && s_.starts_group(0); ++c)
      if (column(c).role == Role::group) heading += (heading.empty() ? "" : ", ") + cells_.text(row, c);
    return heading;
  }

  BarsPicture bars() {
    BarsPicture out;
    const std::size_t value = value_column();
    out.value_heading = printable(column(value).heading);
    std::vector<std::size_t> rows;  // the entries of the innermost level
    for (std::size_t r = 0; r < s_.rows(); ++r)
      if (s_.level(r) == innermost()) rows.push_back(r);
    if (rows.empty())
      fail(Code::nothing_to_draw, "there is nothing to draw: no level has entries inside the one outside it", {});
    rows.resize(drawn_of(rows.size(), "entries", [&](std::size_t i) { return row_name(s_, cells_, rows[i]); }));

    std::size_t summary = 0, tie = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const std::size_t r = rows[i];
      const bool new_group =
          out.groups.empty() || (s_.levels() > 1 ? outer_rows(r) != outer_rows(rows[i - 1]) : s_.starts_group(r));
      if (new_group) out.groups.push_back({heading_of_group(r), {}});
      std::vector<BarsPicture::Bar>& bars = out.groups.back().bars;
      BarsPicture::Bar bar{row_name(s_, cells_, r),
                           place_text(s_, cells_, r),
                           cells_.text(r, value),
                           number_of(s_.value(r, value)),
                           false,
                           0};
      // Neighbours on one place are bracketed.
      if (!new_group && s_.tied(r) && s_.tied(rows[i - 1]) && bars.back().place == bar.place && s_.ranked(r)) {
        if (bars.back().tie == 0) bars.back().tie = ++tie;
        bar.tie = bars.back().tie;
      }
      bars.push_back(std::move(bar));
      // The line for the entries that are not listed.
      while (summary < s_.summaries().size() && s_.summaries()[summary].behind < r) ++summary;
      for (; summary < s_.summaries().size() && s_.summaries()[summary].behind == r; ++summary) {
        const SummaryLine& line = s_.summaries()[summary];
        if (line.of != SummaryLine::Of::others || line.level != innermost() || is_null(line.values[value])) continue;
        out.groups.back().bars.push_back(
            {printable(line.label), "", cells_.of(value, line.values[value]), number_of(line.values[value]), true, 0});
      }
    }

    for (const auto& [name, number] : o_.references) {
      const auto at = number_of(number);
      if (!at) fail(Code::wrong_type, "`" + to_text(number) + "` is not a number", {});
      const std::vector<WouldStand> groups = s_.where_would(name, number);
      std::string label = cells_.of(value, number);
      if (groups.size() == 1) {
        const double place = groups.front().standing.place(s_.ties());
        label += " would take place " + to_text(place);
      }
      out.references.push_back({label, *at});
    }
    return out;
  }

  // The column from left to right.
  std::size_t along_column(std::size_t value) const {
    if (!o_.along.empty()) {
      const std::size_t c = named(o_.along);
      if (column(c).type.kind == Kind::boolean)
        fail(Code::wrong_type, "`" + o_.along + "` is true or false, which is no order to draw along", {});
      return c;
    }
    const auto date = first_column(
        [](const StandingColumn& c) { return c.type.kind == Kind::date || c.type.kind == Kind::timestamp; });
    if (date) return *date;
    const auto key = [&](bool numeric) {
      return first_column([&](const StandingColumn& c) {
        return c.role == Role::key && c.type.numeric() == numeric && &c != &column(value);
      });
    };
    if (const auto c = key(true)) return *c;
    if (const auto c = key(false)) return *c;
    fail(Code::missing_key, "no listed column says what is drawn from left to right",
         "a date in list.columns, or --along COLUMN");
  }

  // What is drawn from left to right, as numbers that draw themselves: days for moments, and texts by their first
  // meeting.
  class Axis {
   public:
    Axis(const Standings& s, const CellTexts& cells, std::size_t column) : s_(s), cells_(cells), column_(column) {}
    std::optional<double> at(std::size_t row) {
      const Value value = s_.value(row, column_);
      if (is_null(value)) return std::nullopt;
      if (const auto* const date = std::get_if<Date>(&value)) return date->days;
      if (const auto* const moment = std::get_if<Timestamp>(&value))
        return static_cast<double>(moment->microseconds) / 86'400e6;
      if (const auto number = number_of(value)) return number;
      const auto [entry, is_new] = numbers_.emplace(to_text(value), static_cast<double>(numbers_.size()));
      if (is_new) texts_.push_back(cells_.text(row, column_));
      return entry->second;
    }
    const std::vector<std::string>& texts() const { return texts_; }

   private:
    const Standings& s_;
    const CellTexts& cells_;
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
  std::vector<Member> members() const {
    std::vector<Member> charts;
    for (std::size_t r = 0; r < s_.rows(); ++r) {
      const bool begins =
          nested() ? s_.level(r) + 1 == innermost() : charts.empty() || (grouped() && s_.starts_group(r));
      if (begins) charts.push_back({r, {}});
      if (s_.level(r) == innermost() && !charts.empty()) charts.back().rows.push_back(r);
    }
    return charts;
  }
  bool nested() const { return s_.levels() > 1; }
  bool grouped() const { return !nested() && s_.starts_group(0); }

  std::string label_of(const Member& chart) const {
    if (!nested()) return grouped() ? heading_of_group(chart.title) : std::string();
    std::string label;
    for (const std::size_t outer : outer_rows(chart.title)) label += row_name(s_, cells_, outer) + "  \xE2\x80\xBA  ";
    return label + row_name(s_, cells_, chart.title);
  }

  LinesPicture::Chart chart_of(const Member& member, Axis& axis, std::size_t value) const {
    LinesPicture::Chart chart;
    chart.label = label_of(member);
    if (nested()) {
      chart.place = place_text(s_, cells_, member.title);
      chart.total = ranked_text(s_, cells_, member.title);
    }
    for (const std::size_t r : member.rows)
      if (const auto at = axis.at(r)) chart.points.push_back({*at, number_of(s_.value(r, value))});
    std::stable_sort(chart.points.begin(), chart.points.end(),
                     [](const auto& a, const auto& b) { return a.along < b.along; });
    chart.smooth = smoothed(chart.points);
    return chart;
  }

  // How the lines are smoothed, in words; empty: they are not.
  std::string smooth_words(LinesPicture::Along kind, const std::string& along) const {
    if (o_.smooth_rows > 0 && o_.smooth_days > 0)
      fail(Code::bad_value, "a line is smoothed over rows or over days, not both", {});
    if (o_.smooth_days > 0 && kind != LinesPicture::Along::dates)
      fail(Code::wrong_type, "`" + along + "` does not hold dates, so there are no days to smooth over",
           "--smooth 7 smooths over 7 rows");
    if (o_.smooth_rows > 0) return "mean of the last " + std::to_string(o_.smooth_rows);
    return o_.smooth_days > 0 ? "mean of the last " + std::to_string(o_.smooth_days) + " days" : std::string();
  }

  LinesPicture lines() {
    LinesPicture out;
    std::size_t value = value_column();
    const std::size_t along = along_column(value);
    // What is listed after the column along is what the inner entries are about; outer totals are before it.
    for (std::size_t c = along + 1; c < columns() && o_.value.empty() && nested() && value < along; ++c)
      if (column(c).role == Role::total && column(c).type.numeric() && of_innermost(c)) value = c;

    const Kind kind = column(along).type.kind;
    out.value_heading = printable(column(value).heading);
    out.along_heading = printable(column(along).heading);
    out.free_scale = o_.free_scale;
    out.kind = kind == Kind::date || kind == Kind::timestamp ? LinesPicture::Along::dates
               : column(along).type.numeric()                ? LinesPicture::Along::numbers
                                                             : LinesPicture::Along::texts;
    out.smooth_words = smooth_words(out.kind, column(along).heading);

    std::vector<Member> charts = members();
    charts.resize(drawn_of(charts.size(), "charts", [&](std::size_t i) { return label_of(charts[i]); }));
    Axis axis(s_, cells_, along);
    std::size_t most_points = 0;
    for (const Member& member : charts) {
      out.charts.push_back(chart_of(member, axis, value));
      most_points = std::max(most_points, out.charts.back().points.size());
    }
    out.texts = axis.texts();
    if (most_points < 2)
      fail(Code::nothing_to_draw,
           "a line needs two points, and no chart has more than " + std::to_string(most_points) + " along `" +
               column(along).heading + "`",
           nested() ? "a [[level]] of days or months inside, or --along COLUMN"
                    : "each = [\"valley\", \"month\"] with within = [\"valley\"], or a [[level]] of days inside "
                      "each entry");
    return out;
  }

  // The moving average, by the engine's own windows.
  std::vector<LinesPicture::Point> smoothed(const std::vector<LinesPicture::Point>& points) const {
    if ((o_.smooth_rows == 0 && o_.smooth_days == 0) || points.empty()) return {};
    std::vector<double> along, values;
    std::vector<std::uint8_t> nulls;
    for (const LinesPicture::Point& point : points) {
      along.push_back(o_.smooth_days > 0 ? std::floor(point.along) : point.along);
      values.push_back(point.value.value_or(0));
      nulls.push_back(!point.value);
    }
    const Order order = lofty::order({ascending(along)});
    Frame frame = last_rows(static_cast<std::int64_t>(std::max<std::size_t>(o_.smooth_rows, 1)));
    if (o_.smooth_days > 0)
      frame = {.unit = FrameUnit::range,
               .from = preceding(static_cast<std::int64_t>(o_.smooth_days) - 1),
               .by = ascending(along)};
    const Windowed<double> means = frame_means(order, frame, std::span<const double>(values), nulls);
    std::vector<LinesPicture::Point> out;
    for (std::size_t i = 0; i < points.size(); ++i) {
      const std::uint32_t row = order.rows()[i];
      const bool null = !means.nulls.empty() && means.nulls[i] != 0;
      out.push_back({points[row].along, null ? std::nullopt : std::optional(means.values[i])});
    }
    return out;
  }

  MovementPicture movement() {
    using Moved = MovementPicture::Moved;
    MovementPicture out;
    // `was` of a comparison first, then the place columns in their order.
    std::vector<std::size_t> times;
    for (std::size_t c = 0; c < columns(); ++c)
      if (column(c).role == Role::measure && column(c).name == "was") times.push_back(c);
    const bool compared = !times.empty();
    for (std::size_t c = 0; c < columns(); ++c)
      if (column(c).role == Role::place) times.push_back(c);
    if (times.size() < 2)
      fail(Code::missing_key,
           "a movement needs places at two times, and this answer lists " + std::string(times.empty() ? "none" : "one"),
           times.empty() ? "by = \"spend desc\" under [rank]"
                         : "[compare] with the columns was and rank, or a further place in rank.also");
    // With a comparison the first place alone is the present one; further ones are other orders, not other times.
    if (compared) times.resize(2);
    for (const std::size_t c : times) out.times.push_back(printable(column(c).heading));

    std::vector<std::size_t> rows;
    for (std::size_t r = 0; r < s_.rows(); ++r)
      if (s_.level(r) == 0) rows.push_back(r);
    rows.resize(drawn_of(rows.size(), "entries", [&](std::size_t i) { return row_name(s_, cells_, rows[i]); }));
    for (const std::size_t r : rows) {
      MovementPicture::Line line;
      line.label = row_name(s_, cells_, r);
      for (const std::size_t c : times) {
        const auto place = number_of(s_.value(r, c));
        line.places.push_back(place);
        line.texts.push_back(place ? cells_.text(r, c) + (s_.tied(r, c) ? "=" : "") : "");
      }
      const auto& first = line.places.front();
      const auto& last = line.places.back();
      line.moved = !first && last   ? Moved::came
                   : first && !last ? Moved::left
                   : !first         ? Moved::stayed
                   : *last < *first ? Moved::up
                   : *last > *first ? Moved::down
                                    : Moved::stayed;
      if (line.moved == Moved::left) line.note = "no place now";
      if (std::any_of(line.places.begin(), line.places.end(), [](const auto& place) { return place.has_value(); }))
        out.lines.push_back(std::move(line));
    }
    for (const Departed& gone : s_.departed()) {
      if (!compared || is_null(gone.was)) continue;
      // Names are in backticks there, as in sentences.
      std::string name = gone.name;
      if (name.size() > 1 && name.front() == '`' && name.back() == '`') name = name.substr(1, name.size() - 2);
      MovementPicture::Line line{
          printable(name), {number_of(gone.was), std::nullopt}, {to_text(gone.was), ""}, Moved::left, ""};
      line.note = is_null(gone.now) ? "no place now" : "now " + to_text(gone.now);
      out.lines.push_back(std::move(line));
    }
    if (out.lines.empty()) fail(Code::nothing_to_draw, "there is nothing to draw: no entry has a place", {});
    if (out.lines.size() > most_entries + 20)
      fail(Code::bad_value,
           "a movement shows at most " + std::to_string(most_entries + 20) +
               " entries with those that left, and this one has " + with_commas(out.lines.size()),
           "--best 20 asks for fewer");
    return out;
  }

  SharesPicture shares() {
    SharesPicture out;
    if (s_.levels() > 1 || (s_.rows() > 0 && s_.starts_group(0) && s_.accounting().groups > 1))
      fail(Code::bad_value,
           "shares are drawn of one ranking, and this ladder has " + std::string(s_.levels() > 1 ? "levels" : "groups"),
           "the same ladder without within, or of one level");
    std::optional<std::size_t> share;
    if (!o_.value.empty()) share = named(o_.value);
    for (std::size_t c = 0; c < columns() && !share; ++c)
      if (column(c).role == Role::measure && column(c).measure == Measure::running_share) share = c;
    if (!share)
      fail(Code::missing_key, "no listed column holds a running share",
           "also = { so_far = { running_share = \"spend\" } } under [rank], and so_far in list.columns");
    if (const double mark = o_.mark.to_double(); !(mark > 0) || mark > 1)
      fail(Code::bad_value, "a mark is a share, more than 0 and at most 1", "--mark 0.8");
    out.share_heading = printable(column(*share).heading);
    out.mark = o_.mark.to_double();
    out.mark_text = o_.mark.text();
    out.ranked = s_.accounting().ranked;

    std::vector<double> values;
    std::vector<std::size_t> rows;
    for (std::size_t r = 0; r < s_.rows(); ++r) {
      if (s_.passed_over(r) > 0) break;  // the worst after the best: the entries in between are not listed
      const auto number = number_of(s_.value(r, *share));
      if (!number) continue;
      if (*number < 0 || *number > 1 + 1e-9 || (!values.empty() && *number < values.back()))
        fail(Code::wrong_type,
             "`" + column(*share).heading + "` is not a running share: it goes from " +
                 (values.empty() ? "0" : to_text(values.back())) + " to " + to_text(*number),
             "a column that grows from 0 to 1 as the listing goes on, listed by its places");
      values.push_back(*number);
      rows.push_back(r);
    }
    if (rows.empty()) fail(Code::nothing_to_draw, "there is nothing to draw: no entry has a share", {});
    for (std::size_t i = 0; i < rows.size();) {
      std::size_t end = i + 1;
      while (end < rows.size() && s_.tied(rows[end]) && s_.tied(rows[i]) && values[end] == values[i]) ++end;
      out.steps.push_back({row_name(s_, cells_, rows[i]), end, end - i, values[i], cells_.text(rows[i], *share)});
      // Compared exactly where the shares are exact.
      const Value exact = s_.value(rows[i], *share);
      const auto* const decimal = std::get_if<Decimal>(&exact);
      const bool reaches = decimal != nullptr ? *decimal >= o_.mark : values[i] >= out.mark;
      if (!out.reached && reaches) out.reached = out.steps.size() - 1;
      i = end;
    }
    if (out.reached) {
      SharesPicture::Step& step = out.steps[*out.reached];
      if (!column(*share).format) step.text = percent(step.share);
    } else {
      picture_.foot.push_back("The listed entries do not reach " + percent(out.mark) + ": they bring " +
                              percent(out.steps.back().share) + ".");
    }
    return out;
  }

  static std::string percent(double share) {
    const auto rounded = Decimal(static_cast<int128>(std::llround(share * 1000)), 1);
    return rounded.text() + " %";
  }

  const Standings& s_;
  const PictureOptions& o_;
  const CellTexts cells_;
  Picture picture_;
};

}  // namespace

const char* picture_kind_name(PictureKind kind) { return kind_names[static_cast<std::size_t>(kind)]; }

std::optional<PictureKind> picture_kind_from(std::string_view name) {
  for (std::size_t k = 0; k < std::size(kind_names); ++k)
    if (name == kind_names[k]) return static_cast<PictureKind>(k);
  return std::nullopt;
}

Picture picture_of(const Standings& standings, PictureKind kind, const PictureOptions& options) {
  return PictureMaker(standings, options).make(kind);
}

}  // namespace lofty
