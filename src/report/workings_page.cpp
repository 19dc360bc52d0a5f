// The page of `lofty why`.

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

std::string named_list(const std::vector<Workings::Named>& all, const auto& text_of) {
  std::string out;
  for (const Workings::Named& one : all)
    out += (out.empty() ? "" : ", ") + one.name + " " + text_of(one.value, one.type);
  return out;
}

// The workings, section by section.
class WorkingsPage {
 public:
  WorkingsPage(const Workings& w, std::size_t most_lines, const Looks& looks)
      : w_(w), most_lines_(most_lines), looks_(looks) {}

  std::string text() {
    entry();
    place();
    formulas("Beside the others", w_.windows);
    formulas("Its figures", w_.figures);
    totals();
    rows();
    lines();
    return std::move(out_);
  }

 private:
  void heading(const std::string& text) { out_ += "\n" + inked(text, Ink::strong, looks_) + "\n"; }
  void line(const std::string& text) { out_ += "  " + wrapped(text, looks_.width - 2, 4) + "\n"; }

  void entry() {
    const std::string keys =
        named_list(w_.keys, [](const Value& value, const Type& type) { return to_text(value, type); });
    out_ += inked(printable(w_.entry), Ink::strong, looks_);
    if (!keys.empty() && w_.entry != keys) out_ += "  " + inked("(" + printable(keys) + ")", Ink::quiet, looks_);
    out_ += "\n";
  }

  void place() {
    heading("Its place");
    if (!w_.without_place.empty()) return line("none, because " + printable(w_.without_place));
    if (w_.by.empty()) return line("nothing is ranked");
    const std::string group = named_list(w_.group, shown);
    line("place " + shown(w_.place) + " of " + count_text(w_.ranked, "ranked entry", "ranked entries") +
         (group.empty() ? "" : " in " + printable(group)) + ", by `" + printable(w_.by) + "` " +
         shown(w_.value, w_.by_type));
    if (!w_.equal.empty()) line("equal to " + joined(w_.equal, 5) + " on everything that places go by");
    if (w_.ahead) neighbour("ahead:", *w_.ahead);
    if (w_.behind) neighbour("behind:", *w_.behind);
  }
  void neighbour(const char* way, const Workings::Neighbour& n) {
    line(std::string(way) + " place " + shown(n.place) + ", " + printable(n.entry) + ", has " +
         shown(n.value, w_.by_type) + (n.margin ? ": " + shown(*n.margin) + " apart" : "") +
         (n.decided_by == w_.by || n.decided_by.empty() ? "" : "; decided by `" + printable(n.decided_by) + "`"));
  }

  void formulas(const char* title, const std::vector<Workings::WindowValue>& all) {
    if (all.empty()) return;
    heading(title);
    for (const Workings::WindowValue& one : all)
      line("`" + printable(one.name) + "` = " + printable(one.formula) + " = " + shown(one.value, one.type));
  }

  // ", from 87 rows; 2 others have no value": why it is not from all rows that count. What a filter leaves out is its
  // own doing.
  std::string source_of(const Workings::Part& part) const {
    const std::size_t all = w_.lines.rows();
    const bool filtered = part.formula.find("filter") != std::string::npos;
    return ", from " + count_text(part.rows, "row", "rows") +
           (filtered || part.rows >= all
                ? std::string()
                : "; " + count_text(all - part.rows, "other has no value", "others have no value") + " for it");
  }

  void totals() {
    if (!w_.totals.empty()) heading("Its totals");
    for (const Workings::Total& total : w_.totals) {
      const bool plain = total.parts.size() == 1 && total.parts[0].formula == total.formula;
      line("`" + printable(total.name) + "` = " + printable(total.formula) + " = " + shown(total.value, total.type) +
           (plain ? source_of(total.parts[0]) : ""));
      if (plain) continue;
      for (const Workings::Part& part : total.parts)
        out_ += "    " +
                wrapped(printable(part.formula) + " = " + shown(part.value, part.type) + source_of(part),
                        looks_.width - 4, 6) +
                "\n";
    }
  }

  // How many rows count, and what leaves out the others.
  void rows() {
    const bool is_row = w_.keys.empty();  // it is its only row
    heading(is_row ? "Its row" : "Its rows");
    if (is_row)
      line(w_.lines.rows() == 0 ? "it does not count" : "it counts");
    else
      line(count_text(w_.rows, "row belongs", "rows belong") + " to it, " +
           count_text(w_.lines.rows(), "counts", "count"));
    for (const Workings::LeftOut& one : w_.left_out) {
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
  }

  // The rows that count themselves.
  void lines() {
    if (w_.lines.rows() == 0) return;
    out_ += "\n";
    Grid grid;
    for (const StandingColumn& column : w_.lines.columns())
      grid.columns.push_back({printable(column.name), column.type.numeric()});
    const std::size_t listed = std::min(most_lines_, w_.lines.rows());
    for (std::size_t r = 0; r < listed; ++r) {
      std::vector<std::string> row;
      for (std::size_t c = 0; c < grid.columns.size(); ++c) {
        const Value value = w_.lines.value(r, c);
        row.push_back(is_null(value) ? "(none)" : printable(to_text(value, w_.lines.columns()[c].type)));
      }
      grid.rows.push_back(std::move(row));
    }
    out_ += grid.text(looks_);
    if (listed < w_.lines.rows())
      out_ +=
          inked("  (" + count_text(w_.lines.rows() - listed, "more row", "more rows") + ")", Ink::quiet, looks_) + "\n";
  }

  const Workings& w_;
  const std::size_t most_lines_;
  const Looks& looks_;
  std::string out_;
};

}  // namespace

std::string workings_text(const Workings& workings, std::size_t most_lines, const Looks& looks) {
  return WorkingsPage(workings, most_lines, looks).text();
}

}  // namespace lofty
