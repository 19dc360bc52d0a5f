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

#include "table/buffer.hpp"

namespace lofty::engine {

// Puts records into arrays that lie one behind the other, each filled from front to back. A record goes to its array's
// line here first, in the cache; a full line is then written past it. Straight to where they belong, each record would
// go to another page, and each line would be read before it is written. (The buffers of a radix join: C. Balkesen and
// others, "Main-memory hash joins on multi-core CPUs", 2013.) One thread at a time.
template <class Record>
class BucketLines {
 public:
  // `begins`: the place in `out` at which each array begins; `out` begins with a line, and both outlive this.
  BucketLines(std::span<const std::uint32_t> begins, Record* out)
      : begins_(begins), out_(out), lines_(begins.size() * in_line) {}

  // Precondition: `place` is the one behind the last that the bucket got.
  void put(std::size_t bucket, std::size_t place, const Record& record) {
    lines_[bucket * in_line + place % in_line] = record;
    if (place % in_line + 1 == in_line) write(bucket, place + 1);
  }
  // What waits in the line of a bucket whose next place this is. Called for all of them at the end.
  void finish(std::size_t bucket, std::size_t next) {
    if (next % in_line != 0) copy(bucket, next);
#ifdef __SSE2__
    _mm_sfence();
#endif
  }

 private:
  static constexpr std::size_t line = 64, in_line = line / sizeof(Record);
  static_assert(line % sizeof(Record) == 0 && std::is_trivially_copyable_v<Record>);

  void write(std::size_t bucket, std::size_t end) {
    if (end - in_line < begins_[bucket]) return copy(bucket, end);
    const Record* const from = lines_.data() + bucket * in_line;
    Record* const to = out_ + (end - in_line);
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
    std::copy_n(lines_.data() + bucket * in_line + first % in_line, end - first, out_ + first);
  }

  std::span<const std::uint32_t> begins_;
  Record* out_;
  Buffer<Record> lines_;
};

}  // namespace lofty::engine
