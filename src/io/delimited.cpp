// A file of delimited text: its headings, its encoding, its lines, and about how many rows it has.
// Covered by tests/io/delimited_test.cpp.

#include <simdjson.h>

#include <algorithm>
#include <cmath>

#include "io/delimited_files.hpp"
#include "io/delimited_source.hpp"
#include "io/delimited_text.hpp"
#include "io/field_ends.hpp"
#include "io/headings.hpp"

namespace lofty {
namespace engine {
namespace {

struct HeadingFields {
  std::vector<std::string> fields;
  bool done = false;
  static void field(void* text, std::size_t size, void* to) {
    auto& self = *static_cast<HeadingFields*>(to);
    if (!self.done) self.fields.emplace_back(static_cast<const char*>(text), text == nullptr ? 0 : size);
  }
  static void record(int, void* to) { static_cast<HeadingFields*>(to)->done = true; }
};

}  // namespace

void DelimitedSource::check_encoding(std::string_view text, std::uint64_t offset) const {
  const auto result = simdjson::validate_utf8(text.data(), text.size());
  if (result) return;
  const std::size_t good = valid_prefix(text);
  const std::uint64_t at = offset + good;
  char byte[8];
  std::snprintf(byte, sizeof byte, "0x%02X", static_cast<unsigned char>(text[good]));
  throw Error(problem(Code::bad_encoding, "byte " + std::to_string(at) + " (" + byte + ") is not UTF-8", line_at(at),
                      "encoding = \"" + likely_encoding(text) + "\" under [data], or save the file as UTF-8"));
}

std::size_t DelimitedSource::line_at(std::uint64_t offset) const {
  const OpenFile& file = *file_;
  file.check_unchanged();
  std::size_t lines = 1;
  TextBuffer bytes;
  for (std::uint64_t at = 0; at < offset; at += bytes.size()) {
    bytes.clear();
    file.read(at, static_cast<std::size_t>(std::min<std::uint64_t>(usual_chunk_bytes, offset - at)), bytes);
    if (bytes.empty()) break;
    lines += count_line_ends({bytes.data(), bytes.size()});
    if (bytes.back() == '\r' && at + bytes.size() < offset) {  // a CR LF across the border counts once
      TextBuffer next;
      file.read(at + bytes.size(), 1, next);
      if (!next.empty() && next[0] == '\n') --lines;
    }
  }
  return lines;
}

// To where the headings are looked for: after the byte-order mark and the lines that the ladder says.
void DelimitedSource::skip_lines() {
  TextBuffer bytes;
  file_->read(0, 3, bytes);
  if (std::string_view(bytes.data(), bytes.size()) == "\xEF\xBB\xBF") body_ = 3;
  std::size_t left = options_.skip;
  for (std::uint64_t at = body_; left > 0; at += bytes.size()) {
    bytes.clear();
    file_->read(at, usual_chunk_bytes, bytes);
    for (std::size_t i = 0; i < bytes.size() && left > 0; ++i) {
      if (!is_line_end(bytes[i])) continue;
      char next = i + 1 < bytes.size() ? bytes[i + 1] : '\0';
      if (i + 1 == bytes.size()) file_->read(at + i + 1, &next, 1);
      if (bytes[i] == '\r' && next == '\n') continue;  // counted with its second half
      --left;
      body_ = at + i + 1;
    }
    if (left > 0 && bytes.empty())
      throw Error(
          problem(Code::empty_file,
                  "the file has fewer than the " + std::to_string(options_.skip) + " lines that `skip` leaves out", 0,
                  "the line after them names the columns"));
  }
}

// To where the rows end: before the last lines that the ladder leaves out, and blank lines among them.
void DelimitedSource::skip_last_lines() {
  end_ = file_->size();
  TextBuffer bytes;  // those from `begin` on
  std::uint64_t begin = end_;
  const auto before = [&](std::uint64_t at) {
    if (at == begin) {
      begin = at - std::min<std::uint64_t>(at - body_, 4096);
      bytes.clear();
      file_->read(begin, static_cast<std::size_t>(at - begin), bytes);
      if (bytes.size() != at - begin) throw Error(problem(Code::changed_file, "it was changed while it was read"));
    }
    return bytes[static_cast<std::size_t>(at - 1 - begin)];
  };
  for (std::size_t left = options_.skip_last; left > 0 && end_ > body_; --left) {
    while (end_ > body_ && is_line_end(before(end_))) --end_;
    while (end_ > body_ && !is_line_end(before(end_))) --end_;
  }
}

// The first line that is not blank, without its line end; body_ is then where it begins. A line end inside quotes is
// part of a heading.
std::string DelimitedSource::heading_line() {
  TextBuffer bytes;
  std::string line;
  bool inside = false;
  for (std::uint64_t at = body_;; at += bytes.size()) {
    bytes.clear();
    file_->read(at, usual_chunk_bytes, bytes);

    // Blank lines before it are passed over.
    std::size_t begin = 0;
    if (line.empty()) {
      while (begin < bytes.size() && is_line_end(bytes[begin])) ++begin;
      body_ = at + begin;
    }
    std::size_t end = begin;
    for (; end < bytes.size() && (inside || !is_line_end(bytes[end])); ++end) inside = inside != (bytes[end] == '"');
    line.append(bytes.data() + begin, end - begin);
    if (line.size() > most_heading_bytes)
      throw Error(problem(Code::beyond_limit, "the heading line is longer than 4 MiB", line_at(body_),
                          inside ? "close the quote that begins in it" : ""));
    if (end < bytes.size()) return line;
    if (!bytes.empty()) continue;

    // The file ends here.
    file_->check_unchanged();
    if (line.empty())
      throw Error(problem(Code::empty_file, "the file is empty: it has no heading line", 0,
                          "the first line names the columns"));
    if (inside)
      throw Error(problem(Code::unclosed_quote, "the heading line has a quote that never ends", line_at(body_)));
    return line;
  }
}

void DelimitedSource::read_heading() {
  if (options_.header.size() == 1) {  // every line is a row, an empty one too
    if (options_.delimiter != 0) delimiter_ = options_.delimiter;
    headings_ = options_.header;
    return;
  }
  const std::string line = heading_line();
  const std::uint64_t line_begin = body_;
  check_encoding(line, body_);
  delimiter_ = options_.delimiter != 0 ? options_.delimiter : likely_delimiter(line, delimiter_);
  HeadingFields heading;
  CsvParser parser(delimiter_);
  const std::string with_end = line + "\n";
  if (parser.parse(with_end, HeadingFields::field, HeadingFields::record, &heading) != with_end.size())
    throw Error(
        problem(Code::unclosed_quote,
                "unexpected quote in the heading line: text follows a closing quote, or a name has a quote inside",
                line_at(body_), "double a quote that belongs to a name: \"\""));

  // Names come from the ladder, and then the line is a row; or from the line.
  if (!options_.header.empty()) {
    if (options_.header.size() != heading.fields.size())
      throw Error(problem(Code::bad_heading,
                          "data.header names " + std::to_string(options_.header.size()) +
                              " columns, the first line has " + std::to_string(heading.fields.size()) + " fields",
                          1));
    headings_ = options_.header;
  } else {
    headings_ = heading.fields;
    body_ += line.size();
    // The line end too: in a table of one column an empty line is a row.
    TextBuffer next;
    file_->read(body_, 2, next);
    body_ += next.size() == 2 && next[0] == '\r' && next[1] == '\n' ? 2 : std::min<std::size_t>(1, next.size());
  }
  check_headings(line_at(line_begin));
}

void DelimitedSource::check_headings(std::size_t line_number) const {
  check_column_count(path_.string(), headings_.size());
  for (std::size_t i = 0; i < headings_.size(); ++i)
    if (headings_[i].find_first_not_of(" \t") == std::string::npos)
      throw Error(problem(Code::bad_heading, "column " + std::to_string(i + 1) + " has no heading", line_number,
                          "data.header names all columns of a file without headings"));
  if (const auto doubled = doubled_heading(headings_))
    throw Error(problem(Code::bad_heading,
                        "columns " + std::to_string(doubled->first + 1) + " and " +
                            std::to_string(doubled->second + 1) + " are both called `" + headings_[doubled->first] +
                            "`",
                        line_number, "data.header gives them names of their own"));
}

// From samples at the beginning, in the middle and at the end: lines grow with the numbers in them.
TableSize DelimitedSource::size() const {
  constexpr std::uint64_t sample = 64 << 10;
  const std::uint64_t bytes = end_;
  TableSize size;
  if (bytes <= body_) return size.rows = 0.0, size;
  size.bytes = static_cast<double>(bytes - body_);
  double seen = 0, lines = 0;
  for (const std::uint64_t at : {body_, body_ + (bytes - body_) / 2, bytes - std::min(bytes - body_, sample)}) {
    TextBuffer text;
    file_->read(at, sample, text);
    seen += static_cast<double>(text.size());
    lines += static_cast<double>(std::count(text.begin(), text.end(), '\n'));
  }
  size.rows = lines == 0 ? 1 : std::round(size.bytes * lines / seen);
  return size;
}

}  // namespace engine

std::shared_ptr<const TableSource> open_delimited(const std::filesystem::path& file, const ReadOptions& options) {
  return std::make_shared<engine::DelimitedFiles>(std::make_shared<engine::DelimitedSource>(file, options));
}

}  // namespace lofty
