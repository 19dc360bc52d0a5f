#pragma once
// From a chunk of delimited text to the values of its columns.
// Covered by tests/io/delimited_test.cpp, against libcsv over everything.

#include <string_view>
#include <vector>

#include "io/delimited_chunks.hpp"

namespace lofty::engine {

// Parses chunks of one file: each field goes to the reader of its column. Records without a quote need no parser, only
// the places of their delimiters; those with quotes go through libcsv. Safe to call from many threads.
class ChunkParser {
 public:
  explicit ChunkParser(const DelimitedSource& source) : source_(source) {}

  // `slot` says by field of the file which of the chunk's readers takes it: -1 where none does. Sets the chunk's rows.
  // At least FieldRun::padding bytes behind the text can be read. Throws what is wrong with a row, with its line.
  void parse(std::string_view text, Chunk& chunk, const std::vector<int>& slot) const;

 private:
  friend class ChunkRows;
  std::size_t read_lines(std::string_view text, const Chunk& chunk, PieceReader* reader) const;
  Error ragged(std::string_view text, std::size_t begin, const Chunk& chunk, std::size_t found,
               std::size_t fields) const;

  const DelimitedSource& source_;
};

}  // namespace lofty::engine
