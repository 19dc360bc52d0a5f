#pragma once
// From positions to rows, through buckets that fit the cache.
// Covered by tests/table/column_scatter_test.cpp and tests/rank/places_test.cpp.

#include <algorithm>
#include <array>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "base/bucket_lines.hpp"
#include "base/buffer.hpp"
#include "base/parallel.hpp"
#include "lofty/run.hpp"

namespace lofty::engine {

inline constexpr std::size_t dealt_block = 256;  // positions whose records are made together, in the first-level cache

template <class Word, std::size_t words>
using DealtBlock = std::array<std::array<Word, dealt_block>, words>;

// Brings records of some words from positions to rows: position i belongs to row rows[i], and each row has one.
//
// Put straight where it belongs, each record costs a line of memory, there and back, and the wait for it. So records
// are first distributed over buckets of neighbouring rows, each of which is filled from front to back; then a bucket's
// are put in their places, all of which fit the second-level cache, and handed over in the sequence of their rows. (The
// two steps of a radix-partitioned join, as in S. Manegold and others, "Optimizing main-memory join on modern
// hardware", 2002.) O(rows); memory: a record and 2 bytes a row.
//
// `words` is a power of two. fill(begin, count, block) makes the records of positions [begin, begin + count), word w of
// the i-th in block[w][i]; take(row, count, records) gets those of rows [row, row + count), one after the other. Both
// on several threads. filled() is called once in between: what fill() reads from may go, before take() needs room.
template <class Word, std::size_t words, class Fill, class Filled, class Take>
void through_buckets(std::span<const std::uint32_t> rows, const Run& run, const Fill& fill, const Filled& filled,
                     const Take& take) {
  constexpr int bits = sizeof(Word) * words <= 16 ? 15 : 14;  // of a row within its bucket: half a megabyte of records
  static_assert(bits <= 16);
  constexpr std::size_t in_bucket = std::size_t{1} << bits;
  const std::size_t size = rows.size(), buckets = (size + in_bucket - 1) / in_bucket;
  const RowRanges pieces = RowRanges::few(size);
  std::vector<std::uint32_t> next(pieces.count() * buckets, 0);  // of each piece's places in each bucket
  Progress progress(run, 3 * size);  // rows are looked at, distributed, and put in their places
  parallel_for(pieces, progress, [&](const RowRange& piece, std::size_t p) {
    std::uint32_t* const own = next.data() + p * buckets;
    for (std::size_t i = piece.begin; i < piece.end; ++i) ++own[rows[i] >> bits];
  });
  for (std::size_t b = 0; b < buckets; ++b) {
    auto at = static_cast<std::uint32_t>(b * in_bucket);  // each row is there once, so each bucket is full
    for (std::size_t p = 0; p < pieces.count(); ++p) at += std::exchange(next[p * buckets + b], at);
  }

  // Distributed over buckets.
  using Record = std::array<Word, words>;
  Buffer<std::uint16_t> row_of(size);  // within the bucket
  Buffer<Record> dealt(size);
  parallel_for(pieces, progress, [&](const RowRange& piece, std::size_t p) {
    std::uint32_t* const own = next.data() + p * buckets;
    const std::vector<std::uint32_t> begins(own, own + buckets);
    BucketLines<std::uint16_t> rows_out(begins, row_of.data());
    BucketLines<Record> records_out(begins, dealt.data());
    DealtBlock<Word, words> block;
    std::array<std::uint32_t, dealt_block> bucket_of, places;
    std::array<std::uint16_t, dealt_block> row_in;
    std::array<Record, dealt_block> records;
    for (std::size_t from = piece.begin; from < piece.end; from += dealt_block) {
      const std::size_t count = std::min(dealt_block, piece.end - from);
      fill(from, count, block);
      for (std::size_t i = 0; i < count; ++i) {
        const std::uint32_t row = rows[from + i];
        bucket_of[i] = row >> bits;
        row_in[i] = static_cast<std::uint16_t>(row & (in_bucket - 1));
        places[i] = own[bucket_of[i]]++;
        for (std::size_t w = 0; w < words; ++w) records[i][w] = block[w][i];
      }
      rows_out.put(bucket_of.data(), places.data(), row_in.data(), count);
      records_out.put(bucket_of.data(), places.data(), records.data(), count);
    }
    for (std::size_t b = 0; b < buckets; ++b) {
      if (own[b] == begins[b]) continue;
      rows_out.finish(b, own[b]);
      records_out.finish(b, own[b]);
    }
  });

  // Bucket by bucket, in the sequence of the rows.
  filled();
  const std::size_t shares = std::min<std::size_t>(buckets, 32);
  parallel_for(shares, run, [&](std::size_t share) {
    Buffer<Record> in_place(std::min(size, in_bucket));
    for (std::size_t b = buckets * share / shares; b < buckets * (share + 1) / shares; ++b) {
      const std::size_t begin = b * in_bucket, count = std::min(in_bucket, size - begin);
      for (std::size_t i = begin; i < begin + count; ++i) in_place[row_of[i]] = dealt[i];
      take(begin, count, in_place.data()->data());
      progress.add(count);
    }
  });
}

}  // namespace lofty::engine
