#pragma once
// Short numbers from texts, several at once where the machine has the vectors for it.
// Covered by tests/table/infer_test.cpp.

#include <cstddef>
#include <cstdint>

namespace lofty::engine {

// Reads fields of one column, field r from text + begin[r * stride] up to begin[r * stride + 1] - 1, as long as each is
// one to eight digits without a needless zero in front, and with `scale` (at most 7) after a point: their digits as
// one number go to `out`. Returns how many there were. At least 8 bytes after the last field can be read.
std::size_t read_short_numbers(const char* text, const std::uint32_t* begin, std::size_t stride, std::size_t count,
                               std::size_t scale, std::int64_t* out);

}  // namespace lofty::engine
