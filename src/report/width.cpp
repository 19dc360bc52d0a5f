#include "report/width.hpp"

#include <unicode/uchar.h>
#include <unicode/utf8.h>

#include <algorithm>
#include <cstdio>

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

namespace {

// Characters that are not seen, and change what is: C1 controls, line separators, bidirectional controls, tags, and
// code points that are no characters (XML does not allow them).
bool is_hidden_control(UChar32 c) {
  return (c >= 0x80 && c < 0xa0) || c == 0x061c || c == 0x200e || c == 0x200f || (c >= 0x2028 && c <= 0x202e) ||
         (c >= 0x2066 && c <= 0x206f) || c == 0xfeff || (c >= 0xfff9 && c <= 0xfffb) ||
         (c >= 0xe0000 && c <= 0xe007f) || U_IS_UNICODE_NONCHAR(c);
}

// "<U+200F>"
std::string escape_of(UChar32 c) {
  char digits[16];
  std::snprintf(digits, sizeof digits, "<U+%04X>", static_cast<unsigned>(c));
  return digits;
}

}  // namespace

std::string printable(std::string_view text) {
  std::string out;
  const auto size = static_cast<std::int32_t>(text.size());
  const auto* const bytes = reinterpret_cast<const std::uint8_t*>(text.data());
  for (std::int32_t at = 0; at < size;) {
    const std::int32_t from = at;
    UChar32 c;
    U8_NEXT(bytes, at, size, c);
    if (c >= 0 && c < 0x20) {
      out += "\xE2\x90";
      out += static_cast<char>(0x80 + c);  // U+2400 + c
    } else if (c == 0x7f) {
      out += "\xE2\x90\xA1";
    } else if (c < 0) {
      out += "\xEF\xBF\xBD";  // invalid bytes
    } else if (c >= 0x80 && is_hidden_control(c)) {
      out += escape_of(c);
    } else {
      out += text.substr(static_cast<std::size_t>(from), static_cast<std::size_t>(at - from));
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

std::string cut_to(const std::string& text, int width) {
  if (display_width(text) <= width) return text;
  const auto size = static_cast<std::int32_t>(text.size());
  const auto* const bytes = reinterpret_cast<const std::uint8_t*>(text.data());
  std::int32_t end = 0;
  for (std::int32_t at = 0; at < size;) {
    UChar32 c;
    U8_NEXT(bytes, at, size, c);
    if (display_width(std::string_view(text).substr(0, static_cast<std::size_t>(at))) > width - 1) break;
    end = at;
  }
  return text.substr(0, static_cast<std::size_t>(end)) + "\xE2\x80\xA6";
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

namespace {

constexpr std::string_view plain = "\033[0m";
// By Ink.
constexpr std::string_view inks[] = {"\033[1m", "\033[2m", "\033[34m", "\033[7m"};

}  // namespace

std::string inked(const std::string& text, Ink ink, const Looks& looks) {
  if (!looks.colour || text.empty()) return text;
  return std::string(inks[static_cast<std::size_t>(ink)]) + text + std::string(plain);
}

}  // namespace lofty::report

namespace lofty {

std::string safe_for_terminal(std::string_view text) {
  std::string out;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find_first_of("\n\t\033"), text.size());
    out += report::printable(text.substr(0, end));
    text.remove_prefix(end);
    if (text.empty()) break;
    std::size_t length = text.front() == '\033' ? 0 : 1;
    if (text.starts_with(report::plain)) length = report::plain.size();
    for (const std::string_view ink : report::inks)
      if (text.starts_with(ink)) length = ink.size();
    out += length > 0 ? std::string(text.substr(0, length)) : report::printable(text.substr(0, 1));
    text.remove_prefix(std::max<std::size_t>(1, length));
  }
  return out;
}

}  // namespace lofty
