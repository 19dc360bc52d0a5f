#include "report/grid.hpp"

#include <algorithm>
#include <numeric>

#include "report/width.hpp"

namespace lofty::report {
namespace {

constexpr int least_text = 12;  // columns that a text keeps before other columns are left out for it

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    lines.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return lines;
}

// Two blanks before each column that is shown.
int total(const std::vector<int>& widths) {
  return std::accumulate(widths.begin(), widths.end(), 0,
                         [](int sum, int width) { return sum + (width > 0 ? width + 2 : 0); });
}

}  // namespace

std::vector<int> Grid::natural_widths() const {
  std::vector<int> widths;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    int width = display_width(columns[c].heading);
    for (const auto& row : rows)
      if (!row.empty()) width = std::max(width, display_width(row[c]));
    widths.push_back(std::max(width, 1));
  }
  return widths;
}

std::vector<int> Grid::fitted_widths(int most) const {
  const std::vector<int> natural = natural_widths();
  if (most <= 0 || total(natural) <= most) return natural;

  // Long headings of narrow columns are broken into lines first: that loses nothing.
  std::vector<int> wanted = natural;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    int cells = 1, word = 1;
    for (const auto& row : rows)
      if (!row.empty()) cells = std::max(cells, display_width(row[c]));
    for (const std::string& one : lines_of(wrapped(columns[c].heading, 1))) word = std::max(word, display_width(one));
    wanted[c] = std::min(natural[c], std::max(cells, word));
  }

  // Texts as narrow as they may be: does what is left out until then suffice?
  const auto least = [&](std::size_t c, int text) {
    return columns[c].shrinks ? std::min(wanted[c], text) : wanted[c];
  };
  std::vector<int> widths(columns.size());
  for (std::size_t c = 0; c < columns.size(); ++c) widths[c] = least(c, least_text);
  while (total(widths) > most) {
    std::size_t spare = columns.size();
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (widths[c] > 0 && columns[c].spare > 0 &&
          (spare == columns.size() || columns[c].spare >= columns[spare].spare))
        spare = c;
    if (spare == columns.size()) break;
    widths[spare] = 0;
  }
  // Nothing more can be left out: texts become as narrow as they have to be.
  for (int text = least_text; total(widths) > most && text > 4; --text)
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (widths[c] > 0) widths[c] = least(c, text);

  // What room is left goes to the texts that are cut, the narrowest first.
  for (int room = most - total(widths); room > 0; --room) {
    std::size_t narrowest = columns.size();
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (widths[c] > 0 && widths[c] < wanted[c] && (narrowest == columns.size() || widths[c] < widths[narrowest]))
        narrowest = c;
    if (narrowest == columns.size()) break;
    ++widths[narrowest];
  }
  return widths;
}

std::string Grid::line_of(const std::vector<std::string>& cells, const std::vector<int>& widths) const {
  std::string out = " ";
  for (std::size_t c = 0; c < columns.size(); ++c)
    if (widths[c] > 0) out += " " + padded(cut_to(cells[c], widths[c]), widths[c], columns[c].right) + " ";
  while (!out.empty() && out.back() == ' ') out.pop_back();
  return out;
}

// Headings are on as many lines as the longest needs, the last line above the numbers.
std::string Grid::headings_of(const std::vector<int>& widths, const Looks& looks) const {
  std::vector<std::vector<std::string>> headings;
  std::size_t height = 1;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    const bool whole = display_width(columns[c].heading) <= widths[c];
    headings.push_back(whole ? std::vector{columns[c].heading}
                             : lines_of(wrapped(columns[c].heading, std::max(widths[c], 1))));
    if (widths[c] > 0) height = std::max(height, headings.back().size());
  }

  std::string out;
  for (std::size_t l = 0; l < height; ++l) {
    std::vector<std::string> cells;
    for (const std::vector<std::string>& heading : headings) {
      const std::size_t blank = height - std::min(height, heading.size());
      cells.push_back(l < blank ? std::string() : heading[l - blank]);
    }
    out += inked(line_of(cells, widths), Ink::strong, looks) + "\n";
  }
  std::string rule = " ";
  for (const int width : widths) {
    if (width == 0) continue;
    rule += " ";
    for (int i = 0; i < width; ++i) rule += "\xE2\x94\x80";
    rule += " ";
  }
  rule.pop_back();
  return out + inked(rule, Ink::quiet, looks) + "\n";
}

Grid::Fitted Grid::fitted_to(const std::vector<int>& widths) const {
  Fitted out;
  const std::vector<int> natural = natural_widths();
  for (std::size_t c = 0; c < columns.size(); ++c) {
    if (columns[c].heading.empty()) {  // bars
      if (widths[c] == 0) out.left_out.emplace_back("bars");
      continue;
    }
    const auto is_cut = [&](const auto& row) { return !row.empty() && display_width(row[c]) > widths[c]; };
    if (widths[c] == 0)
      out.left_out.push_back(columns[c].heading);
    else if (widths[c] < natural[c] && std::any_of(rows.begin(), rows.end(), is_cut))
      out.cut.push_back(columns[c].heading);
  }
  return out;
}

std::string Grid::text(const Looks& looks, Fitted* fitted) const {
  const std::vector<int> widths = fitted_widths(looks.table_width);
  std::string out = headings_of(widths, looks);
  const int room = looks.table_width > 0 ? looks.table_width - 2 : 10'000;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    if (r < gap_before.size() && gap_before[r]) out += "\n";
    if (r < note_before.size() && !note_before[r].empty())
      out += "  " + inked(wrapped(note_before[r], room, 4), Ink::quiet, looks) + "\n";
    if (!rows[r].empty()) out += line_of(rows[r], widths) + "\n";
  }
  if (fitted != nullptr) *fitted = fitted_to(widths);
  return out;
}

}  // namespace lofty::report
