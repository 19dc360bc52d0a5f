// Standings on a terminal.

#include "lofty/listing.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "question/prose.hpp"
#include "report/bars.hpp"
#include "report/cells.hpp"
#include "report/fold.hpp"
#include "report/grid.hpp"
#include "report/names.hpp"
#include "report/width.hpp"

namespace lofty {

namespace {

using namespace report;
using engine::with_commas;

// A bar of eighths of a character: `part` of `width` columns, 0 <= part <= 1.
std::string bar_of(double part, int width) {
  static constexpr const char* eighths[] = {"",
                                            "\xE2\x96\x8F",
                                            "\xE2\x96\x8E",
                                            "\xE2\x96\x8D",
                                            "\xE2\x96\x8C",
                                            "\xE2\x96\x8B",
                                            "\xE2\x96\x8A",
                                            "\xE2\x96\x89"};
  auto units = static_cast<int>(std::lround(part * width * 8));
  if (units == 0 && part > 0) units = 1;  // a little is not nothing
  std::string out;
  for (int i = 0; i < units / 8; ++i) out += "\xE2\x96\x88";
  return out + eighths[units % 8];
}

class ListingText {
 public:
  ListingText(const Standings& standings, const Looks& looks) : s_(standings), looks_(looks), cells_(standings) {
    for (const StandingColumn& column : s_.columns()) sort_keys_ = std::max(sort_keys_, column.sort_position);
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      bool any = false;
      for (std::size_t r = 0; r < s_.rows() && !any; ++r) any = s_.tied(r, c);
      marks_ties_.push_back(any);
      any_tied_ = any_tied_ || any;
    }
    if (looks_.fold_ties) folded_ = folded_ties(s_);
    for (std::size_t r = 1; r < s_.rows(); ++r) several_in_a_group_ = several_in_a_group_ || !s_.starts_group(r);
  }

  std::string text() {
    std::string out;
    if (!s_.title().empty()) out += inked(printable(s_.title()), Ink::strong, looks_) + "\n";
    out += inked(wrapped(printable(s_.question()), looks_.width), Ink::quiet, looks_) + "\n\n";
    Grid grid;
    add_columns(grid);
    std::size_t summary = 0;
    for (std::size_t r = 0; r < s_.rows(); ++r) {
      add_row(grid, r);
      for (; summary < s_.summaries().size() && s_.summaries()[summary].after == r; ++summary)
        add_summary(grid, summary);
    }
    if (!pending_note_.empty()) {
      grid.rows.emplace_back();
      grid.gap_before.push_back(false);
      grid.note_before.push_back(std::exchange(pending_note_, {}));
    }
    Grid::Fitted fitted;
    out += grid.text(looks_, &fitted);
    return out + departed() + foot(fitted);
  }

 private:
  bool folded(std::size_t row) const { return !folded_.empty() && folded_[row] != 0; }

  // What names the entries is never left out, nor is what places go by.
  void add_columns(Grid& grid) {
    const std::size_t name = name_column(s_);
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      const StandingColumn& column = s_.columns()[c];
      std::string heading = printable(column.heading);
      if (column.sort_position > 0)
        heading += std::string(column.descending ? " \xE2\x86\x93" : " \xE2\x86\x91") +
                   (sort_keys_ > 1 ? std::to_string(column.sort_position) : "");
      if (marks_ties_[c]) heading += " ";  // above the tie mark
      int spare = 0;
      if (c != name && column.sort_position == 0 && column.role != Role::place && column.role != Role::group)
        spare = column.role == Role::label ? 4 : column.role == Role::cell || column.role == Role::measure ? 3 : 2;
      const bool number = column.type.numeric();
      grid.columns.push_back({heading, number && !(s_.levels() > 1 && column.role == Role::place), spare, !number});
      if (column.bar) {
        grid.columns.push_back({"", false, 5, false});
        scales_.emplace(c, BarScale(s_, c));
      }
    }
  }

  std::string bar(std::size_t row, std::size_t column) const {
    constexpr int width = 16;
    const std::optional<Bar> bar = scales_.at(column).bar(row);
    if (!bar) return {};
    if (!bar->negative) {
      const int left = static_cast<int>(std::lround(bar->from * width));
      return std::string(static_cast<std::size_t>(left), ' ') +
             bar_of(left < width ? (bar->to - bar->from) / (1 - bar->from) : 0, width - left);
    }
    const int left = static_cast<int>(std::lround(bar->to * width));
    const auto length =
        std::clamp(static_cast<int>(std::lround((bar->to - bar->from) / bar->to * left)), 1, std::max(left, 1));
    std::string out(static_cast<std::size_t>(std::max(left - length, 0)), ' ');
    for (int i = 0; i < length; ++i) out += "\xE2\x96\x92";
    return out;
  }

  void add_row(Grid& grid, std::size_t r) {
    if (folded(r)) {
      if (pending_note_.empty() && (r == 0 || !folded(r - 1)))
        pending_note_ = "(" + note_of_fold(s_, cells_, folded_, r) +
                        (looks_.fold_advice.empty() ? "" : "; " + looks_.fold_advice) + ")";
      return;
    }

    // The cells.
    std::vector<std::string> row;
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      const StandingColumn& column = s_.columns()[c];
      const bool repeated = column.role == Role::group && r > 0 && s_.starts_group(0) && !s_.starts_group(r);
      const bool another = s_.levels() > 1 && !s_.of_level(r, c);  // another level's: said above, or further in
      std::string text = repeated || another ? "" : cells_.text(r, c);
      if (s_.levels() > 1 && column.role == Role::place && !text.empty()) text.insert(0, 2 * s_.level(r), ' ');
      if (marks_ties_[c]) text += s_.tied(r, c) ? "=" : " ";
      row.push_back(std::move(text));
      if (column.bar) row.push_back(bar(r, c));
    }

    // What goes before the row.
    grid.rows.push_back(std::move(row));
    grid.gap_before.push_back(r > 0 && s_.starts_group(r) && several_in_a_group_);
    const std::size_t passed = s_.passed_over(r);
    std::string note = std::exchange(pending_note_, {});
    if (passed > 0) note += std::string(note.empty() ? "(" : "\n  (") + with_commas(passed) + " not shown)";
    grid.note_before.push_back(std::move(note));
  }

  void add_summary(Grid& grid, std::size_t at) {
    const SummaryLine& line = s_.summaries()[at];
    std::vector<std::string> cells;
    for (std::size_t c = 0; c < s_.columns().size(); ++c) {
      std::string text = is_null(line.values[c]) ? "" : cells_.of(c, line.values[c]);
      if (marks_ties_[c]) text += " ";
      cells.push_back(c == line.label_column ? printable(line.label) : std::move(text));
      if (s_.columns()[c].bar) cells.emplace_back();
    }
    grid.rows.push_back(std::move(cells));
    grid.gap_before.push_back(s_.levels() > 1 && line.level == 0 && (at == 0 || s_.summaries()[at - 1].level != 0));
    grid.note_before.push_back(std::exchange(pending_note_, {}));
  }

  std::string departed() const {
    return s_.departed().empty() ? std::string()
                                 : "\n" + wrapped("no longer listed: " + departed_text(s_), looks_.width, 2) + "\n";
  }

  std::string foot(const Grid::Fitted& fitted) const {
    std::string out =
        "\n" + inked(printable(s_.shown_of_total()) + (any_tied_ ? ";  = shares its place" : ""), Ink::quiet, looks_) +
        "\n";
    if (fitted.left_out.empty() && fitted.cut.empty()) return out;
    const auto names = [](const std::vector<std::string>& list) {
      std::string text;
      for (const std::string& one : list)
        text += (text.empty() ? "" : ", ") + one.substr(0, one.find_last_not_of(' ') + 1);
      return text;
    };
    std::string note = "to fit " + std::to_string(looks_.table_width) + " columns: ";
    if (!fitted.left_out.empty()) note += names(fitted.left_out) + " left out";
    if (!fitted.cut.empty())
      note += (fitted.left_out.empty() ? "" : "; ") + std::string("long texts of ") + names(fitted.cut) + " cut";
    return out +
           inked(wrapped(note + (looks_.cut_advice.empty() ? "" : " (" + looks_.cut_advice + ")"), looks_.width, 2),
                 Ink::quiet, looks_) +
           "\n";
  }

  const Standings& s_;
  const Looks& looks_;
  const CellTexts cells_;
  int sort_keys_ = 0;
  std::vector<bool> marks_ties_;  // by column: is a place in it shared?
  bool any_tied_ = false, several_in_a_group_ = false;
  std::vector<std::uint8_t> folded_;        // by row; empty: none
  std::map<std::size_t, BarScale> scales_;  // by column
  std::string pending_note_;
};

}  // namespace

std::string listing(const Standings& standings, const Looks& looks) { return ListingText(standings, looks).text(); }

std::string remarks_text(const std::vector<Remark>& remarks, const Looks& looks, Detail detail) {
  std::string out;
  if (detail == Detail::none) return out;
  for (const Remark& remark : remarks) {
    const std::string label = remark.code + ": ";
    std::string body = wrapped(label + printable(remark.sentence), looks.width, 2);
    if (detail == Detail::brief && body.find('\n') != std::string::npos) {
      body = wrapped(label + printable(remark.sentence), looks.width - 3, 2);
      body = body.substr(0, body.find('\n')) + " ..";
    }
    out += inked(body.substr(0, label.size()), Ink::warn, looks) + body.substr(label.size()) + "\n";
  }
  return out;
}

std::string comparison_text(const Comparison& c, const std::string& expected, const Looks& looks) {
  const auto number = [](std::size_t n, const char* noun) {
    return Decimal(static_cast<int128>(n), 0).grouped_text() + " " + noun + (n == 1 ? "" : "s");
  };
  if (c.equal())
    return inked("as expected: " + number(c.rows, "row") + ", " + number(c.columns.size(), "column") + " of " +
                     printable(expected),
                 Ink::strong, looks) +
           "\n";

  // What differs, and what is on one side only.
  std::string out = inked("not as expected in " + printable(expected) + ":", Ink::warn, looks) + "\n";
  const auto line = [&](const std::string& text) { out += "  " + wrapped(printable(text), looks.width - 2, 4) + "\n"; };
  const auto shown = [](const Value& value) { return is_null(value) ? std::string("nothing") : to_text(value); };
  if (c.differs)
    line("`" + c.differs->column + "` of " + c.differs->entry + " is " + shown(c.differs->found) + ", expected " +
         shown(c.differs->expected) +
         (c.differing > 1
              ? "; " + number(c.differing - 1, "cell") + " more " + (c.differing == 2 ? "differs" : "differ")
              : ""));
  const auto names = [&](const std::vector<std::string>& list, const char* what) {
    if (list.empty()) return;
    std::string text = what;
    for (std::size_t i = 0; i < std::min<std::size_t>(list.size(), 5); ++i) text += (i > 0 ? ", " : " ") + list[i];
    if (list.size() > 5) text += " and " + number(list.size() - 5, "other");
    line(text);
  };
  names(c.missing, "missing:");
  names(c.extra, "not expected:");
  if (c.out_of_order) line("in another order: " + *c.out_of_order + " is listed too early");
  return out;
}

}  // namespace lofty
