#pragma once
// Rows dealt out over partitions by their entries' keys, with what is totalled of them.
// Covered by tests/relation/dealt_rows_test.cpp.

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <vector>

#include "base/budget.hpp"
#include "base/buffer.hpp"
#include "base/kept_parts.hpp"
#include "relation/group_keys.hpp"

namespace lofty::engine {

// Records of rows: the row's number, and some cells. Where there are many entries, a table of all of them is larger
// than the cache, and each row waits for memory several times. So rows are first written to one of many partitions,
// each of which is filled from front to back, and whose entries are few. (The partitioning phase of a hash join, as in
// A. Shatdal and others, "Cache conscious algorithms for relational query processing", 1994.) Records may leave memory.
// One thread at a time; const use is thread-safe.
class DealtRows {
 public:
  static constexpr std::size_t partitions = 256;
  static std::size_t partition_of(std::uint64_t hash) { return hash >> 56; }

  explicit DealtRows(std::size_t cells)
      : cells_(cells),
        words_(cells + (sizeof(std::uint32_t) + cells + 7) / 8),
        room_(std::max<std::size_t>(1, chunk_bytes / (words_ * sizeof(std::uint64_t))) * words_) {}

  // A batch: first what is in its records, and then the hashes of their keys.
  void begin(std::size_t count) { batch_.resize(count * words_); }
  void put_row(std::size_t i, std::uint32_t row) { std::memcpy(&batch_[i * words_ + cells_], &row, sizeof row); }
  void put(std::size_t i, std::size_t cell, const Cell& value) {
    batch_[i * words_ + cell] = value.code;
    reinterpret_cast<unsigned char*>(&batch_[i * words_ + cells_])[sizeof(std::uint32_t) + cell] = value.tag;
  }
  void deal(const std::vector<std::uint64_t>& hashes) {
    if (waiting_.size() == 0) waiting_.allocate(partitions * room_);
    for (std::size_t i = 0; i < hashes.size(); ++i) {
      const std::size_t p = partition_of(hashes[i]);
      std::uint64_t* const to = waiting_.data() + p * room_ + used_[p];
      const std::uint64_t* const from = &batch_[i * words_];
      for (std::size_t w = 0; w < words_; ++w) to[w] = from[w];
      used_[p] += words_;
      if (used_[p] == room_) keep(p);
    }
  }
  // Rows that are dealt from here on follow later: those that are there can be looked at.
  void settle() {
    for (std::size_t p = 0; p < partitions; ++p)
      if (used_[p] > 0) keep(p);
  }
  // All rows are dealt.
  void finish() {
    settle();
    waiting_ = {};
    batch_ = {};
  }

  // Some records that follow one another.
  struct Records {
    const std::uint64_t* data;
    std::size_t count, cells, words;

    std::uint32_t row(std::size_t i) const {
      std::uint32_t row;
      std::memcpy(&row, data + i * words + cells, sizeof row);
      return row;
    }
    Cell cell(std::size_t i, std::size_t c) const {
      const std::uint64_t* const record = data + i * words;
      return {record[c], reinterpret_cast<const unsigned char*>(record + cells)[sizeof(std::uint32_t) + c]};
    }
  };
  // Calls work(records) for the records of a partition, in the sequence in which they were dealt, at most so many at a
  // time. After settle().
  template <class Work>
  void each_batch(std::size_t partition, std::size_t most, const Work& work) const {
    for (const Chunk& chunk : chunks_[partition]) {
      const auto* const data = reinterpret_cast<const std::uint64_t*>(chunk.part.data);
      for (std::size_t begin = 0; begin < chunk.records; begin += most)
        work(Records{data + begin * words_, std::min(most, chunk.records - begin), cells_, words_});
      Budget::shared().let_go(data, chunk.records * words_ * sizeof *data);
    }
  }
  // The records of a partition are not wanted any longer. Different partitions' may be forgotten at once.
  void forget(std::size_t partition) { chunks_[partition] = {}; }
  std::size_t records(std::size_t partition) const {
    std::size_t count = used_[partition] / words_;
    for (const Chunk& chunk : chunks_[partition]) count += chunk.records;
    return count;
  }
  std::size_t bytes_of_record() const { return words_ * sizeof(std::uint64_t); }

 private:
  static constexpr std::size_t chunk_bytes = 32 * 1024;  // large enough to come from a disk at once

  struct Chunk {
    KeptParts::Part part;
    std::size_t records = 0;
  };
  void keep(std::size_t p) {
    const auto* const bytes = reinterpret_cast<const unsigned char*>(waiting_.data() + p * room_);
    chunks_[p].push_back({kept_.keep({bytes, used_[p] * sizeof(std::uint64_t)}), used_[p] / words_});
    used_[p] = 0;
  }

  std::size_t cells_, words_;  // of a record: cells, the row's number, and tags
  std::size_t room_;           // words of a chunk
  std::vector<std::uint64_t> batch_;
  Buffer<std::uint64_t> waiting_;  // chunks that are not full, by partition
  std::array<std::size_t, partitions> used_{};
  std::array<std::vector<Chunk>, partitions> chunks_;
  KeptParts kept_;
};

}  // namespace lofty::engine
