#include "report/width.hpp"

#include <unicode/uchar.h>
#include <unicode/utf8.h>

#include <algorithm>

namespace lofty::report {

int display_width(std::string_view text) {
  int width = 0;
  const auto size = static_cast<std::int32_t>(text.size());
  const auto* const bytes = reinterpret_cast<const std::uint8_t*>(text.data());
  for (std::int32_t at = 0; at < size;) {
    UChar32 c;
    U8_NEXT(bytes, at, size, c);
    if (c < 0x300) {
      ++width;
      continue;
    }
    const auto type = u_charType(c);
    if (type == U_NON_SPACING_MARK || type == U_ENCLOSING_MARK || type == U_FORMAT_CHAR) continue;
    const auto east = u_getIntPropertyValue(c, UCHAR_EAST_ASIAN_WIDTH);
    width += east == U_EA_WIDE || east == U_EA_FULLWIDTH ? 2 : 1;
  }
  return width;
}

std::string printable(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]);
    if (c < 0x20) {
      out += "\xE2\x90";
      out += static_cast<char>(0x80 + c);  // U+2400 + c
    } else if (c == 0x7f) {
      out += "\xE2\x90\xA1";
    } else if (c == 0xc2 && i + 1 < text.size() && static_cast<unsigned char>(text[i + 1]) < 0xa0) {
      out += "\xEF\xBF\xBD";  // C1 controls
      ++i;
    } else {
      out += text[i];
    }
  }
  return out;
}

std::string padded(const std::string& text, int width, bool right) {
  const int missing = width - display_width(text);
  if (missing <= 0) return text;
  const std::string blanks(static_cast<std::size_t>(missing), ' ');
  return right ? blanks + text : text + blanks;
}

std::string wrapped(const std::string& text, int width, int indent) {
  std::string out, line;
  const std::string margin(static_cast<std::size_t>(indent), ' ');
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t end = std::min(text.find(' ', at), text.size());
    const std::string word = text.substr(at, end - at);
    if (!line.empty() && display_width(line) + 1 + display_width(word) > width) {
      out += line + "\n";
      line = margin + word;
    } else {
      line += (line.empty() ? "" : " ") + word;
    }
    at = end + 1;
  }
  return out + line;
}

std::string inked(const std::string& text, Ink ink, const Looks& looks) {
  if (!looks.colour || text.empty()) return text;
  switch (ink) {
    case Ink::strong: return "\033[1m" + text + "\033[0m";
    case Ink::quiet: return "\033[2m" + text + "\033[0m";
    case Ink::warn: return "\033[35m" + text + "\033[0m";
    case Ink::mark: return "\033[31;1m" + text + "\033[0m";
  }
  return text;
}

std::string Grid::text(const Looks& looks) const {
  std::vector<int> widths;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    int width = display_width(columns[c].heading);
    for (const auto& row : rows) width = std::max(width, display_width(row[c]));
    widths.push_back(width);
  }
  const auto line = [&](const auto& cell) {
    std::string out = " ";
    for (std::size_t c = 0; c < columns.size(); ++c)
      out += " " + padded(cell(c), widths[c], columns[c].right) + (c + 1 < columns.size() ? " " : "");
    while (!out.empty() && out.back() == ' ') out.pop_back();
    return out;
  };
  std::string out = inked(line([&](std::size_t c) { return columns[c].heading; }), Ink::strong, looks) + "\n";
  std::string rule = " ";
  for (std::size_t c = 0; c < columns.size(); ++c) {
    rule += " ";
    for (int i = 0; i < widths[c]; ++i) rule += "\xE2\x94\x80";
    if (c + 1 < columns.size()) rule += " ";
  }
  out += inked(rule, Ink::quiet, looks) + "\n";
  for (std::size_t r = 0; r < rows.size(); ++r) {
    if (r < gap_before.size() && gap_before[r]) out += "\n";
    if (r < note_before.size() && !note_before[r].empty())
      out += inked("  " + note_before[r], Ink::quiet, looks) + "\n";
    out += line([&](std::size_t c) { return rows[r][c]; }) + "\n";
  }
  return out;
}

}  // namespace lofty::report
