#include <algorithm>

#include "lofty/listing.hpp"
#include "report/grid.hpp"
#include "report/width.hpp"

namespace lofty {

using namespace report;

namespace {

std::string shown(const Value& value, const Type& type = {}) {
  if (is_null(value)) return "(none)";
  const auto* const number = std::get_if<Decimal>(&value);
  return number != nullptr ? number->grouped_text() : printable(to_text(value, type));
}

std::string count_text(std::size_t count, const char* one, const char* many) {
  return Decimal(static_cast<int128>(count), 0).grouped_text() + " " + (count == 1 ? one : many);
}

std::string joined(const std::vector<std::string>& names, std::size_t most) {
  std::string out;
  for (std::size_t i = 0; i < std::min(names.size(), most); ++i) out += (i > 0 ? ", " : "") + printable(names[i]);
  if (names.size() > most) out += " and " + count_text(names.size() - most, "other", "others");
  return out;
}

}  // namespace

std::string workings_text(const Workings& w, std::size_t most_lines, const Looks& looks) {
  std::string out;
  const auto heading = [&](const std::string& text) { out += "\n" + inked(text, Ink::strong, looks) + "\n"; };
  const auto line = [&](const std::string& text) { out += "  " + wrapped(text, looks.width - 2, 4) + "\n"; };
  std::string keys, group;
  for (const Workings::Named& key : w.keys)
    keys += (keys.empty() ? "" : ", ") + key.name + " " + to_text(key.value, key.type);
  for (const Workings::Named& key : w.group)
    group += (group.empty() ? "" : ", ") + key.name + " " + shown(key.value, key.type);
  out += inked(printable(w.entry), Ink::strong, looks);
  if (!keys.empty() && w.entry != keys) out += "  " + inked("(" + printable(keys) + ")", Ink::quiet, looks);
  out += "\n";

  heading("Its place");
  if (!w.without_place.empty()) {
    line("none, because " + printable(w.without_place));
  } else if (!w.by.empty()) {
    line("place " + shown(w.place) + " of " + count_text(w.ranked, "ranked entry", "ranked entries") +
         (group.empty() ? "" : " in " + printable(group)) + ", by `" + printable(w.by) + "` " +
         shown(w.value, w.by_type));
    if (!w.equal.empty()) line("equal to " + joined(w.equal, 5) + " on everything that places go by");
    const auto neighbour = [&](const char* way, const Workings::Neighbour& n) {
      line(std::string(way) + " place " + shown(n.place) + ", " + printable(n.entry) + ", has " +
           shown(n.value, w.by_type) + (n.margin ? ": " + shown(*n.margin) + " apart" : "") +
           (n.decided_by == w.by || n.decided_by.empty() ? "" : "; decided by `" + printable(n.decided_by) + "`"));
    };
    if (w.ahead) neighbour("ahead:", *w.ahead);
    if (w.behind) neighbour("behind:", *w.behind);
  } else {
    line("nothing is ranked");
  }

  if (!w.windows.empty()) {
    heading("Beside the others");
    for (const Workings::WindowValue& window : w.windows)
      line("`" + printable(window.name) + "` = " + printable(window.formula) + " = " +
           shown(window.value, window.type));
  }

  if (!w.figures.empty()) {
    heading("Its figures");
    for (const Workings::WindowValue& figure : w.figures)
      line("`" + printable(figure.name) + "` = " + printable(figure.formula) + " = " +
           shown(figure.value, figure.type));
  }

  if (!w.totals.empty()) heading("Its totals");
  for (const Workings::Total& total : w.totals) {
    const bool plain = total.parts.size() == 1 && total.parts[0].formula == total.formula;
    line("`" + printable(total.name) + "` = " + printable(total.formula) + " = " + shown(total.value, total.type) +
         (plain ? ", from " + count_text(total.parts[0].rows, "row", "rows") : ""));
    if (plain) continue;
    for (const Workings::Part& part : total.parts)
      out += "    " +
             wrapped(printable(part.formula) + " = " + shown(part.value, part.type) + ", from " +
                         count_text(part.rows, "row", "rows"),
                     looks.width - 4, 6) +
             "\n";
  }

  const bool is_row = w.keys.empty();  // it is its only row
  heading(is_row ? "Its row" : "Its rows");
  if (is_row)
    line(w.lines.rows() == 0 ? "it does not count" : "it counts");
  else
    line(count_text(w.rows, "row belongs", "rows belong") + " to it, " + count_text(w.lines.rows(), "counts", "count"));
  for (const Workings::LeftOut& one : w.left_out) {
    std::string text = "`" + printable(one.condition) + "` leaves out " + count_text(one.rows, "row", "rows");
    if (one.unknown > 0) text += ", and is unknown for " + std::to_string(one.unknown);
    if (is_row)
      text = "`" + printable(one.condition) + "` is " +
             (one.unknown > 0 ? "unknown"
              : one.rows > 0  ? "false"
                              : "true") +
             " for it";
    line(text);
  }
  if (w.lines.rows() == 0) return out;
  out += "\n";
  Grid grid;
  for (const StandingColumn& column : w.lines.columns())
    grid.columns.push_back({printable(column.name), column.type.numeric()});
  const std::size_t listed = std::min(most_lines, w.lines.rows());
  for (std::size_t r = 0; r < listed; ++r) {
    std::vector<std::string> row;
    for (std::size_t c = 0; c < grid.columns.size(); ++c) {
      const Value value = w.lines.value(r, c);
      row.push_back(is_null(value) ? "(none)" : printable(to_text(value, w.lines.columns()[c].type)));
    }
    grid.rows.push_back(std::move(row));
  }
  out += grid.text(looks);
  if (listed < w.lines.rows())
    out += inked("  \xE2\x8B\xAE " + count_text(w.lines.rows() - listed, "more row", "more rows"), Ink::quiet, looks) +
           "\n";
  return out;
}

}  // namespace lofty
