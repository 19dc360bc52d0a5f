// Delimited text: cut into chunks at record ends, parsed by libcsv in parallel, converted as it is parsed.
//
// The file is read once, front to back, by whichever thread needs the next chunk; that thread counts the quotes (a
// line end inside an odd number of quotes does not end a record) and keeps the last, unfinished record for the next
// chunk. So chunks depend on the file's bytes only, and pipes could be read the same way. A column whose type turns
// out different from a chunk's guess has that chunk's bytes read again, for that column only.
// Covered by tests/io/delimited_test.cpp.

#include <csv.h>
#include <simdjson.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <mutex>

#include "io/declared.hpp"
#include "io/headings.hpp"
#include "io/open_file.hpp"
#include "lofty/error.hpp"
#include "lofty/table_files.hpp"
#include "table/infer.hpp"
#include "table/nearest.hpp"
#include "table/parallel.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

// Large enough that a chunk's own dictionaries and the two line-end searches do not show, small enough that its text is
// still in the second-level cache when libcsv reads it, and that threads share a small file evenly.
constexpr std::size_t chunk_bytes = 512 * 1024;

// docs/limits.md. A record that long is a quote that was never closed.
constexpr std::size_t most_record_bytes = 256 << 20, most_heading_bytes = 4 << 20;

bool is_line_end(char c) { return c == '\n' || c == '\r'; }

// Quote parity over a text; and where the last record that ends in it does.
struct Cut {
  std::size_t end = 0;  // after the last record end; 0: there is none
  bool quotes = false;  // is there any quote?
};

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

constexpr std::size_t no_row = ~std::size_t{0};

int no_blanks(unsigned char) { return 0; }

// libcsv, set up the way this product reads: strict, blanks kept, nothing told from "".
class Parser {
 public:
  // `every_line`: an empty line is a record without fields, instead of nothing.
  explicit Parser(char delimiter, bool every_line = false) {
    const int lines = every_line ? CSV_REPALL_NL : 0;
    csv_init(&parser_, static_cast<unsigned char>(CSV_STRICT | CSV_STRICT_FINI | CSV_EMPTY_IS_NULL | lines));
    csv_set_delim(&parser_, static_cast<unsigned char>(delimiter));
    csv_set_space_func(&parser_, no_blanks);
  }
  Parser(const Parser&) = delete;
  Parser& operator=(const Parser&) = delete;
  ~Parser() { csv_free(&parser_); }

  // Bytes read; less than text.size() where the text is malformed.
  std::size_t parse(std::string_view text, void (*field)(void*, std::size_t, void*), void (*record)(int, void*),
                    void* to) {
    return csv_parse(&parser_, text.data(), text.size(), field, record, to);
  }
  // False: the last quote was never closed.
  bool finish(void (*field)(void*, std::size_t, void*), void (*record)(int, void*), void* to) {
    return csv_fini(&parser_, field, record, to) == 0;
  }

 private:
  csv_parser parser_{};
};

// Line counting: how many line ends precede an offset. CR LF, LF and CR each end a line.
std::size_t line_ends(std::string_view text) {
  std::size_t lines = 0;
  for (std::size_t i = 0; i < text.size(); ++i)
    lines += text[i] == '\n' ? !(i > 0 && text[i - 1] == '\r') : text[i] == '\r';
  return lines;
}

struct ChunkText {
  bool quotes = true;  // may any field be quoted?
  std::size_t number = 0;
  std::uint64_t offset = 0;  // in the file
  TextBuffer bytes;
  std::string_view view() const { return {bytes.data(), bytes.size()}; }
};

struct Chunk {
  std::uint64_t offset = 0;
  std::size_t size = 0, rows = 0, first_row = 0;
  std::vector<PieceReader> readers;  // by wanted column
};

class DelimitedSource : public TableSource {
 public:
  DelimitedSource(const std::filesystem::path& path, const ReadOptions& options)
      : path_(path), name_(path.filename().string()), options_(options), file_(std::make_shared<OpenFile>(path)) {
    read_heading();
  }

  const std::string& name() const override { return name_; }
  const std::vector<std::string>& headings() const override { return headings_; }
  std::string form() const override {
    switch (delimiter_) {
      case ',': return "commas between fields";
      case ';': return "semicolons between fields";
      case '\t': return "tabs between fields";
      case '|': return "bars between fields";
      default: return std::string("`") + delimiter_ + "` between fields";
    }
  }
  Table read(std::span<const std::size_t> columns, const Run& run) const override;
  TableSize size() const override;

 private:
  friend class Reading;
  std::string heading_line();
  void read_heading();
  void check_headings(std::size_t line_number) const;
  Problem problem(Code code, std::string sentence, std::size_t line = 0, std::string advice = {}) const {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.place.file = path_.string();
    p.place.line = line;
    return p;
  }
  void check_encoding(std::string_view text, std::uint64_t offset) const;
  std::size_t line_at(std::uint64_t offset) const;

  std::filesystem::path path_;
  std::string name_;
  ReadOptions options_;
  std::shared_ptr<const OpenFile> file_;
  std::vector<std::string> headings_;
  char delimiter_ = ',';
  std::uint64_t body_ = 0;  // where the rows begin
};

// How many bytes in front are whole, well-formed characters (Unicode 15, table 3-7).
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

void DelimitedSource::check_encoding(std::string_view text, std::uint64_t offset) const {
  const auto result = simdjson::validate_utf8(text.data(), text.size());
  if (result) return;
  const std::size_t good = valid_prefix(text);
  const std::uint64_t at = offset + good;
  char byte[8];
  std::snprintf(byte, sizeof byte, "0x%02X", static_cast<unsigned char>(text[good]));
  throw Error(problem(Code::bad_encoding, "byte " + std::to_string(at) + " (" + byte + ") is not UTF-8", line_at(at),
                      "save the file as UTF-8"));
}

// The line (from 1) that holds the byte at `offset`. Reads the file again up to there.
std::size_t DelimitedSource::line_at(std::uint64_t offset) const {
  const OpenFile& file = *file_;
  file.check_unchanged();
  std::size_t lines = 1;
  TextBuffer bytes;
  for (std::uint64_t at = 0; at < offset; at += bytes.size()) {
    bytes.clear();
    file.read(at, static_cast<std::size_t>(std::min<std::uint64_t>(chunk_bytes, offset - at)), bytes);
    if (bytes.empty()) break;
    lines += line_ends({bytes.data(), bytes.size()});
    if (bytes.back() == '\r' && at + bytes.size() < offset) {  // a CR LF across the border counts once
      TextBuffer next;
      file.read(at + bytes.size(), 1, next);
      if (!next.empty() && next[0] == '\n') --lines;
    }
  }
  return lines;
}

struct HeadingFields {
  std::vector<std::string> fields;
  bool done = false;
  static void field(void* text, std::size_t size, void* to) {
    auto& self = *static_cast<HeadingFields*>(to);
    if (!self.done) self.fields.emplace_back(static_cast<const char*>(text), text == nullptr ? 0 : size);
  }
  static void record(int, void* to) { static_cast<HeadingFields*>(to)->done = true; }
};

// The first line that is not blank, without its line end; body_ is then where it begins. A line end inside quotes is
// part of a heading.
std::string DelimitedSource::heading_line() {
  TextBuffer bytes;
  file_->read(0, 3, bytes);
  if (std::string_view(bytes.data(), bytes.size()) == "\xEF\xBB\xBF") body_ = 3;
  std::string line;
  bool inside = false;
  for (std::uint64_t at = body_;; at += bytes.size()) {
    bytes.clear();
    file_->read(at, chunk_bytes, bytes);

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

// The sign that the heading line has most of; commas win ties. `usual` where it has none.
static char likely_delimiter(std::string_view line, char usual) {
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

void DelimitedSource::read_heading() {
  if (options_.header.size() == 1) {  // every line is a row, an empty one too
    TextBuffer mark;
    file_->read(0, 3, mark);
    if (std::string_view(mark.data(), mark.size()) == "\xEF\xBB\xBF") body_ = 3;
    if (options_.delimiter != 0) delimiter_ = options_.delimiter;
    headings_ = options_.header;
    return;
  }
  const std::string line = heading_line();
  const std::uint64_t line_begin = body_;
  check_encoding(line, body_);
  delimiter_ = options_.delimiter != 0 ? options_.delimiter : likely_delimiter(line, delimiter_);
  HeadingFields heading;
  Parser parser(delimiter_);
  const std::string with_end = line + "\n";
  if (parser.parse(with_end, HeadingFields::field, HeadingFields::record, &heading) != with_end.size())
    throw Error(problem(Code::unclosed_quote,
                        "the heading line has text behind a closing quote, or a quote inside a name", line_at(body_),
                        "double a quote that belongs to a name: \"\""));

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

// One reading of the rows.
class Reading {
 public:
  Reading(const DelimitedSource& source, std::span<const std::size_t> columns, const Run& run)
      : source_(source),
        run_(run),
        file_(*source.file_),
        wanted_(columns.begin(), columns.end()),
        slot_(source.headings_.size(), -1),
        next_(source.body_) {
    for (std::size_t i = 0; i < wanted_.size(); ++i) slot_[wanted_[i]] = static_cast<int>(i);
    for (const std::size_t column : wanted_) {
      declared_.push_back(engine::declared_type(source_.options_, source_.headings_[column]));
      forms_.push_back(engine::declared_form(source_.options_, source_.headings_[column]));
    }
    any_nulls_ = !source.options_.nulls.empty();
    size_ = file_.size();
    for (const auto& option : source.options_.columns) {
      if (std::find(source.headings_.begin(), source.headings_.end(), option.column) != source.headings_.end())
        continue;
      Problem p = source.problem(Code::unknown_column, "no column `" + option.column + "` in " + source.name_);
      p.place.key = "data.columns." + option.column;
      p.nearest = nearest_word(option.column, source.headings_);
      throw Error(std::move(p));
    }
  }

  Table read() {
    // One worker a thread takes chunk after chunk; a small file is one chunk and needs no thread.
    const bool small = size_ < 2 * chunk_bytes;
    const std::size_t workers = small ? 1 : static_cast<std::size_t>(thread_count(run_));
    parallel_for(workers, run_, [&](std::size_t) {
      ChunkText text;
      Buffers spare(wanted_.size());
      while (take_next(text)) parse_chunk(text, spare);
    });
    file_.check_unchanged();  // what a change broke is not the file's fault
    if (failure_) throw Error(*failure_);
    Table table = seal();
    file_.check_unchanged();
    return table;
  }

 private:
  // What libcsv's callbacks work on where fields may be quoted: each value goes to its reader as it comes.
  struct QuotedRows {
    Reading& reading;
    Chunk& chunk;
    std::vector<PieceReader*> readers;  // by field; null where it is not wanted
    std::size_t field = 0, row = 0;     // of what comes next
    std::size_t ragged_row = no_row, ragged_fields = 0;
    int last_end = 0;  // the sign that ended the last record

    // In a table of one column an empty line is a row with a null; the line feed of CR LF is none.
    bool empty_line(int end) {
      if (end == '\n' && last_end == '\r') {
        last_end = 0;
        return true;
      }
      on_field(nullptr, 0, this);
      return false;
    }
    void begin(std::string_view, std::vector<PieceReader*> by_field) { readers = std::move(by_field); }
    static void on_field(void* text, std::size_t size, void* to) {
      auto& self = *static_cast<QuotedRows*>(to);
      const std::size_t field = self.field++;
      if (field >= self.readers.size() || self.readers[field] == nullptr) return;
      const std::string_view value(static_cast<const char*>(text), text == nullptr ? 0 : size);
      if (text == nullptr || self.reading.is_null_word(value))
        self.readers[field]->add_null();
      else
        self.readers[field]->add(value);
    }
    static void on_record(int end, void* to) {
      auto& self = *static_cast<QuotedRows*>(to);
      if (self.field == 0 && self.empty_line(end)) return;
      self.last_end = end;
      if (self.field != self.readers.size()) self.ragged();
      self.field = 0;
      ++self.row;
    }
    void ragged() {
      if (reading.source_.options_.ragged_as_null && field < readers.size()) {
        for (; field < readers.size(); ++field)
          if (readers[field] != nullptr) readers[field]->add_null();
      } else if (ragged_row == no_row) {
        ragged_row = row;
        ragged_fields = field;
      }
    }
    void end() {}
  };

  // The same where nothing is quoted. A field then is the bytes of the chunk itself, and it is enough to note where
  // each begins: some hundred records at a time are converted together, column by column, in loops that know what the
  // values of a column look like. (Reading a number from the chunk is also quicker than from the buffer that libcsv has
  // just filled byte by byte: a load that spans several stores has to wait for them.)
  struct PlainRows {
    Reading& reading;
    Chunk& chunk;
    std::vector<PieceReader*> readers;
    std::vector<std::uint32_t> begins{};  // of each field, and one after the delimiter or line end of the last
    std::uint32_t* next = nullptr;
    std::uint32_t* last = nullptr;  // of this record
    std::uint32_t* full = nullptr;  // where the last record of a stretch would begin
    std::string_view text{};
    std::uint32_t cursor = 0;  // where libcsv's next field begins
    std::size_t row = 0, extra = 0;
    std::size_t ragged_row = no_row, ragged_fields = 0;

    void begin(std::string_view chunk_text, std::vector<PieceReader*> by_field) {
      constexpr std::size_t usual = 4096;  // numbers that stay in the first-level cache
      readers = std::move(by_field);
      text = chunk_text;
      const std::size_t stride = readers.size() + 1;
      begins.resize(std::max<std::size_t>(1, usual / stride) * stride);
      full = begins.data() + begins.size() - stride;
      skip_line_ends();
      begin_record(begins.data());
    }
    void begin_record(std::uint32_t* at) {
      next = at;
      last = at + readers.size();
      *next = cursor;
    }
    // A carriage return ends a record for libcsv, and the line feed after it is an empty line, which it skips.
    void skip_line_ends() {
      while (cursor < text.size() && is_line_end(text[cursor])) ++cursor;
    }
    static void on_field(void*, std::size_t size, void* to) {
      auto& self = *static_cast<PlainRows*>(to);
      self.cursor += static_cast<std::uint32_t>(size) + 1;
      if (self.next == self.last)
        ++self.extra;
      else
        *++self.next = self.cursor;
    }
    static void on_record(int, void* to) {
      auto& self = *static_cast<PlainRows*>(to);
      if (self.next != self.last || self.extra > 0) self.ragged();
      ++self.row;
      self.skip_line_ends();
      if (self.last < self.full + self.readers.size()) return self.begin_record(self.last + 1);
      self.convert(self.begins.size());
      self.begin_record(self.begins.data());
    }
    void ragged() {
      if (reading.source_.options_.ragged_as_null && extra == 0) {
        for (; next != last; ++next) next[1] = next[0] + 1;  // an empty field
      } else if (ragged_row == no_row) {
        ragged_row = row;
        ragged_fields = static_cast<std::size_t>(next - last) + readers.size() + extra;
      }
      extra = 0;
    }
    void end() { convert(static_cast<std::size_t>(last - begins.data()) - readers.size()); }
    void convert(std::size_t size) const {
      const std::size_t stride = readers.size() + 1;
      for (std::size_t f = 0; f < readers.size(); ++f) {
        if (readers[f] == nullptr) continue;
        const FieldRun fields{text.data(), begins.data() + f, stride, size / stride};
        if (reading.any_nulls_)
          reading.add_with_null_words(*readers[f], fields);
        else
          readers[f]->add_fields(fields);
      }
    }
  };

  void add_with_null_words(PieceReader& reader, const FieldRun& fields) const {
    for (std::size_t r = 0; r < fields.count; ++r) {
      const std::string_view text = fields[r];
      if (text.empty() || is_null_word(text))
        reader.add_null();
      else
        reader.add(text);
    }
  }

  bool is_null_word(std::string_view text) const {
    const auto& nulls = source_.options_.nulls;
    return any_nulls_ && std::find(nulls.begin(), nulls.end(), text) != nulls.end();
  }

  // The next whole records, and the bytes after them kept for the one after.
  bool take_next(ChunkText& out) {
    const std::scoped_lock lock(mutex_);
    check_stop(run_);
    if (failure_ || (ended_ && carry_.empty())) return false;
    out.quotes = true;
    out.bytes.assign(carry_.begin(), carry_.end());  // not swapped: each keeps its room, and no fresh pages are touched
    carry_.clear();
    out.offset = next_ - out.bytes.size();

    // More bytes, until a record ends among them.
    std::size_t wanted = chunk_bytes;
    for (;;) {
      const std::size_t before = out.bytes.size();
      if (!ended_) file_.read(next_, wanted, out.bytes);
      next_ += out.bytes.size() - before;
      if (out.bytes.size() - before < wanted) ended_ = true;
      if (ended_) break;
      const Cut cut = last_record_end(out.view());
      if (cut.end > 0) {
        out.quotes = cut.quotes;
        carry_.assign(out.bytes.begin() + static_cast<std::ptrdiff_t>(cut.end), out.bytes.end());
        out.bytes.resize(cut.end);
        break;
      }
      if (out.bytes.size() > most_record_bytes) {
        carry_.clear();
        ended_ = true;
        throw Error(source_.problem(Code::beyond_limit, "a row is longer than 256 MiB", source_.line_at(out.offset),
                                    "close the quote that begins in it"));
      }
      wanted = std::min(wanted * 2, most_record_bytes + 1 - out.bytes.size());  // one record longer than a chunk
    }

    // A chunk.
    if (out.bytes.empty()) return false;
    if (ended_) out.quotes = std::memchr(out.bytes.data(), '"', out.bytes.size()) != nullptr;
    out.bytes.reserve(out.bytes.size() + FieldRun::padding);
    out.number = chunks_.size();
    chunks_.push_back(std::make_unique<Chunk>());
    chunks_.back()->offset = out.offset;
    chunks_.back()->size = out.bytes.size();
    if (run_.progress && size_ > 0) run_.progress(static_cast<double>(next_) / static_cast<double>(size_));
    return true;
  }

  void fail(std::size_t chunk, Problem problem) {
    const std::scoped_lock lock(mutex_);
    if (failure_ && failed_chunk_ <= chunk) return;
    failure_ = std::move(problem);
    failed_chunk_ = chunk;
  }

  using Buffers = std::vector<Piece::Room>;  // by wanted column, so that each gets back what it gave

  void parse_chunk(const ChunkText& text, Buffers& spare) {
    Chunk* chunk = nullptr;
    {
      const std::scoped_lock lock(mutex_);
      chunk = chunks_[text.number].get();
    }
    try {
      source_.check_encoding(text.view(), text.offset);
      for (std::size_t i = 0; i < declared_.size(); ++i) chunk->readers.emplace_back(declared_[i], forms_[i]);
      make_room(text.view(), *chunk, spare);
      run_parser(text.view(), *chunk, slot_, text.quotes);

      // A guess from the first value that the whole chunk does not bear out is mended while its bytes are at hand.
      std::vector<int> again(slot_.size(), -1);
      bool any = false;
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        const Type type = type_from(chunk->readers[i].census());
        if (declared_[i] || chunk->readers[i].serves(type)) continue;
        reread(*chunk, i, type);
        again[wanted_[i]] = static_cast<int>(i);
        any = true;
      }
      if (any) run_parser(text.view(), *chunk, again, text.quotes);
      for (std::size_t i = 0; i < wanted_.size(); ++i) spare[i] = chunk->readers[i].pack();
    } catch (const Error& error) {
      fail(text.number, error.problems().front());
    }
  }

  // The first lines tell how many there will be, near enough.
  static void make_room(std::string_view text, Chunk& chunk, Buffers& spare) {
    const std::string_view sample = text.substr(0, 16 * 1024);
    const auto lines = static_cast<std::size_t>(std::count(sample.begin(), sample.end(), '\n')) + 1;
    for (std::size_t i = 0; i < chunk.readers.size(); ++i)
      chunk.readers[i].reserve(lines * text.size() / std::max<std::size_t>(1, sample.size()) * 17 / 16 + 16,
                               std::move(spare[i]));
  }

  // Makes way for reading a column again; its census is kept aside, because a forced reading has none.
  void reread(Chunk& chunk, std::size_t column, const Type& type) {
    const std::scoped_lock lock(mutex_);
    kept_census_[{chunk.offset, column}] = chunk.readers[column].census();
    chunk.readers[column] = PieceReader(type);
  }

  Census census_of(const Chunk& chunk, std::size_t column) const {
    const auto kept = kept_census_.find({chunk.offset, column});
    return kept != kept_census_.end() ? kept->second : chunk.readers[column].census();
  }

  // Gives the fields of a chunk to its readers, by field of the file: -1 where no reader wants it.
  void run_parser(std::string_view text, Chunk& chunk, const std::vector<int>& slot, bool quotes) {
    std::vector<PieceReader*> readers;
    for (const int one : slot) readers.push_back(one < 0 ? nullptr : &chunk.readers[static_cast<std::size_t>(one)]);
    if (one_column() && !quotes)
      run_lines(text, chunk, readers.front());
    else if (quotes)
      run_parser<QuotedRows>(text, chunk, std::move(readers));
    else
      run_parser<PlainRows>(text, chunk, std::move(readers));
  }

  bool one_column() const { return slot_.size() == 1; }

  // A table of one column without quotes: every line is a row, and an empty one a null.
  void run_lines(std::string_view text, Chunk& chunk, PieceReader* reader) {
    std::vector<std::uint32_t> begins;  // two a row: where it begins, and one after its line end
    constexpr std::size_t at_once = 4096;
    std::size_t rows = 0;
    const auto convert = [&] {
      const FieldRun fields{text.data(), begins.data(), 2, begins.size() / 2};
      if (reader != nullptr && any_nulls_)
        add_with_null_words(*reader, fields);
      else if (reader != nullptr)
        reader->add_fields(fields);
      begins.clear();
    };

    // Line by line.
    for (std::size_t at = 0; at < text.size(); ++rows) {
      const std::size_t end = std::min(text.find_first_of("\r\n", at), text.size());
      if (const std::string_view line = text.substr(at, end - at);
          line.find(source_.delimiter_) != std::string_view::npos)
        throw ragged(text, at, chunk,
                     1 + static_cast<std::size_t>(std::count(line.begin(), line.end(), source_.delimiter_)), 1);
      begins.push_back(static_cast<std::uint32_t>(at));
      begins.push_back(static_cast<std::uint32_t>(end + 1));
      at = end + (text.substr(end, 2) == "\r\n" ? 2 : 1);
      if (begins.size() == at_once) convert();
    }
    convert();
    chunk.rows = rows;
  }

  Error ragged(std::string_view text, std::size_t begin, const Chunk& chunk, std::size_t found,
               std::size_t fields) const {
    const std::string_view record = text.substr(begin, text.find_first_of("\r\n", begin) - begin);
    Problem p = source_.problem(Code::ragged_row,
                                "this row has " + std::to_string(found) + (found == 1 ? " field" : " fields") +
                                    ", the heading line has " + std::to_string(fields),
                                source_.line_at(chunk.offset + begin),
                                found < fields ? "data.ragged = \"null\" fills short rows with nulls"
                                               : "put fields that hold the delimiter in quotes");
    p.place.text = std::string(record.substr(0, 200));
    return Error(std::move(p));
  }

  template <class Rows>
  void run_parser(std::string_view text, Chunk& chunk, std::vector<PieceReader*> readers) {
    const std::size_t fields = readers.size();
    Rows rows{*this, chunk, {}};
    rows.begin(text, std::move(readers));
    Parser parser(source_.delimiter_, one_column());
    const std::size_t done = parser.parse(text, Rows::on_field, Rows::on_record, &rows);
    if (done != text.size()) {
      Problem p = source_.problem(
          Code::unclosed_quote,
          "a quote stands where none can: inside a field that is not quoted, or with text behind it",
          source_.line_at(chunk.offset + done), "put the whole field in quotes, and double the quotes inside it");
      throw Error(std::move(p));
    }
    if (!parser.finish(Rows::on_field, Rows::on_record, &rows)) {
      const std::size_t begin = record_begin(text, rows.row);
      throw Error(source_.problem(Code::unclosed_quote, "a quoted field begins in this row and never ends",
                                  source_.line_at(chunk.offset + begin), "close it with \""));
    }
    if (rows.ragged_row != no_row)
      throw ragged(text, record_begin(text, rows.ragged_row), chunk, rows.ragged_fields, fields);
    rows.end();
    chunk.rows = rows.row;
  }

  // Where record `index` of a text begins, by the rules that libcsv follows.
  std::size_t record_begin(std::string_view text, std::size_t index) const {
    return record_begin(text, index, one_column());
  }
  static std::size_t record_begin(std::string_view text, std::size_t index, bool every_line) {
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

  Table seal() {
    auto data = std::make_shared<TableData>();
    data->name = source_.name_;
    data->headings = source_.headings_;
    data->columns.resize(source_.headings_.size());
    data->census.resize(source_.headings_.size());
    for (auto& chunk : chunks_) {
      chunk->first_row = data->rows;
      data->rows += chunk->rows;
    }
    if (data->rows > most_rows)
      throw Error(source_.problem(Code::too_many_rows, "the file has " + std::to_string(data->rows) +
                                                           " rows; at most 4,294,967,294 can be numbered"));

    // The types, from the whole columns.
    std::vector<Type> types;
    for (std::size_t i = 0; i < wanted_.size(); ++i) {
      Census& census = data->census[wanted_[i]];
      for (const auto& chunk : chunks_) census.merge(census_of(*chunk, i));
      types.push_back(engine::column_type(declared_[i], census));
    }
    convert_again(types);

    // Column by column.
    for (std::size_t i = 0; i < wanted_.size(); ++i) {
      report_misfits(i, types[i], *data);
      std::vector<Piece> pieces;
      for (auto& chunk : chunks_) {
        pieces.push_back(chunk->readers[i].take(types[i]));
        if (types[i].kind == Kind::decimal) types[i].scale = std::max(types[i].scale, pieces.back().type.scale);
      }
      try {
        data->columns[wanted_[i]] = Column::seal(types[i], std::move(pieces), run_);
      } catch (const Error& error) {
        Problem p = error.problems().front();
        p.place.file = source_.path_.string();
        p.sentence = "`" + source_.headings_[wanted_[i]] + "`: " + p.sentence;
        throw Error(std::move(p));
      }
    }
    data->line_of = line_finder();
    return Table(std::move(data));
  }

  // Chunks whose guess is not the column's type are parsed again from the file, for those columns only.
  void convert_again(const std::vector<Type>& types) {
    parallel_for(chunks_.size(), run_, [&](std::size_t c) {
      Chunk& chunk = *chunks_[c];
      std::vector<int> again(slot_.size(), -1);
      bool any = false;
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        if (chunk.readers[i].serves(types[i])) continue;
        chunk.readers[i] = PieceReader(types[i]);
        again[wanted_[i]] = static_cast<int>(i);
        any = true;
      }
      if (!any) return;
      TextBuffer bytes;
      file_.read(chunk.offset, chunk.size, bytes);
      const std::size_t rows = chunk.rows;
      file_.check_unchanged();
      run_parser({bytes.data(), bytes.size()}, chunk, again, true);
      if (chunk.rows != rows)
        throw Error(source_.problem(Code::changed_file, "it was changed while it was read", 0,
                                    "try again when no other program is writing to it, or take a copy"));
    });
  }

  void report_misfits(std::size_t i, const Type& type, TableData& data) const {
    engine::Misfits misfits;
    for (const auto& chunk : chunks_)
      for (const Misfit& misfit : chunk->readers[i].misfits())
        misfits.add(misfit.text, [&] { return "line " + std::to_string(line_of_row(*chunk, misfit.row)); });
    misfits.report(source_.headings_[wanted_[i]], source_.name_, type, data.doubts);
  }

  std::size_t line_of_row(const Chunk& chunk, std::size_t row) const {
    TextBuffer bytes;
    file_.read(chunk.offset, chunk.size, bytes);
    return source_.line_at(chunk.offset + record_begin({bytes.data(), bytes.size()}, row));
  }

  std::function<std::size_t(std::size_t)> line_finder() const {
    struct Stretch {
      std::size_t first_row, rows;
      std::uint64_t offset;
      std::size_t size;
    };
    auto stretches = std::make_shared<std::vector<Stretch>>();
    for (const auto& chunk : chunks_) stretches->push_back({chunk->first_row, chunk->rows, chunk->offset, chunk->size});
    const DelimitedSource source = source_;
    return [stretches, source](std::size_t row) -> std::size_t {
      for (const Stretch& s : *stretches) {
        if (row < s.first_row || row >= s.first_row + s.rows) continue;
        const OpenFile& file = *source.file_;
        TextBuffer bytes;
        file.read(s.offset, s.size, bytes);
        return source.line_at(
            s.offset + record_begin({bytes.data(), bytes.size()}, row - s.first_row, source.headings_.size() == 1));
      }
      return 0;
    };
  }

  const DelimitedSource& source_;
  const Run& run_;
  const OpenFile& file_;
  std::vector<std::size_t> wanted_;
  std::vector<int> slot_;
  std::vector<std::optional<Type>> declared_;
  std::vector<engine::NumberForm> forms_;
  std::uint64_t size_ = 0;
  bool any_nulls_ = false;

  std::mutex mutex_;  // guards what follows while chunks are taken
  std::uint64_t next_;
  TextBuffer carry_;
  bool ended_ = false;
  std::vector<std::unique_ptr<Chunk>> chunks_;
  std::map<std::pair<std::uint64_t, std::size_t>, Census> kept_census_;
  std::optional<Problem> failure_;
  std::size_t failed_chunk_ = 0;
};

// From samples at the beginning, in the middle and at the end: lines grow with the numbers in them.
TableSize DelimitedSource::size() const {
  constexpr std::uint64_t sample = 64 << 10;
  const std::uint64_t bytes = file_->size();
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

Table DelimitedSource::read(std::span<const std::size_t> columns, const Run& run) const {
  return Reading(*this, columns, run).read();
}

}  // namespace

std::shared_ptr<const TableSource> open_delimited(const std::filesystem::path& file, const ReadOptions& options) {
  return std::make_shared<DelimitedSource>(file, options);
}

}  // namespace lofty
