#pragma once
// Chunks of a delimited file: cut from it one after another, and parsed each separately.

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string_view>
#include <vector>

#include "io/delimited_source.hpp"
#include "table/infer.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// A chunk's bytes: whole records.
struct ChunkText {
  bool quotes = true;  // may any field be quoted?
  std::size_t number = 0;
  std::uint64_t offset = 0;  // in the file
  TextBuffer bytes;
  std::string_view view() const { return {bytes.data(), bytes.size()}; }
};

// What is known of it once it is parsed; its bytes are given back.
struct Chunk {
  std::uint64_t offset = 0;
  std::size_t size = 0, rows = 0, first_row = 0;
  std::vector<PieceReader> readers;  // by wanted column
};

// Hands the chunks of a file to whichever thread takes the next one. Safe to call from many threads.
class ChunkQueue {
 public:
  ChunkQueue(const DelimitedSource& source, const Run& run)
      : source_(source), run_(run), size_(source.end()), next_(source.body()) {}

  // The next whole records; the bytes after them are kept for the one after. False: there are none, or a chunk failed.
  bool take(ChunkText& out);
  Chunk& chunk(std::size_t number);
  // The first chunk in the file that fails decides what is said.
  void fail(std::size_t chunk, Problem problem);

  // Once all have been taken: the chunks, in the order of the file. Throws what failed.
  std::vector<std::unique_ptr<Chunk>> finish();

 private:
  const DelimitedSource& source_;
  const Run& run_;
  const std::uint64_t size_;
  std::mutex mutex_;  // guards what follows
  std::uint64_t next_;
  TextBuffer carry_;
  bool ended_ = false;
  std::vector<std::unique_ptr<Chunk>> chunks_;
  std::optional<Problem> failure_;
  std::size_t failed_chunk_ = 0;
};

// Parses chunks of one file: each field goes to the reader of its column. Safe to call from many threads.
class ChunkParser {
 public:
  explicit ChunkParser(const DelimitedSource& source) : source_(source), any_nulls_(!source.options().nulls.empty()) {}

  // `slot` says by field of the file which of the chunk's readers takes it: -1 where none does. `quotes`: there may be
  // quoted fields. Sets the chunk's rows. Throws what is wrong with a row, with its line.
  void parse(std::string_view text, Chunk& chunk, const std::vector<int>& slot, bool quotes) const;

 private:
  friend struct QuotedRows;
  friend struct PlainRows;
  void run_lines(std::string_view text, Chunk& chunk, PieceReader* reader) const;
  template <class Rows>
  void run_rows(std::string_view text, Chunk& chunk, std::vector<PieceReader*> readers) const;
  Error ragged(std::string_view text, std::size_t begin, const Chunk& chunk, std::size_t found,
               std::size_t fields) const;
  void add_with_null_words(PieceReader& reader, const FieldRun& fields) const;
  bool is_null_word(std::string_view text) const;

  const DelimitedSource& source_;
  bool any_nulls_;
};

}  // namespace lofty::engine
