#include "report/markdown.hpp"

#include <algorithm>
#include <cstring>

#include "io/write_marks.hpp"
#include "report/cells.hpp"
#include "report/fold.hpp"
#include "report/names.hpp"

namespace lofty::report {
namespace {

// Data is never markup: what Markdown and HTML give a meaning to is escaped, and a line end is two blanks.
std::string markdown_cell(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\n' || c == '\r') {
      out += "  ";
      continue;
    }
    if (std::strchr("\\`*_[]<>|~&#!", c) != nullptr && c != '\0') out += '\\';
    out += c;
  }
  return out;
}

// A sentence of ours, in which names are in `backticks`: these stay, everything outside them is escaped.
std::string markdown_sentence(const std::string& text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t open = std::min(text.find('`', at), text.size());
    out += markdown_cell(text.substr(at, open - at));
    const std::size_t close = open < text.size() ? text.find('`', open + 1) : std::string::npos;
    if (close == std::string::npos) return out + markdown_cell(text.substr(open));
    std::string name = text.substr(open, close + 1 - open);
    std::replace_if(
        name.begin(), name.end(), [](char c) { return c == '\n' || c == '\r'; }, ' ');
    out += name;
    at = close + 1;
  }
  return out;
}

std::string heading_lines(const Standings& s) {
  std::string out = "|";
  for (const StandingColumn& column : s.columns()) out += " " + markdown_cell(column.heading) + " |";
  out += "\n|";
  for (const StandingColumn& column : s.columns()) out += column.type.numeric() ? "---:|" : "---|";
  return out + "\n";
}

// Values in full, unless the column has a format.
std::string value_text(const Standings& s, const CellTexts& cells, std::size_t column, const Value& value) {
  const bool formatted = s.columns()[column].format && !is_null(value);
  return formatted ? cells.of(column, value) : to_text(value, s.columns()[column].type);
}

std::string row_line(const Standings& s, const CellTexts& cells, std::size_t r) {
  std::string out = "|";
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const Value value = s.value(r, c);
    const bool missing = is_null(value) && s.of_level(r, c);
    out +=
        " " + (missing ? "(none)" : markdown_cell(value_text(s, cells, c, value))) + (s.tied(r, c) ? "=" : "") + " |";
  }
  return out + "\n";
}

std::string summary_text(const Standings& s, const CellTexts& cells, const SummaryLine& line) {
  std::string out = "|";
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const std::string text = c == line.label_column ? line.label : value_text(s, cells, c, line.values[c]);
    out += " " + (text.empty() ? text : "*" + markdown_cell(text) + "*") + " |";
  }
  return out + "\n";
}

}  // namespace

std::string markdown(const Standings& s, bool whole) {
  const CellTexts cells(s);
  const std::vector<std::uint8_t> folded = whole ? std::vector<std::uint8_t>(s.rows(), 0) : folded_ties(s);
  std::string out;
  if (!s.title().empty()) out += "## " + markdown_cell(s.title()) + "\n\n";
  out += markdown_sentence(s.question()) + "\n\n" + heading_lines(s);

  // The rows, or in place of a long tie one line; then the lines that follow a row, be it shown or not.
  std::size_t summary = 0;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    if (folded[r] == 0)
      out += row_line(s, cells, r);
    else if (r == 0 || folded[r - 1] == 0)
      out += "| *" + markdown_sentence("(" + note_of_fold(s, cells, folded, r) + ")") + "* |\n";
    for (; summary < s.summaries().size() && s.summaries()[summary].after == r; ++summary)
      out += summary_text(s, cells, s.summaries()[summary]);
  }

  for (const Departed& one : s.departed()) {
    if (one.values.empty()) continue;
    out += "|";
    for (std::size_t c = 0; c < one.values.size(); ++c) {
      const std::string text = value_text(s, cells, c, one.values[c]);
      out += " " + (text.empty() ? text : "*" + markdown_cell(text) + "*") + " |";
    }
    out += "\n";
  }
  if (!s.departed().empty()) out += "\n" + markdown_sentence("No longer listed: " + departed_text(s)) + ".\n";

  out += "\n" + markdown_sentence(s.shown_of_total()) + ".\n";
  for (const Remark& remark : s.remarks())
    out += "\n- **" + remark.code + "**: " + markdown_sentence(remark.sentence) + "\n";
  return out + engine::markdown_mark;
}

}  // namespace lofty::report
