// The rows of a delimited file: chunks parsed in parallel, converted as they are parsed, sealed into columns.
//
// A column whose type turns out different from a chunk's guess has that chunk's bytes read again, for that column only.
// Covered by tests/io/delimited_test.cpp.

#include <xxhash.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <map>
#include <mutex>
#include <tuple>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/folded.hpp"
#include "base/pages.hpp"
#include "io/chunk_parser.hpp"
#include "io/declared.hpp"
#include "io/delimited_files.hpp"
#include "io/delimited_text.hpp"
#include "io/field_ends.hpp"
#include "question/prose.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

// One reading of the rows.
class RowsReading {
 public:
  RowsReading(const DelimitedFiles& table, std::span<const std::size_t> columns, const Run& run)
      : table_(table), run_(run) {
    for (const std::size_t column : columns) {
      if (table.is_file_column(column))
        wants_file_ = true;
      else
        wanted_.push_back(column);
    }
    for (const DelimitedFiles::File& file : table.files()) {
      Reading one{file, std::vector<int>(file.source->headings().size(), -1), ChunkParser(*file.source)};
      for (std::size_t i = 0; i < wanted_.size(); ++i) one.slot[file.columns[wanted_[i]]] = static_cast<int>(i);
      files_.push_back(std::move(one));
    }
    for (const std::size_t column : wanted_) declared_.push_back(declared(table.options(), table.headings()[column]));
    for (const auto& option : table.options().columns) {
      if (std::find(table.headings().begin(), table.headings().end(), option.column) != table.headings().end())
        continue;
      Problem p =
          files_.front().source().problem(Code::unknown_column, "no column `" + option.column + "` in " + table.name());
      p.location.key = "data.columns." + option.column;
      p.nearest = nearest_word(option.column, table.headings());
      throw Error(std::move(p));
    }
  }

  Table read() {
    const MemoryLimit limit(run_);
    open_queues();
    kept_ = kept_columns(wanted_.size(), bytes_ / chunk_bytes);
    parse_chunks(std::numeric_limits<std::size_t>::max());
    queues_.clear();
    workers_.clear();

    // The types, from the whole columns.
    const std::vector<Type> types = types_so_far();
    convert_again(types);
    auto data = empty_data();
    data->rows = rows_;
    for (std::size_t i = 0; i < wanted_.size(); ++i) {
      if (!kept_.empty()) kept_[i].reset();  // its last block goes with its pieces
      note_misfits(i);
      seal(i, types[i], *data);
      if (rows_ > many_rows) give_back_freed_parts();  // its pieces: as much again as the column
    }
    if (wants_file_) data->columns.back() = file_column();
    for (std::size_t i = 0; i < wanted_.size(); ++i) report_misfits(i, data->columns[wanted_[i]]->type(), *data);
    complete(*data);
    Table table = Access::made<Table>(std::move(data));
    check_unchanged();
    return table;
  }

  // The next rows alone; nothing when there are no more, or they have other types than the first.
  std::optional<Table> next_stretch() {
    const MemoryLimit limit(run_);
    if (queues_.empty()) open_queues();
    const std::size_t rows_before = rows_;
    chunks_.clear();
    kept_census_.clear();
    parse_chunks(stretch_chunks);
    if (chunks_.empty()) return std::nullopt;

    // All rows so far have to be of the types that the first of them had.
    std::vector<Type> types = types_so_far();
    for (std::size_t i = 0; i < stretch_types_.size(); ++i) {
      types[i].scale = std::max(types[i].scale, stretch_types_[i].scale);
      if (!(types[i] == stretch_types_[i])) return no_more();
    }
    convert_again(types);
    auto data = empty_data();
    data->rows = rows_ - rows_before;
    for (std::size_t i = 0; i < wanted_.size(); ++i) {
      note_misfits(i);
      seal(i, types[i], *data);
      const Type& type = data->columns[wanted_[i]]->type();
      if (stretch_types_.size() == i) stretch_types_.push_back(type);
      if (!(type == stretch_types_[i])) return no_more();
    }
    if (wants_file_) data->columns.back() = file_column();
    check_unchanged();
    return Access::made<Table>(std::move(data));
  }

  bool types_hold() const { return types_hold_; }
  // After the last of them: what read() would give, without the columns.
  Table whole() {
    auto data = empty_data();
    data->rows = rows_;
    for (std::size_t i = 0; i < wanted_.size(); ++i) report_misfits(i, stretch_types_[i], *data);
    complete(*data);
    check_unchanged();
    return Access::made<Table>(std::move(data));
  }

 private:
  static constexpr std::size_t many_rows = 1 << 20;
  std::optional<Table> no_more() {
    types_hold_ = false;
    return std::nullopt;
  }
  using Buffers = std::vector<Piece::Room>;  // by wanted column, so that each gets back what it gave

  // One of the files.
  struct Reading {
    const DelimitedFiles::File& file;
    std::vector<int> slot;  // by field: which wanted column it is, or -1
    ChunkParser parser;
    const DelimitedSource& source() const { return *file.source; }
    std::size_t field_of(std::size_t column) const { return file.columns[column]; }
  };

  // What a thread keeps from chunk to chunk.
  struct Worker {
    ChunkText text;
    Buffers spare;
  };

  // Where a chunk's rows are, once its values are sealed.
  struct ChunkPlace {
    std::size_t file = 0, first_row = 0, rows = 0;
    std::uint64_t offset = 0;
    std::size_t size = 0, first_line = 0;
  };

  void check_unchanged() const {
    for (const Reading& file : files_) file.source().file().check_unchanged();
  }

  // Each file has its share of the progress, which several threads tell, each for another file.
  void open_queues() {
    for (const Reading& file : files_) bytes_ += file.source().file().size();
    Run told = run_;
    if (run_.progress)
      told.progress = [this](double share) {
        const std::scoped_lock lock(telling_);
        if (share > furthest_) run_.progress(furthest_ = share);
      };
    double before = 0;
    for (const Reading& file : files_) {
      const double share =
          static_cast<double>(file.source().file().size()) / static_cast<double>(std::max<std::uint64_t>(1, bytes_));
      queues_.push_back(std::make_unique<ChunkQueue>(file.source(), run_within(told, before, before + share)));
      before += share;
    }

    // A small file is one chunk and needs no thread.
    workers_.resize(bytes_ < 2 * chunk_bytes ? 1 : static_cast<std::size_t>(thread_count(run_)));
    for (Worker& worker : workers_) worker.spare.resize(wanted_.size());
    census_.resize(wanted_.size());
    misfits_.resize(wanted_.size());
  }

  // Parses about so many chunks, or all that are left: chunks_. Each worker takes chunk after chunk, file after file.
  void parse_chunks(std::size_t most) {
    std::atomic<std::size_t> taken = 0;
    parallel_for(workers_.size(), run_, [&](std::size_t w) {
      Worker& worker = workers_[w];
      for (std::size_t f = 0; f < files_.size() && !failed_; ++f)
        while (taken < most && queues_[f]->take(worker.text)) {
          ++taken;
          parse_chunk(files_[f], f, worker.text, *queues_[f], worker.spare);
        }
    });
    check_unchanged();  // what a change broke is not the file's fault
    for (std::size_t f = 0; f < files_.size(); ++f)
      for (auto& chunk : queues_[f]->finish()) chunks_.push_back(std::move(chunk));

    // Where they are, and what all rows so far look like.
    for (const auto& chunk : chunks_) {
      // Each ends with a line; its lines are counted on from the one before it.
      if (places_.empty() || places_.back().file != chunk->file)
        next_line_ = files_[chunk->file].source().line_at(chunk->offset);
      chunk->first_line = next_line_;
      next_line_ += chunk->line_ends;
      places_.push_back({chunk->file, rows_, chunk->rows, chunk->offset, chunk->size, chunk->first_line});
      rows_ += chunk->rows;
      for (std::size_t i = 0; i < wanted_.size(); ++i) census_[i].merge(census_of(*chunk, i));
    }
    if (rows_ > most_rows)
      throw Error(files_.back().source().problem(
          Code::too_many_rows, (table_.several() ? "the files have " : "the file has ") + std::to_string(rows_) +
                                   " rows; at most 4,294,967,294 can be numbered"));
  }

  void parse_chunk(const Reading& file, std::size_t number, const ChunkText& text, ChunkQueue& queue, Buffers& spare) {
    Chunk& chunk = queue.chunk(text.number);
    chunk.file = number;
    try {
      file.source().check_encoding(text.view(), text.offset);
      chunk.line_ends = count_line_ends(text.view());
      for (std::size_t i = 0; i < declared_.size(); ++i)
        chunk.readers.emplace_back(declared_[i].type, declared_[i].written);
      make_room(text.view(), chunk, spare);
      file.parser.parse(text.view(), chunk, file.slot);

      // A guess from the first value that the whole chunk does not bear out is mended while its bytes are at hand.
      std::vector<int> again(file.slot.size(), -1);
      bool any = false;
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        const Type type = type_from(chunk.readers[i].census());
        if (declared_[i].type || chunk.readers[i].serves(type)) continue;
        reread(chunk, i, type);
        again[file.field_of(wanted_[i])] = static_cast<int>(i);
        any = true;
      }
      if (any) file.parser.parse(text.view(), chunk, again);
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        spare[i] = chunk.readers[i].pack();
        if (!kept_.empty()) chunk.readers[i].keep_in(*kept_[i]);
      }
    } catch (const Error& error) {
      failed_ = true;
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
    kept_census_[{chunk.file, chunk.offset, column}] = chunk.readers[column].census();
    chunk.readers[column] = PieceReader(type);
  }

  Census census_of(const Chunk& chunk, std::size_t column) const {
    const auto kept = kept_census_.find({chunk.file, chunk.offset, column});
    return kept != kept_census_.end() ? kept->second : chunk.readers[column].census();
  }

  std::shared_ptr<TableData> empty_data() const {
    auto data = std::make_shared<TableData>();
    data->name = table_.name();
    data->headings = table_.headings();
    data->columns.resize(table_.headings().size());
    data->census.resize(table_.headings().size());
    data->numbered = "line";
    return data;
  }
  std::vector<Type> types_so_far() const {
    std::vector<Type> types;
    for (std::size_t i = 0; i < wanted_.size(); ++i) types.push_back(column_type(declared_[i].type, census_[i]));
    return types;
  }

  // The chunks' values of a column as one. `type` grows where values have more decimals than it.
  void seal(std::size_t i, Type type, TableData& data) {
    std::vector<Piece> pieces;
    for (auto& chunk : chunks_) {
      pieces.push_back(chunk->readers[i].take(type));
      if (type.kind == Kind::decimal) type.scale = std::max(type.scale, pieces.back().type.scale);
    }
    try {
      data.columns[wanted_[i]] = Column::seal(type, std::move(pieces), run_);
    } catch (const Error& error) {
      Problem p = error.problems().front();
      p.location.file = files_.front().source().path().string();
      p.sentence = "`" + table_.headings()[wanted_[i]] + "`: " + p.sentence;
      throw Error(std::move(p));
    }
  }

  // What is known once all rows are read.
  void complete(TableData& data) const {
    for (std::size_t i = 0; i < wanted_.size(); ++i) data.census[wanted_[i]] = census_[i];
    number_files(data);
    data.number_in_file = line_finder();
    report_repeated(data);
  }

  // Chunks whose guess is not the column's type are parsed again from the file, for those columns only.
  void convert_again(const std::vector<Type>& types) {
    parallel_for(chunks_.size(), run_, [&](std::size_t c) {
      Chunk& chunk = *chunks_[c];
      const Reading& file = files_[chunk.file];
      std::vector<int> again(file.slot.size(), -1);
      bool any = false;
      for (std::size_t i = 0; i < wanted_.size(); ++i) {
        if (chunk.readers[i].serves(types[i])) continue;
        chunk.readers[i] = PieceReader(types[i]);
        again[file.field_of(wanted_[i])] = static_cast<int>(i);
        any = true;
      }
      if (!any) return;
      TextBuffer bytes;
      bytes.reserve(chunk.size + FieldRun::padding);
      file.source().file().read(chunk.offset, chunk.size, bytes);
      const std::size_t rows = chunk.rows;
      file.source().file().check_unchanged();
      file.parser.parse({bytes.data(), bytes.size()}, chunk, again);
      if (chunk.rows != rows)
        throw Error(file.source().problem(Code::changed_file, "it was changed while it was read", 0,
                                          "try again when no other program is writing to it, or take a copy"));
    });
  }

  void number_files(TableData& data) const {
    if (!table_.several()) return;
    for (std::size_t f = 0; f < files_.size(); ++f) {
      const auto first =
          std::find_if(places_.begin(), places_.end(), [&](const ChunkPlace& place) { return place.file >= f; });
      data.files.push_back({files_[f].file.name, first == places_.end() ? data.rows : first->first_row});
    }
  }

  // Which file each row is from.
  ColumnPtr file_column() const {
    std::vector<Piece> pieces;
    for (const auto& chunk : chunks_) {
      Piece piece(Type{.kind = Kind::text});
      piece.codes.assign(chunk->rows, piece.dictionary.add(files_[chunk->file].file.name));
      piece.pack();
      pieces.push_back(std::move(piece));
    }
    return Column::seal(Type{.kind = Kind::text}, std::move(pieces), run_);
  }

  // Of the chunks at hand.
  void note_misfits(std::size_t i) {
    const Specimen* const written = declared_[i].written.get();
    ColumnMisfits& of_column = misfits_[i];
    for (const auto& chunk : chunks_) {
      of_column.marks.merge(chunk->readers[i].marks());
      for (const Misfit& misfit : chunk->readers[i].misfits()) {
        of_column.misfits.add(misfit.text, [&] {
          const std::string line = "line " + std::to_string(line_of_row(*chunk, misfit.row));
          return table_.several() ? line + " of " + files_[chunk->file].file.name : line;
        });
        of_column.other_marks += written != nullptr && has_other_mark(*written, misfit.text);
      }
    }
  }
  void report_misfits(std::size_t i, const Type& type, TableData& data) const {
    const std::string& heading = table_.headings()[wanted_[i]];
    const ColumnMisfits& of_column = misfits_[i];
    of_column.misfits.report(heading, table_.name(), type, data.remarks);
    if (declared_[i].written != nullptr)
      report_marks(heading, table_.name(), *declared_[i].written, of_column.marks, of_column.other_marks, data.remarks);
  }

  // Rows that were pasted twice: records of the same bytes as an earlier one, in this file or another. Only in small
  // files, where looking costs next to nothing; and where most rows repeat, that is how the table is.
  void report_repeated(TableData& data) const {
    constexpr std::uint64_t most_bytes = 4 << 20;
    std::uint64_t bytes = 0;
    for (const Reading& file : files_) bytes += file.source().end() - file.source().body();
    if (bytes > most_bytes || data.rows < 2) return;
    struct Record {
      std::size_t file, begin;
      std::string_view text;
    };
    std::vector<TextBuffer> texts(files_.size());
    std::vector<Record> records;
    records.reserve(data.rows);
    for (std::size_t f = 0; f < files_.size(); ++f) {
      const DelimitedSource& source = files_[f].source();
      if (source.headings() != files_.front().source().headings()) continue;  // its rows cannot be told by their bytes
      source.file().read(source.body(), static_cast<std::size_t>(source.end() - source.body()), texts[f]);
      each_record({texts[f].data(), texts[f].size()}, [&](std::size_t begin, std::string_view text) {
        records.push_back({f, begin, text});
      });
    }

    // A table of those that came before, by their hashes; half of its places stay empty.
    constexpr std::uint32_t none = 0xffffffff;
    std::vector<std::uint32_t> places(std::bit_ceil(2 * records.size() + 1), none);
    std::size_t repeated = 0, example = 0, first = 0;  // the first that repeats another, and that one
    for (std::size_t i = 0; i < records.size(); ++i) {
      std::size_t at = XXH3_64bits(records[i].text.data(), records[i].text.size()) & (places.size() - 1);
      while (places[at] != none && records[places[at]].text != records[i].text) at = (at + 1) & (places.size() - 1);
      if (places[at] == none) {
        places[at] = static_cast<std::uint32_t>(i);
      } else if (++repeated == 1) {
        example = i;
        first = places[at];
      }
    }
    if (repeated == 0 || repeated * 2 >= records.size()) return;
    const auto line = [&](const Record& one) {
      const DelimitedSource& source = files_[one.file].source();
      return "line " + std::to_string(source.line_at(source.body() + one.begin)) +
             (table_.several() ? " of " + files_[one.file].file.name : "");
    };
    data.remarks.push_back(
        {"duplicate-rows", counted(repeated, "row") + " of " + table_.name() + (repeated == 1 ? " equals" : " equal") +
                               " an earlier one in every column, and " + (repeated == 1 ? "counts" : "count") +
                               " again (" + line(records[example]) + " is as " + line(records[first]) + ")"});
  }

  // Calls see(where it begins, its bytes) for each line that is not empty; a line end inside quotes is none.
  template <class See>
  static void each_record(std::string_view text, const See& see) {
    if (text.find('"') == std::string_view::npos && text.find('\r') == std::string_view::npos) {
      for (std::size_t begin = 0; begin < text.size();) {
        const std::size_t end = std::min(text.find('\n', begin), text.size());
        if (end > begin) see(begin, text.substr(begin, end - begin));
        begin = end + 1;
      }
      return;
    }
    bool inside = false;
    for (std::size_t at = 0, begin = 0; at <= text.size(); ++at) {
      if (at < text.size() && text[at] == '"') inside = !inside;
      if (at < text.size() && (inside || !is_line_end(text[at]))) continue;
      if (at > begin) see(begin, text.substr(begin, at - begin));
      begin = at + 1;
    }
  }

  std::size_t line_of_row(const Chunk& chunk, std::size_t row) const {
    return line_of_row(files_[chunk.file].source(),
                       {chunk.file, 0, chunk.rows, chunk.offset, chunk.size, chunk.first_line}, row);
  }
  static std::size_t line_of_row(const DelimitedSource& source, const ChunkPlace& place, std::size_t row) {
    source.file().check_unchanged();
    TextBuffer bytes;
    source.file().read(place.offset, place.size, bytes);
    const std::string_view text(bytes.data(), bytes.size());
    return place.first_line + count_line_ends(text.substr(0, record_begin(text, row, source.one_column())));
  }

  std::function<std::size_t(std::size_t)> line_finder() const {
    std::vector<std::shared_ptr<const DelimitedSource>> sources;
    for (const Reading& file : files_) sources.push_back(file.file.source);
    return [sources = std::move(sources), places = places_](std::size_t row) -> std::size_t {
      const auto after = std::upper_bound(places.begin(), places.end(), row,
                                          [](std::size_t at, const ChunkPlace& place) { return at < place.first_row; });
      if (after == places.begin()) return 0;
      const ChunkPlace& place = *std::prev(after);
      if (row >= place.first_row + place.rows) return 0;
      return line_of_row(*sources[place.file], place, row - place.first_row);
    };
  }

  const DelimitedFiles& table_;
  const Run& run_;
  std::vector<Reading> files_;
  std::vector<std::size_t> wanted_;  // columns, but for the one of files
  bool wants_file_ = false;
  std::vector<Declared> declared_;
  // On the way.
  std::uint64_t bytes_ = 0;
  std::vector<std::unique_ptr<ChunkQueue>> queues_;  // by file
  std::vector<Worker> workers_;
  std::mutex telling_;  // guards furthest_
  double furthest_ = 0;
  std::atomic<bool> failed_ = false;
  KeptColumns kept_;                            // by wanted column: the packed pieces of large files
  std::vector<std::unique_ptr<Chunk>> chunks_;  // those that were parsed last
  std::mutex census_mutex_;                     // guards kept_census_ while they are
  std::map<std::tuple<std::size_t, std::uint64_t, std::size_t>, Census> kept_census_;

  // Of all rows so far.
  struct ColumnMisfits {
    Misfits misfits;
    Marks marks;
    std::size_t other_marks = 0;
  };
  std::vector<ChunkPlace> places_;
  std::size_t rows_ = 0, next_line_ = 1;
  std::vector<Census> census_;  // by wanted column, and so are these
  std::vector<ColumnMisfits> misfits_;
  std::vector<Type> stretch_types_;  // of the first stretch
  bool types_hold_ = true;
};

class DelimitedStretches final : public TableStretches {
 public:
  DelimitedStretches(const DelimitedFiles& table, std::span<const std::size_t> columns, const Run& run)
      : reading_(table, columns, run) {}
  std::optional<Table> next() override { return reading_.next_stretch(); }
  bool types_hold() const override { return reading_.types_hold(); }
  Table whole() override { return reading_.whole(); }

 private:
  RowsReading reading_;
};

}  // namespace

Table DelimitedFiles::read(std::span<const std::size_t> columns, const Run& run) const {
  return RowsReading(*this, columns, run).read();
}

std::unique_ptr<TableStretches> DelimitedFiles::stretches(std::span<const std::size_t> columns, const Run& run) const {
  return std::make_unique<DelimitedStretches>(*this, columns, run);
}

}  // namespace lofty::engine
