// Cutting a delimited file into chunks.
//
// The file is read once, front to back, by whichever thread needs the next chunk; that thread counts the quotes (a
// line end inside an odd number of quotes does not end a record) and keeps the last, unfinished record for the next
// chunk. So chunks depend on the file's bytes only, and pipes could be read the same way.
// Covered by tests/io/delimited_test.cpp.

#include "io/delimited_chunks.hpp"

#include <algorithm>

#include "io/delimited_text.hpp"

namespace lofty::engine {
namespace {

// docs/limits.md. A record that long is a quote that was never closed.
constexpr std::size_t most_record_bytes = 256 << 20;

}  // namespace

bool ChunkQueue::take(ChunkText& out) {
  const std::scoped_lock lock(mutex_);
  check_stop(run_);
  if (failure_ || (ended_ && carry_.empty())) return false;
  out.bytes.assign(carry_.begin(), carry_.end());  // not swapped: each keeps its room, and no fresh pages are touched
  carry_.clear();
  out.offset = next_ - out.bytes.size();

  // More bytes, until a record ends among them. Each turn reads some, or the file has ended; a record has a limit.
  std::size_t wanted = chunk_bytes;
  for (;;) {
    const std::size_t before = out.bytes.size();
    const std::uint64_t left = size_ - std::min(size_, next_);
    if (!ended_) source_.file().read(next_, static_cast<std::size_t>(std::min<std::uint64_t>(wanted, left)), out.bytes);
    next_ += out.bytes.size() - before;
    if (out.bytes.size() - before < wanted) ended_ = true;
    if (ended_) break;
    if (const std::size_t end = last_record_end(out.view()); end > 0) {
      carry_.assign(out.bytes.begin() + static_cast<std::ptrdiff_t>(end), out.bytes.end());
      out.bytes.resize(end);
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

}  // namespace lofty::engine
