// The rows of a delimited file: chunks parsed in parallel, converted as they are parsed, sealed into columns.
//
// A column whose type turns out different from a chunk's guess has that chunk's bytes read again, for that column only.
// Covered by tests/io/delimited_test.cpp.

#include <xxhash.h>

#include <algorithm>
#include <map>
#include <mutex>

#include "io/chunk_parser.hpp"
#include "io/declared.hpp"
#include "io/delimited_text.hpp"
#include "question/prose.hpp"
#include "table/folded.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

// One reading of the rows.
class RowsReading {
 public:
  RowsReading(const DelimitedSource& source, std::span<const std::size_t> columns, const Run& run)
      : source_(source),
        run_(run),
        file_(source.file()),
        wanted_(columns.begin(), columns.end()),
        slot_(source.headings().size(), -1),
        parser_(source) {
    for (std::size_t i = 0; i < wanted_.size(); ++i) slot_[wanted_[i]] = static_cast<int>(i);
    for (const std::size_t column : wanted_)
      declared_.push_back(declared(source_.options(), source_.headings()[column]));
    for (const auto& option : source.options().columns) {
      if (std::find(source.headings().begin(), source.headings().end(), option.column) != source.headings().end())
        continue;
      Problem p = source.problem(Code::unknown_column, "no column `" + option.column + "` in " + source.name());
      p.location.key = "data.columns." + option.column;
      p.nearest = nearest_word(option.column, source.headings());
      throw Error(std::move(p));
    }
  }

  Table read() {
    // One worker a thread takes chunk after chunk; a small file is one chunk and needs no thread.
    const bool small = file_.size() < 2 * chunk_bytes;
    ChunkQueue queue(source_, run_);
    const std::size_t workers = small ? 1 : static_cast<std::size_t>(thread_count(run_));
    parallel_for(workers, run_, [&](std::size_t) {
      ChunkText text;
      Buffers spare(wanted_.size());
      while (queue.take(text)) parse_chunk(text, queue, spare);
    });
    file_.check_unchanged();  // what a change broke is not the file's fault
    chunks_ = queue.finish();
    Table table = seal();
    file_.check_unchanged();
    return table;
  }

 private:
  using Buffers = std::vector<Piece::Room>;  // by wanted column, so that each gets back what it gave

  void parse_chunk(const ChunkText& text, ChunkQueue& queue, Buffers& spare) {
    Chunk& chunk = queue.chunk(text.number);
    try {
      source_.check_encoding(text.view(), text.offset);
      for (std::size_t i = 0; i < declared_.size(); ++i)
        chunk.readers.emplace_back(declared_[i].type, declared_[i].written);
      make_room(text.view(), chunk, spare);
      parser_.parse(text.view(), chunk, slot_);

      // A guess from the first value that the whole chunk does not bear out is mended while its bytes are at hand.
      std::vector<int> again(slot_.size(), -1);
      bool any = false;
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        const Type type = type_from(chunk.readers[i].census());
        if (declared_[i].type || chunk.readers[i].serves(type)) continue;
        reread(chunk, i, type);
        again[wanted_[i]] = static_cast<int>(i);
        any = true;
      }
      if (any) parser_.parse(text.view(), chunk, again);
      for (std::size_t i = 0; i < wanted_.size(); ++i) spare[i] = chunk.readers[i].pack();
    } catch (const Error& error) {
      queue.fail(text.number, error.problems().front());
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
    const std::scoped_lock lock(census_mutex_);
    kept_census_[{chunk.offset, column}] = chunk.readers[column].census();
    chunk.readers[column] = PieceReader(type);
  }

  Census census_of(const Chunk& chunk, std::size_t column) const {
    const auto kept = kept_census_.find({chunk.offset, column});
    return kept != kept_census_.end() ? kept->second : chunk.readers[column].census();
  }

  Table seal() {
    auto data = std::make_shared<TableData>();
    data->name = source_.name();
    data->headings = source_.headings();
    data->columns.resize(source_.headings().size());
    data->census.resize(source_.headings().size());
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
      types.push_back(column_type(declared_[i].type, census));
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
        p.location.file = source_.path().string();
        p.sentence = "`" + source_.headings()[wanted_[i]] + "`: " + p.sentence;
        throw Error(std::move(p));
      }
    }
    data->line_of = line_finder();
    report_repeated(*data);
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
      bytes.reserve(chunk.size + FieldRun::padding);
      file_.read(chunk.offset, chunk.size, bytes);
      const std::size_t rows = chunk.rows;
      file_.check_unchanged();
      parser_.parse({bytes.data(), bytes.size()}, chunk, again);
      if (chunk.rows != rows)
        throw Error(source_.problem(Code::changed_file, "it was changed while it was read", 0,
                                    "try again when no other program is writing to it, or take a copy"));
    });
  }

  void report_misfits(std::size_t i, const Type& type, TableData& data) const {
    const std::string& heading = source_.headings()[wanted_[i]];
    const Specimen* const written = declared_[i].written.get();
    Misfits misfits;
    Marks marks;
    std::size_t other_marks = 0;
    for (const auto& chunk : chunks_) {
      marks.merge(chunk->readers[i].marks());
      for (const Misfit& misfit : chunk->readers[i].misfits()) {
        misfits.add(misfit.text, [&] { return "line " + std::to_string(line_of_row(*chunk, misfit.row)); });
        other_marks += written != nullptr && has_other_mark(*written, misfit.text);
      }
    }
    misfits.report(heading, source_.name(), type, data.remarks);
    if (written != nullptr) report_marks(heading, source_.name(), *written, marks, other_marks, data.remarks);
  }

  // Rows that were pasted twice: records of the same bytes as an earlier one. Only in small files, where looking costs
  // next to nothing; and where most rows repeat, that is how the table is.
  void report_repeated(TableData& data) const {
    constexpr std::uint64_t most_bytes = 4 << 20;
    if (source_.end() - source_.body() > most_bytes || data.rows < 2) return;
    TextBuffer bytes;
    file_.read(source_.body(), static_cast<std::size_t>(source_.end() - source_.body()), bytes);
    const std::string_view text(bytes.data(), bytes.size());
    std::vector<std::pair<std::uint64_t, std::size_t>> records;  // hash and where it begins
    std::vector<std::size_t> ends;
    bool inside = false;
    for (std::size_t at = 0, begin = 0; at <= text.size(); ++at) {
      if (at < text.size() && text[at] == '"') inside = !inside;
      if (at < text.size() && (inside || !is_line_end(text[at]))) continue;
      if (at > begin) {
        records.emplace_back(XXH3_64bits(text.data() + begin, at - begin), ends.size());
        ends.push_back(begin);
        ends.push_back(at);
      }
      begin = at + 1;
    }
    std::sort(records.begin(), records.end());
    const auto record = [&](std::size_t i) {
      const std::size_t n = records[i].second;
      return text.substr(ends[n], ends[n + 1] - ends[n]);
    };

    // Neighbours of one hash.
    std::size_t repeated = 0;
    std::pair<std::size_t, std::size_t> example{text.size(), 0};  // the first that repeats another, and that other
    for (std::size_t i = 1; i < records.size(); ++i) {
      if (records[i].first != records[i - 1].first || record(i) != record(i - 1)) continue;
      ++repeated;
      example = std::min(example, {ends[records[i].second], ends[records[i - 1].second]});
    }
    if (repeated == 0 || repeated * 2 >= records.size()) return;
    const auto line = [&](std::size_t at) { return std::to_string(source_.line_at(source_.body() + at)); };
    data.remarks.push_back(
        {"duplicate-rows", counted(repeated, "row") + " of " + source_.name() + (repeated == 1 ? " equals" : " equal") +
                               " an earlier one in every column, and " + (repeated == 1 ? "counts" : "count") +
                               " again (line " + line(example.first) + " is as line " + line(example.second) + ")"});
  }

  std::size_t line_of_row(const Chunk& chunk, std::size_t row) const {
    TextBuffer bytes;
    file_.read(chunk.offset, chunk.size, bytes);
    return source_.line_at(chunk.offset + record_begin({bytes.data(), bytes.size()}, row, source_.one_column()));
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
        const OpenFile& file = source.file();
        TextBuffer bytes;
        file.read(s.offset, s.size, bytes);
        return source.line_at(s.offset +
                              record_begin({bytes.data(), bytes.size()}, row - s.first_row, source.one_column()));
      }
      return 0;
    };
  }

  const DelimitedSource& source_;
  const Run& run_;
  const OpenFile& file_;
  std::vector<std::size_t> wanted_;
  std::vector<int> slot_;
  std::vector<Declared> declared_;
  const ChunkParser parser_;
  std::vector<std::unique_ptr<Chunk>> chunks_;  // all of them, once they are parsed
  std::mutex census_mutex_;                     // guards kept_census_ while they are
  std::map<std::pair<std::uint64_t, std::size_t>, Census> kept_census_;
};

}  // namespace

Table read_rows(const DelimitedSource& source, std::span<const std::size_t> columns, const Run& run) {
  return RowsReading(source, columns, run).read();
}

}  // namespace lofty::engine
