// TOML -> Ladder. Every key is known, or known to be of a later version, or an error with the nearest key.
// Covered by tests/io/ladder_file_test.cpp.
#include "lofty/ladder_file.hpp"

#include <algorithm>
#include <charconv>

#include "io/open_file.hpp"
#include "io/toml_reader.hpp"

namespace lofty {

constexpr std::uint64_t most_ladder_bytes = 1 << 20;  // docs/limits.md

namespace {

// How many bytes of a TOML string's inside, as it is written, are before byte `offset` of its value. Strings over
// several lines are not followed beyond their first.
std::size_t raw_offset(std::string_view raw, bool escapes, std::size_t offset) {
  std::size_t at = 0;
  for (std::size_t made = 0; made < offset && at < raw.size() && raw[at] != '\n';) {
    if (!escapes || raw[at] != '\\') {
      ++at;
      ++made;
      continue;
    }
    const char kind = at + 1 < raw.size() ? raw[at + 1] : '\0';
    const std::size_t digits = kind == 'u' ? 4 : kind == 'U' ? 8 : 0;
    unsigned code = 0;
    const std::string_view hex = raw.substr(std::min(at + 2, raw.size()), digits);
    std::from_chars(hex.data(), hex.data() + hex.size(), code, 16);
    made += code < 0x80 ? 1 : code < 0x800 ? 2 : code < 0x10000 ? 3 : 4;
    at += 2 + digits;
  }
  return at;
}

std::string line_of_text(std::string_view source, std::size_t line) {
  std::size_t begin = 0;
  for (std::size_t l = 1; l < line; ++l) {
    const std::size_t end = source.find('\n', begin);
    if (end == std::string_view::npos) return {};
    begin = end + 1;
  }
  return std::string(source.substr(begin, std::min(source.find('\n', begin), source.size()) - begin));
}

}  // namespace

// Steps over the TOML string or comment that begins at `at`, and returns where it ends; `at` itself when none begins. A
// quote that follows a number or a word begins none.
std::size_t after_string_or_comment(std::string_view source, std::size_t at) {
  const char quote = source[at];
  if (quote == '#') return std::min(source.find('\n', at), source.size());
  if (quote != '"' && quote != '\'') return at;
  if (at > 0 && std::string_view(" \t\r\n=[{,.\xbf").find(source[at - 1]) == std::string_view::npos) return at;
  const bool several_lines = source.substr(at).starts_with(std::string(3, quote));
  const std::string end = std::string(several_lines ? 3 : 1, quote);
  for (at += end.size(); at < source.size(); ++at) {
    if (source[at] == '\\' && quote == '"')
      ++at;
    else if (source[at] == '\n' && !several_lines)
      return at;
    else if (source.substr(at).starts_with(end))
      return at + end.size();
  }
  return source.size();
}

// What TOML does not allow and toml++ assumes to have been checked: control characters other than
// tabs and line ends, and characters beyond ASCII outside of strings and comments.
void refuse_foreign_characters(std::string_view source, const std::string& file_name) {
  const auto refuse = [&](std::size_t at, std::size_t length, std::string sentence, std::string advice) {
    const auto before = source.substr(0, at);
    const std::size_t start = before.find_last_of('\n') + 1;  // npos + 1 is 0
    Problem p{Code::syntax, std::move(sentence), {}, {}, std::move(advice)};
    p.location.file = file_name;
    p.location.line = static_cast<std::size_t>(std::count(before.begin(), before.end(), '\n')) + 1;
    p.location.column = at - start + 1;
    p.location.text = std::string(source.substr(start, std::min(source.find('\n', at), source.size()) - start));
    p.location.offset = at - start;
    p.location.length = length;
    throw Error(std::move(p));
  };

  // Control characters.
  for (std::size_t i = 0; i < source.size(); ++i) {
    const auto c = static_cast<unsigned char>(source[i]);
    if (c < 0x20 && c != '\t' && c != '\n' && c != '\r')
      refuse(i, 1, "this is not TOML: byte " + std::to_string(i) + " is a control character", {});
  }

  // Letters outside texts and comments.
  constexpr std::string_view mark = "\xef\xbb\xbf";  // of byte order, which TOML allows in front
  for (std::size_t i = source.starts_with(mark) ? mark.size() : 0; i < source.size();) {
    const std::size_t after = after_string_or_comment(source, i);
    if (after == i && (source[i] & 0x80) != 0) {
      std::size_t end = i;
      while (end < source.size() && (source[end] & 0x80) != 0) ++end;
      refuse(i, end - i, "this is not TOML: `" + std::string(source.substr(i, end - i)) + "` is outside of quotes",
             "names of other letters than a to z go in quotes, as in \"caf\u00e9\" = \"…\"");
    }
    i = std::max(after, i + 1);
  }
}

namespace {

LadderText read_text(std::string_view source, const std::string& file_name, std::vector<Problem>& problems) {
  LadderText out;
  out.file = file_name;
  out.source = std::string(source);
  refuse_foreign_characters(source, file_name);

  // The grammar of TOML.
  toml::parse_result result = toml::parse(source, std::string_view(file_name));
  if (!result) {
    const toml::parse_error& error = result.error();
    Problem p{Code::syntax, "this is not TOML: " + std::string(error.description()), {}, {}, {}};
    p.location.file = file_name;
    p.location.line = error.source().begin.line;
    p.location.column = error.source().begin.column;
    p.location.text = line_of_text(source, p.location.line);
    p.location.offset =
        std::min<std::size_t>(p.location.column > 0 ? p.location.column - 1 : 0, p.location.text.size());
    p.location.length = 1;
    throw Error(std::move(p));
  }

  // The keys of a ladder; all that is wrong with them, in the order of the file.
  engine::TomlReader reader(source, out, problems);
  engine::read_sections(reader, result.table());
  std::stable_sort(problems.begin(), problems.end(),
                   [](const Problem& a, const Problem& b) { return a.location.line < b.location.line; });
  return out;
}

}  // namespace

LadderText read_ladder(std::string_view source, const std::string& file_name) {
  std::vector<Problem> problems;
  LadderText out = read_text(source, file_name, problems);
  if (!problems.empty()) throw Error(std::move(problems));
  return out;
}

LadderText read_ladder_file(const std::filesystem::path& file) {
  std::vector<Problem> problems;
  LadderText out = read_ladder_file(file, problems);
  if (!problems.empty()) throw Error(std::move(problems));
  return out;
}

LadderText read_ladder_file(const std::filesystem::path& file, std::vector<Problem>& problems) {
  const auto fail = [&](Code code, std::string sentence) {
    Problem p{code, std::move(sentence), {}, {}, {}};
    p.location.file = file.string();
    return Error(std::move(p));
  };
  std::error_code error;
  if (std::filesystem::is_directory(file, error)) throw fail(Code::cannot_open, "this is a folder, not a ladder");
  const engine::OpenFile in(file);
  if (in.size() > most_ladder_bytes)
    throw fail(Code::bad_value,
               "a ladder file holds at most 1 MiB; this one has " + std::to_string(in.size()) + " bytes");
  return read_text(in.read_all(), file.string(), problems);
}

void LadderText::locate(std::vector<Problem>& problems) const {
  for (Problem& p : problems) {
    if (p.location.line > 0 || p.location.key.empty() || !p.location.file.empty() || p.location.key.starts_with("--"))
      continue;
    // Lists of names have a spot for each of their elements.
    auto spot = spots.find(p.location.key + ":" + p.location.text);
    if (spot == spots.end()) spot = spots.find(p.location.key);
    std::string key = p.location.key;
    while (spot == spots.end() && key.find_last_of(".[") != std::string::npos) {  // a key that is missing: its section
      key.resize(key.find_last_of(".["));
      spot = spots.find(key);
    }
    p.location.file = file;
    if (spot == spots.end()) continue;
    p.location.line = spot->second.line;
    p.location.column = spot->second.column;
    // A text on one line, in plain quotes: the column of the marked part itself.
    const std::string_view raw = std::string_view(source).substr(std::min(spot->second.offset, source.size()));
    if (p.location.text.empty() || raw.empty() || (raw[0] != '"' && raw[0] != '\'')) continue;
    p.location.column += 1 + raw_offset(raw.substr(1), raw[0] == '"', p.location.offset);
  }
}

}  // namespace lofty
