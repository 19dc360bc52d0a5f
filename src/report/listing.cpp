#include "lofty/listing.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "report/width.hpp"

namespace lofty {

namespace {

using namespace report;

// Places are shown as whole numbers, unless one of them is a half.
bool any_half(const Standings& s, std::size_t column) {
  for (std::size_t r = 0; r < s.rows(); ++r)
    if (const Value place = s.value(r, column); !is_null(place) && std::get<Decimal>(place).coefficient() % 10 != 0)
      return true;
  return false;
}

// Decimals to show: all of them where they are few; of quotients as many as tell neighbouring values apart.
int decimals_shown(const Standings& s, std::size_t column) {
  const int scale = s.columns()[column].type.scale;
  if (s.columns()[column].role == Role::place) return any_half(s, column) ? 1 : 0;
  if (scale <= 4) return scale;
  for (int decimals = 2; decimals < scale; ++decimals) {
    bool clear = true;
    for (std::size_t r = 0; r + 1 < s.rows() && clear; ++r) {
      const Value a = s.value(r, column), b = s.value(r + 1, column);
      if (is_null(a) || is_null(b)) continue;
      const Decimal &x = std::get<Decimal>(a), &y = std::get<Decimal>(b);
      clear = x == y || x.rescaled(decimals) != y.rescaled(decimals);
    }
    if (clear) return decimals;
  }
  return scale;
}

std::string float_text(double value) {
  const double size = std::fabs(value);
  if (value == 0 || (size >= 1e-4 && size < 1e15)) {
    char buffer[64];
    const auto digits = size >= 1e6 ? std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, 1)
                                    : std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::general, 6);
    const std::string text(buffer, digits.ptr);
    const auto exact = Decimal::parse(text);
    return exact ? exact->grouped_text() : text;
  }
  return to_text(value);
}

std::string cell_text(const StandingColumn& c, const Value& value, int decimals) {
  if (is_null(value))
    return c.role == Role::place || c.role == Role::measure || c.role == Role::cell ? "\xE2\x80\x93" : "(none)";
  if (const auto* number = std::get_if<Decimal>(&value)) {
    if (c.role == Role::place) return number->rescaled(decimals)->text();
    const Decimal rounded = number->rescaled(decimals).value_or(*number);
    // Numbers that count or measure are grouped for the eye; ids are not numbers in that sense.
    return c.role == Role::total || c.role == Role::cell || c.type.kind == Kind::decimal ? rounded.grouped_text()
                                                                                         : rounded.text();
  }
  if (const auto* number = std::get_if<double>(&value)) return float_text(*number);
  return printable(to_text(value, c.type));
}

}  // namespace

std::string listing(const Standings& s, const Looks& looks) {
  std::string out;
  if (!s.title().empty()) out += inked(printable(s.title()), Ink::strong, looks) + "\n";
  out += inked(wrapped(printable(s.question()), looks.width), Ink::quiet, looks) + "\n\n";
  const std::size_t width = s.columns().size();
  int sort_keys = 0;
  for (const StandingColumn& column : s.columns()) sort_keys = std::max(sort_keys, column.sort_position);
  // Ordinal places are never shared, whatever ties.
  const auto shared = [&](const StandingColumn& column) {
    return column.role == Role::place && column.ties != Ties::ordinal;
  };
  bool any_tied = false;
  for (std::size_t c = 0; c < width; ++c)
    for (std::size_t r = 0; r < s.rows() && shared(s.columns()[c]); ++r) any_tied = any_tied || s.tied(r, c);
  Grid grid;
  std::vector<int> decimals;
  for (std::size_t c = 0; c < width; ++c) {
    const StandingColumn& column = s.columns()[c];
    std::string heading = printable(column.heading);
    if (column.sort_position > 0)
      heading += std::string(column.descending ? " \xE2\x86\x93" : " \xE2\x86\x91") +
                 (sort_keys > 1 ? std::to_string(column.sort_position) : "");
    if (shared(column) && any_tied) heading += " ";  // above the tie mark
    grid.columns.push_back({heading, column.type.numeric() && !(s.levels() > 1 && column.role == Role::place)});
    decimals.push_back(column.type.kind == Kind::decimal ? decimals_shown(s, c) : 0);
  }
  std::size_t summary = 0;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    std::vector<std::string> row;
    for (std::size_t c = 0; c < width; ++c) {
      const StandingColumn& column = s.columns()[c];
      const bool repeated = column.role == Role::group && r > 0 && s.starts_group(0) && !s.starts_group(r);
      const bool another = s.levels() > 1 && !s.of_level(r, c);  // another level's: said above, or further in
      std::string text = repeated || another ? "" : cell_text(column, s.value(r, c), decimals[c]);
      if (s.levels() > 1 && column.role == Role::place && !text.empty()) text.insert(0, 2 * s.level(r), ' ');
      if (shared(column) && any_tied) text += s.tied(r, c) ? "=" : " ";
      row.push_back(std::move(text));
    }
    grid.rows.push_back(std::move(row));
    grid.gap_before.push_back(r > 0 && s.starts_group(r));
    const std::size_t passed = s.passed_over(r);
    grid.note_before.push_back(
        passed == 0 ? "" : "\xE2\x8B\xAE " + Decimal(static_cast<int128>(passed), 0).grouped_text() + " in between");
    for (; summary < s.summaries().size() && s.summaries()[summary].behind == r; ++summary) {
      const SummaryLine& line = s.summaries()[summary];
      std::vector<std::string> cells;
      for (std::size_t c = 0; c < width; ++c) {
        std::string text = is_null(line.values[c]) ? "" : cell_text(s.columns()[c], line.values[c], decimals[c]);
        if (shared(s.columns()[c]) && any_tied) text += " ";
        cells.push_back(c == line.label_column ? printable(line.label) : std::move(text));
      }
      grid.rows.push_back(std::move(cells));
      grid.gap_before.push_back(s.levels() > 1 && line.level == 0 &&
                                (summary == 0 || s.summaries()[summary - 1].level != 0));
      grid.note_before.emplace_back();
    }
  }
  out += grid.text(looks);
  if (!s.departed().empty()) {
    std::string gone = "no longer listed:";
    for (const Departed& one : s.departed())
      gone += (&one == &s.departed().front() ? " " : ", ") + one.name + " (was " + to_text(one.was) +
              (is_null(one.now) ? ", now without a place)" : ", now " + to_text(one.now) + ")");
    out += "\n" + wrapped(printable(gone), looks.width, 2) + "\n";
  }
  out += "\n" + inked(printable(s.shown_of_total()) + (any_tied ? ";  = shares its place" : ""), Ink::quiet, looks) + "\n";
  return out;
}

std::string accounting_text(const Standings& s, const Looks& looks) {
  const Accounting& a = s.accounting();
  const auto number = [](std::size_t n) { return Decimal(static_cast<int128>(n), 0).grouped_text(); };
  std::string text = "rows: " + number(a.read) + " read";
  for (const Accounting::Joined& join : a.joins) {
    if (join.left_out > 0) text += ", " + number(join.left_out) + " without a partner left out";
    if (join.more > 0) text += ", " + number(join.more) + " more by several partners";
    if (join.added > 0) text += ", " + number(join.added) + " added from " + join.table;
  }
  if (a.left_out > 0) text += ", " + number(a.left_out) + " left out";
  if (a.unknown > 0) text += ", " + number(a.unknown) + " unknown";
  text += ", " + number(a.counted) + " count; entries: " + number(a.entries);
  if (a.dropped > 0) text += ", " + number(a.dropped) + " dropped";
  if (a.dropped_unknown > 0) text += ", " + number(a.dropped_unknown) + " dropped as unknown";
  if (a.groups > 1) text += " in " + number(a.groups) + " groups";
  if (a.ranked + a.unranked > 0) text += ", " + number(a.ranked) + " ranked";
  if (a.unranked > 0) text += ", " + number(a.unranked) + " unranked";
  if (a.ineligible > 0) text += " (" + number(a.ineligible) + " not eligible)";
  if (a.not_kept > 0) text += ", " + number(a.not_kept) + " not kept";
  text += ", " + number(a.listed) + " listed";
  return inked(wrapped(printable(text), looks.width, 2), Ink::quiet, looks) + "\n";
}

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
    return inked(
               "as expected: " + number(c.rows, "row") + ", " + number(c.columns.size(), "column") + " of " +
                   printable(expected),
               Ink::strong, looks) +
           "\n";
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
  if (c.out_of_order) line("in another order: " + *c.out_of_order + " stands too early");
  return out;
}

}  // namespace lofty
