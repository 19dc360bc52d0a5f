#pragma once
// Many arrays that grow at once, written a line of memory at a time.
// Covered by tests/table/column_scatter_test.cpp.

#ifdef __SSE2__
#include <emmintrin.h>
#endif

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <span>

#include "base/buffer.hpp"

namespace lofty::engine {

// Puts records into arrays that follow one another, each filled from front to back. A record goes to its array's
// line here first, in the cache; a full line is then written past it. Straight to where they belong, each record would
// go to another page, and each line would be read before it is written. (The buffers of a radix join: C. Balkesen and
// others, "Main-memory hash joins on multi-core CPUs", 2013.) One thread at a time.
template <class Record>
class BucketLines {
 public:
  // `begins`: the place in `out` at which each array begins; `out` begins with a line, and both outlive this.
  BucketLines(std::span<const std::uint32_t> begins, Record* out)
      : begins_(begins), out_(out), lines_(begins.size() * in_line) {}
  ~BucketLines() {
#ifdef __SSE2__
    _mm_sfence();  // what was written past the cache is visible to all threads from here on
#endif
  }

  // Record i goes to places[i], the one after the last that bucket buckets[i] got.
  template <class Bucket>
  void put(const Bucket* buckets, const std::uint32_t* places, const Record* records, std::size_t count) {
    // As locals: as far as the compiler knows, each line that is written could be a part of this.
    Record* const lines = lines_.data();
    Record* const out = out_;
    const std::uint32_t* const begins = begins_.data();
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t bucket = buckets[i], place = places[i], behind = place + 1;
      Record* const own = lines + bucket * in_line;
      own[place % in_line] = records[i];
      if (behind % in_line != 0) continue;
      if (behind - in_line >= begins[bucket])
        write(own, out + (behind - in_line));
      else
        copy(bucket, behind);
    }
  }
  // What waits in the line of a bucket whose next place this is. Called for all of them at the end.
  void finish(std::size_t bucket, std::size_t next) {
    if (next % in_line != 0) copy(bucket, next);
  }

 private:
  static constexpr std::size_t line = 64, in_line = line / sizeof(Record);
  static_assert(line % sizeof(Record) == 0 && std::is_trivially_copyable_v<Record>);

  static void write(const Record* from, Record* to) {
#ifdef __SSE2__
    for (std::size_t i = 0; i < line / sizeof(__m128i); ++i)
      _mm_stream_si128(reinterpret_cast<__m128i*>(to) + i, _mm_load_si128(reinterpret_cast<const __m128i*>(from) + i));
#else
    std::memcpy(to, from, line);
#endif
  }
  // Only what is the array's own: its first line may begin with what another thread writes.
  void copy(std::size_t bucket, std::size_t end) {
    const std::size_t of_line = (end - 1) / in_line * in_line, first = std::max<std::size_t>(of_line, begins_[bucket]);
    const Record* const own = lines_.data() + bucket * in_line;
    for (std::size_t place = first; place < end; ++place) out_[place] = own[place % in_line];
  }

  std::span<const std::uint32_t> begins_;
  Record* out_;
  Buffer<Record> lines_;
};

}  // namespace lofty::engine
