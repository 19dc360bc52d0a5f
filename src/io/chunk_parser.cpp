#include "io/chunk_parser.hpp"

#include <algorithm>

#include "io/delimited_text.hpp"
#include "io/field_batch.hpp"
#include "io/field_ends.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t no_kept_row = ~std::size_t{0};

}  // namespace

// The rows of a chunk while it is parsed. It is enough to note where each field begins: some hundred records at a time
// are converted together, column by column, in loops that know what the values of a column look like.
class ChunkRows {
 public:
  ChunkRows(const ChunkParser& parser, std::string_view text, const Chunk& chunk, std::vector<PieceReader*> readers)
      : parser_(parser),
        text_(text),
        chunk_(chunk),
        readers_(std::move(readers)),
        fields_(readers_.size()),
        batch_(readers_, parser.source_.options().nulls),
        csv_(parser.source_.delimiter(), parser.source_.one_column()) {
    ends_.resize(fields_at_once + least_field_room + 1);
    begins_.reserve(fields_at_once + fields_ + 1);
  }

  std::size_t read() {
    if (parser_.source_.one_column()) {
      parse(0, text_.size());
    } else {
      // Each turn consumes a record: the second call stops where it began only at one that needs the parser.
      for (std::size_t at = 0; at < text_.size();) {
        at = read_marked(at, false);
        at = read_marked(at, true);
        if (needs_parser_) at = read_with_parser(at);
      }
    }
    if (ragged_row_ == no_kept_row) return rows_;
    throw parser_.ragged(text_, record_begin(text_, ragged_row_, parser_.source_.one_column()), chunk_, ragged_fields_,
                         fields_);
  }

 private:
  std::size_t read_marked(std::size_t at, bool with_quotes);
  bool aligned(const FieldEnds& found, std::size_t count, bool unended) const;
  std::size_t take_one_by_one(std::size_t count, std::size_t& begin);
  std::size_t read_with_parser(std::size_t at);
  void parse(std::size_t begin, std::size_t end);
  void on_record(int end);
  void convert(const std::vector<std::uint32_t>& begins, std::size_t stride, std::size_t count);
  void convert_begins();
  void convert_quoted(PieceReader& reader, const std::uint32_t* begins, std::size_t stride, std::size_t count);
  void note_ragged(std::size_t fields) {
    if (ragged_row_ != no_kept_row) return;
    ragged_row_ = rows_;
    ragged_fields_ = fields;
  }
  bool filled_with_nulls(std::size_t fields) const {
    return fields < fields_ && parser_.source_.options().ragged_as_null;
  }

  const ChunkParser& parser_;
  const std::string_view text_;
  const Chunk& chunk_;
  const std::vector<PieceReader*> readers_;  // by field; null where it is not wanted
  const std::size_t fields_;                 // of a row
  std::size_t rows_ = 0, ragged_row_ = no_kept_row, ragged_fields_ = 0;

  // Records that need no parser: the first element is where a record begins, the others are behind its fields.
  std::vector<std::uint32_t> ends_;
  // Where fields begin, one element more than fields for each record: where the ends cannot be taken as they lie.
  std::vector<std::uint32_t> begins_;
  bool with_quotes_ = false;                // may any of their fields be in quotes?
  std::vector<std::uint32_t> bare_fields_;  // of a column: where each begins inside its quotes, and one after its end
  bool needs_parser_ = false;               // the next record
  std::size_t parsed_at_once_ = 1, parsed_until_ = 0;  // records that went to the parser last, and the row after them
  FieldBatch batch_;                                   // of records as libcsv gives them, and of short ones
  int last_end_ = 0;                                   // the sign that ended the last of these
  CsvParser csv_;
};

// Records from `at` on, where one begins, up to the first that holds a quote; or, with quotes, up to where there are
// none any more, or one needs the parser. Returns where that record begins, or the end.
std::size_t ChunkRows::read_marked(std::size_t at, bool with_quotes) {
  with_quotes_ = with_quotes;
  needs_parser_ = false;
  QuoteState quotes;
  const std::size_t first = at;
  // Each turn consumes bytes: there is room for at least one block of 64, and a stop inside it returns.
  std::size_t begin = at, held = 0;  // of the record that is not complete: where it begins, fields whose end is known
  ends_[0] = static_cast<std::uint32_t>(begin);
  for (;;) {
    if (ends_.size() < held + 1 + least_field_room) ends_.resize(ends_.size() * 2);
    std::uint32_t* const out = ends_.data() + 1 + held;
    const std::size_t room = ends_.size() - 1 - held;
    const char delimiter = parser_.source_.delimiter();
    FieldEnds found = with_quotes ? find_field_ends_outside_quotes(text_, at, delimiter, quotes, out, room)
                                  : find_field_ends(text_, at, delimiter, out, room);
    at = found.stopped;
    std::size_t count = held + found.count;

    // The end of the text ends a record, too.
    const bool unended = at == text_.size() && at > first && !is_line_end(text_[at - 1]) && !found.needs_parser;
    if (unended) {
      ends_[++count] = static_cast<std::uint32_t>(at) + 1;
      ++found.line_feeds;
    }

    // Complete records; what is left goes to the front.
    std::size_t used = 0;
    if (aligned(found, count, unended)) {
      used = count - count % fields_;
      convert(ends_, fields_, count / fields_);
      rows_ += count / fields_;
      begin = ends_[used];
    } else {
      used = take_one_by_one(count, begin);
    }
    std::copy(ends_.begin() + static_cast<std::ptrdiff_t>(used + 1),
              ends_.begin() + static_cast<std::ptrdiff_t>(count + 1), ends_.begin() + 1);
    ends_[0] = static_cast<std::uint32_t>(begin);
    held = count - used;
    needs_parser_ = found.needs_parser;
    if (needs_parser_) return begin;
    if (at == text_.size()) return at;
    // A record whose first quote is far from its beginning has to be read to its end.
    if (with_quotes ? begin > first && !found.quotes && !quotes.inside : text_[at] == '"') return begin;
  }
}

// Do line feeds, and nothing else, end a record after every so many fields? Then a record's last end is where the next
// one begins, and all can be taken as they lie.
bool ChunkRows::aligned(const FieldEnds& found, std::size_t count, bool unended) const {
  const std::size_t records = count / fields_;
  if (found.carriage_returns || found.line_feeds != records || (unended && count % fields_ != 0)) return false;
  for (std::size_t r = 1; r + unended <= records; ++r)
    if (text_[ends_[r * fields_] - 1] != '\n') return false;
  return true;
}

// The same where line ends are of another kind, lines are empty, or fields are missing. Returns how many of the ends
// belong to complete records; `begin` then is where the next one begins.
std::size_t ChunkRows::take_one_by_one(std::size_t count, std::size_t& begin) {
  std::size_t used = 0;
  for (std::size_t i = 1; i <= count; ++i) {
    const std::size_t end = ends_[i] - 1;
    if (end < text_.size() && !is_line_end(text_[end])) continue;
    const std::size_t fields = i - used;
    const std::ptrdiff_t first = static_cast<std::ptrdiff_t>(used);
    ends_[used] = static_cast<std::uint32_t>(begin);
    used = i;

    // An empty line, or the line feed of CR LF, is no record.
    const bool empty = fields == 1 && end == begin;
    begin = end + 1;
    if (empty) continue;
    if (fields == fields_) {
      begins_.insert(begins_.end(), ends_.begin() + first,
                     ends_.begin() + first + static_cast<std::ptrdiff_t>(fields) + 1);
      if (begins_.size() >= fields_at_once) convert_begins();
    } else if (filled_with_nulls(fields)) {
      convert_begins();
      const std::uint32_t* const at = ends_.data() + first;
      for (std::size_t f = 0; f < fields; ++f) {
        const std::string_view text = text_.substr(at[f], at[f + 1] - at[f] - 1);
        if (text.empty())
          batch_.add_null();
        else
          batch_.add(with_quotes_ && text.front() == '"' ? text.substr(1, text.size() - 2) : text);
      }
      batch_.end_record();
      batch_.flush();
    } else {
      note_ragged(fields);
    }
    ++rows_;
  }
  convert_begins();
  return used;
}

// Parses records with quotes from `at` on, of which the first needs the parser. Returns the end of the last one, which
// is always after `at`: a record that needs the parser holds a quote, so quoted_records_end() takes at least that one.
// The number of records doubles while such records are frequent, and restarts at one where they are rare.
std::size_t ChunkRows::read_with_parser(std::size_t at) {
  constexpr std::size_t most_at_once = 65536;
  parsed_at_once_ = rows_ - parsed_until_ > parsed_at_once_ ? 1 : std::min(2 * parsed_at_once_, most_at_once);
  std::size_t end = quoted_records_end(text_, at, parsed_at_once_);
  if (end <= at) end = text_.size();  // read() ends only if each call consumes bytes
  parse(at, end);
  parsed_until_ = rows_;
  return end;
}

void ChunkRows::parse(std::size_t at, std::size_t end) {
  const auto field = [](void* text, std::size_t size, void* to) {
    FieldBatch& batch = static_cast<ChunkRows*>(to)->batch_;
    text == nullptr ? batch.add_null() : batch.add({static_cast<const char*>(text), size});
  };
  const auto record = [](int by, void* to) { static_cast<ChunkRows*>(to)->on_record(by); };
  const DelimitedSource& source = parser_.source_;
  const std::size_t done = csv_.parse(text_.substr(at, end - at), field, record, this);
  if (done != end - at)
    throw Error(source.problem(
        Code::unclosed_quote, "unexpected quote: it is inside a field that is not quoted, or text follows it",
        source.line_at(chunk_.offset + at + done), "put the whole field in quotes, and double the quotes inside it"));
  if (!csv_.finish(field, record, this))
    throw Error(source.problem(Code::unclosed_quote, "a quoted field begins in this row and never ends",
                               source.line_at(chunk_.offset + record_begin(text_, rows_, source.one_column())),
                               "close it with \""));
  batch_.flush();
}

void ChunkRows::on_record(int end) {
  if (batch_.fields() == 0) {
    // In a table of one column an empty line is a row with a null; the line feed of CR LF is none.
    if (end == '\n' && last_end_ == '\r') {
      last_end_ = 0;
      return;
    }
    batch_.add_null();
  }
  last_end_ = end;
  if (batch_.fields() == fields_ || filled_with_nulls(batch_.fields())) {
    batch_.end_record();
  } else {
    note_ragged(batch_.fields());
    batch_.drop_record();
  }
  ++rows_;
}

// `count` records, each `stride` elements after the one before it.
void ChunkRows::convert(const std::vector<std::uint32_t>& begins, std::size_t stride, std::size_t count) {
  for (std::size_t f = 0; f < fields_; ++f) {
    if (readers_[f] == nullptr) continue;
    if (with_quotes_)
      convert_quoted(*readers_[f], begins.data() + f, stride, count);
    else
      add_fields(*readers_[f], {text_.data(), begins.data() + f, stride, count}, parser_.source_.options().nulls);
  }
}

// A column of them whose fields may be in quotes.
void ChunkRows::convert_quoted(PieceReader& reader, const std::uint32_t* begins, std::size_t stride,
                               std::size_t count) {
  bare_fields_.resize(2 * count);
  bool empty_text = false;
  for (std::size_t r = 0; r < count; ++r, begins += stride) {
    const std::uint32_t begin = begins[0], after = begins[1];
    const bool quoted = begin + 1 < after && text_[begin] == '"';
    bare_fields_[2 * r] = begin + quoted;
    bare_fields_[2 * r + 1] = after - quoted;
    empty_text = empty_text || (quoted && after - begin == 3);
  }
  const std::vector<std::string>& nulls = parser_.source_.options().nulls;
  const FieldRun fields{text_.data(), bare_fields_.data(), 2, count};
  if (!empty_text) return add_fields(reader, fields, nulls);

  // An empty text in quotes is not null.
  for (std::size_t r = 0; r < count; ++r) {
    const std::string_view text = fields[r];
    const bool quoted = bare_fields_[2 * r] > 0 && text_[bare_fields_[2 * r] - 1] == '"';
    if ((text.empty() && !quoted) || std::find(nulls.begin(), nulls.end(), text) != nulls.end())
      reader.add_null();
    else
      reader.add(text);
  }
}

void ChunkRows::convert_begins() {
  convert(begins_, fields_ + 1, begins_.size() / (fields_ + 1));
  begins_.clear();
}

// A table of one column without quotes: every line is a row, and an empty one a null.
std::size_t ChunkParser::read_lines(std::string_view text, const Chunk& chunk, PieceReader* reader) const {
  std::vector<std::uint32_t> begins;  // two a row: where it begins, and one after its line end
  constexpr std::size_t at_once = 4096;
  std::size_t rows = 0;
  const auto convert = [&] {
    const FieldRun fields{text.data(), begins.data(), 2, begins.size() / 2};
    if (reader != nullptr) add_fields(*reader, fields, source_.options().nulls);
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
  return rows;
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

void ChunkParser::parse(std::string_view text, Chunk& chunk, const std::vector<int>& slot) const {
  std::vector<PieceReader*> readers;
  for (const int one : slot) readers.push_back(one < 0 ? nullptr : &chunk.readers[static_cast<std::size_t>(one)]);
  if (source_.one_column() && text.find('"') == std::string_view::npos)
    chunk.rows = read_lines(text, chunk, readers.front());
  else
    chunk.rows = ChunkRows(*this, text, chunk, std::move(readers)).read();
}

}  // namespace lofty::engine
