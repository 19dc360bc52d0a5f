// Records, lines and characters of delimited text.
// Covered by tests/io/delimited_test.cpp.

#include "io/delimited_text.hpp"

#include "io/field_ends.hpp"

namespace lofty::engine {

std::size_t last_record_end(std::string_view text) {
  bool inside = count_quotes(text) % 2 != 0;
  for (std::size_t at = text.size(); at-- > 0;) {
    inside = inside != (text[at] == '"');
    if (text[at] == '\n' && !inside) return at + 1;
  }
  return 0;
}

std::size_t record_begin(std::string_view text, std::size_t index, bool every_line) {
  std::size_t at = 0;
  const auto skip_blank_lines = [&] {
    if (every_line)
      at += text.substr(at, 2) == "\r\n" ? 2 : at < text.size();
    else
      while (at < text.size() && is_line_end(text[at])) ++at;
  };
  if (!every_line) skip_blank_lines();
  for (; index > 0 && at < text.size(); --index) {
    bool inside = false;
    for (; at < text.size() && (inside || !is_line_end(text[at])); ++at) inside = inside != (text[at] == '"');
    skip_blank_lines();
  }
  return at;
}

std::size_t valid_prefix(std::string_view text) {
  const auto byte = [&](std::size_t i) { return i < text.size() ? static_cast<unsigned char>(text[i]) : 0u; };
  std::size_t at = 0;
  while (at < text.size()) {
    const unsigned first = byte(at), second = byte(at + 1);
    std::size_t length = 1;
    if (first >= 0x80) {
      length = first >= 0xc2 && first <= 0xdf ? 2 : (first & 0xf0) == 0xe0 ? 3 : first >= 0xf0 && first <= 0xf4 ? 4 : 0;
      const unsigned low = first == 0xe0   ? 0xa0
                           : first == 0xf0 ? 0x90
                                           : 0x80,
                     high = first == 0xed   ? 0x9f
                            : first == 0xf4 ? 0x8f
                                            : 0xbf;
      if (length == 0 || second < low || second > high) return at;
      for (std::size_t i = 2; i < length; ++i)
        if ((byte(at + i) & 0xc0) != 0x80) return at;
    }
    at += length;
  }
  return at;
}

char likely_delimiter(std::string_view line, char usual) {
  std::size_t most = 0;
  for (const char candidate : {',', ';', '\t', '|'}) {
    std::size_t count = 0;
    bool inside = false;
    for (const char c : line) {
      inside = inside != (c == '"');
      count += !inside && c == candidate;
    }
    if (count <= most) continue;
    most = count;
    usual = candidate;
  }
  return usual;
}

}  // namespace lofty::engine
