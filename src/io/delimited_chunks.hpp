#pragma once
// Chunks of a delimited file: cut from it one after another, for whichever thread parses the next one.

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string_view>
#include <vector>

#include "base/parallel.hpp"
#include "io/delimited_source.hpp"
#include "table/infer.hpp"

namespace lofty::engine {

// A chunk's bytes: whole records.
struct ChunkText {
  std::size_t number = 0;
  std::uint64_t offset = 0;  // in the file
  TextBuffer bytes;
  std::string_view view() const { return {bytes.data(), bytes.size()}; }
};

// What is known of it once it is parsed; its bytes are given back.
struct Chunk {
  std::size_t file = 0;  // of several that are one table
  std::uint64_t offset = 0;
  std::size_t size = 0, rows = 0;
  std::size_t line_ends = 0;         // in its bytes
  std::size_t first_line = 0;        // of the file, from 1; once all chunks before it are known
  std::vector<PieceReader> readers;  // by wanted column
};

// Hands the chunks of a file to whichever thread takes the next one. Safe to call from many threads.
class ChunkQueue {
 public:
  ChunkQueue(const DelimitedSource& source, Run run)
      : source_(source), run_(std::move(run)), size_(source.end()), next_(source.body()) {}

  // The next whole records; the bytes after them are kept for the one after. False: there are none, or a chunk failed.
  bool take(ChunkText& out);
  Chunk& chunk(std::size_t number);
  // The first chunk in the file that fails decides what is said.
  void fail(std::size_t chunk, Problem problem);

  // Once all have been taken: the chunks, in the order of the file. Throws what failed.
  std::vector<std::unique_ptr<Chunk>> finish();

 private:
  const DelimitedSource& source_;
  const Run run_;
  const std::uint64_t size_;
  std::mutex mutex_;  // guards what follows
  std::uint64_t next_;
  TextBuffer carry_;
  bool ended_ = false;
  std::vector<std::unique_ptr<Chunk>> chunks_;
  std::optional<Problem> failure_;
  std::size_t failed_chunk_ = 0;
};

}  // namespace lofty::engine
