// Cutting a delimited file into chunks, and parsing them.
//
// The file is read once, front to back, by whichever thread needs the next chunk; that thread counts the quotes (a
// line end inside an odd number of quotes does not end a record) and keeps the last, unfinished record for the next
// chunk. So chunks depend on the file's bytes only, and pipes could be read the same way.
// Covered by tests/io/delimited_test.cpp.

#include "io/delimited_chunks.hpp"

#include <algorithm>
#include <cstring>

#include "io/delimited_text.hpp"

namespace lofty::engine {
namespace {

// docs/limits.md. A record that long is a quote that was never closed.
constexpr std::size_t most_record_bytes = 256 << 20;

constexpr std::size_t no_row = ~std::size_t{0};

}  // namespace

bool ChunkQueue::take(ChunkText& out) {
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
    const std::uint64_t left = size_ - std::min(size_, next_);
    if (!ended_) source_.file().read(next_, static_cast<std::size_t>(std::min<std::uint64_t>(wanted, left)), out.bytes);
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

Chunk& ChunkQueue::chunk(std::size_t number) {
  const std::scoped_lock lock(mutex_);
  return *chunks_[number];
}

void ChunkQueue::fail(std::size_t chunk, Problem problem) {
  const std::scoped_lock lock(mutex_);
  if (failure_ && failed_chunk_ <= chunk) return;
  failure_ = std::move(problem);
  failed_chunk_ = chunk;
}

std::vector<std::unique_ptr<Chunk>> ChunkQueue::finish() {
  const std::scoped_lock lock(mutex_);
  if (failure_) throw Error(*failure_);
  return std::move(chunks_);
}

// What libcsv's callbacks work on where fields may be quoted: each value goes to its reader as it comes.
struct QuotedRows {
  const ChunkParser& parser;
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
    if (text == nullptr || self.parser.is_null_word(value))
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
    if (parser.source_.options().ragged_as_null && field < readers.size()) {
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
  const ChunkParser& parser;
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
    if (parser.source_.options().ragged_as_null && extra == 0) {
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
      if (parser.any_nulls_)
        parser.add_with_null_words(*readers[f], fields);
      else
        readers[f]->add_fields(fields);
    }
  }
};

void ChunkParser::add_with_null_words(PieceReader& reader, const FieldRun& fields) const {
  for (std::size_t r = 0; r < fields.count; ++r) {
    const std::string_view text = fields[r];
    if (text.empty() || is_null_word(text))
      reader.add_null();
    else
      reader.add(text);
  }
}

bool ChunkParser::is_null_word(std::string_view text) const {
  const auto& nulls = source_.options().nulls;
  return any_nulls_ && std::find(nulls.begin(), nulls.end(), text) != nulls.end();
}

template <class Rows>
void ChunkParser::run_rows(std::string_view text, Chunk& chunk, std::vector<PieceReader*> readers) const {
  const std::size_t fields = readers.size();
  Rows rows{*this, {}};
  rows.begin(text, std::move(readers));
  CsvParser parser(source_.delimiter(), source_.one_column());
  const std::size_t done = parser.parse(text, Rows::on_field, Rows::on_record, &rows);
  if (done != text.size()) {
    Problem p = source_.problem(
        Code::unclosed_quote, "unexpected quote: it is inside a field that is not quoted, or text follows it",
        source_.line_at(chunk.offset + done), "put the whole field in quotes, and double the quotes inside it");
    throw Error(std::move(p));
  }
  if (!parser.finish(Rows::on_field, Rows::on_record, &rows)) {
    const std::size_t begin = record_begin(text, rows.row, source_.one_column());
    throw Error(source_.problem(Code::unclosed_quote, "a quoted field begins in this row and never ends",
                                source_.line_at(chunk.offset + begin), "close it with \""));
  }
  if (rows.ragged_row != no_row)
    throw ragged(text, record_begin(text, rows.ragged_row, source_.one_column()), chunk, rows.ragged_fields, fields);
  rows.end();
  chunk.rows = rows.row;
}

// A table of one column without quotes: every line is a row, and an empty one a null.
void ChunkParser::run_lines(std::string_view text, Chunk& chunk, PieceReader* reader) const {
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
        line.find(source_.delimiter()) != std::string_view::npos)
      throw ragged(text, at, chunk,
                   1 + static_cast<std::size_t>(std::count(line.begin(), line.end(), source_.delimiter())), 1);
    begins.push_back(static_cast<std::uint32_t>(at));
    begins.push_back(static_cast<std::uint32_t>(end + 1));
    at = end + (text.substr(end, 2) == "\r\n" ? 2 : 1);
    if (begins.size() == at_once) convert();
  }
  convert();
  chunk.rows = rows;
}

Error ChunkParser::ragged(std::string_view text, std::size_t begin, const Chunk& chunk, std::size_t found,
                          std::size_t fields) const {
  const std::string_view record = text.substr(begin, text.find_first_of("\r\n", begin) - begin);
  Problem p = source_.problem(Code::ragged_row,
                              "this row has " + std::to_string(found) + (found == 1 ? " field" : " fields") +
                                  ", the heading line has " + std::to_string(fields),
                              source_.line_at(chunk.offset + begin),
                              found < fields ? "data.ragged = \"null\" fills short rows with nulls"
                                             : "put fields that hold the delimiter in quotes");
  p.location.text = std::string(record.substr(0, 200));
  return Error(std::move(p));
}

// The fields of a chunk, in the way that is quickest for what it holds.
void ChunkParser::parse(std::string_view text, Chunk& chunk, const std::vector<int>& slot, bool quotes) const {
  std::vector<PieceReader*> readers;
  for (const int one : slot) readers.push_back(one < 0 ? nullptr : &chunk.readers[static_cast<std::size_t>(one)]);
  if (source_.one_column() && !quotes)
    run_lines(text, chunk, readers.front());
  else if (quotes)
    run_rows<QuotedRows>(text, chunk, std::move(readers));
  else
    run_rows<PlainRows>(text, chunk, std::move(readers));
}

}  // namespace lofty::engine
