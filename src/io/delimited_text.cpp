// Records, lines and characters of delimited text.
// Covered by tests/io/delimited_test.cpp.

#include "io/delimited_text.hpp"

#include <cstring>

namespace lofty::engine {

Cut last_record_end(std::string_view text) {
  Cut cut;
  const char* const first = text.data();
  const char* const last = first + text.size();
  // Between quotes, whole stretches are searched at memory speed.
  const char* at = first;
  bool inside = false;
  while (at < last) {
    const char* quote = static_cast<const char*>(std::memchr(at, '"', static_cast<std::size_t>(last - at)));
    const char* const stop = quote != nullptr ? quote : last;
    if (!inside)
      if (const void* end = ::memrchr(at, '\n', static_cast<std::size_t>(stop - at)))
        cut.end = static_cast<std::size_t>(static_cast<const char*>(end) - first) + 1;
    if (quote == nullptr) break;
    cut.quotes = true;
    inside = !inside;
    at = quote + 1;
  }
  return cut;
}

std::size_t line_ends(std::string_view text) {
  std::size_t lines = 0;
  for (std::size_t i = 0; i < text.size(); ++i)
    lines += text[i] == '\n' ? !(i > 0 && text[i - 1] == '\r') : text[i] == '\r';
  return lines;
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
