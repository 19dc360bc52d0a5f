#pragma once
// The least and the greatest value of each frame, at a cost that does not depend on the frames' width.
// Covered by tests/window/frame_extremes_test.cpp, against the definition.

#include <cstdint>

#include "window/gathered.hpp"
#include "window/slide.hpp"

namespace lofty::engine {

// The position of each frame's least, or greatest, value; the first of several; no_position over none.
//
// Frames from the group's start only remember the best so far. Between two distances from the row, blocks as long as
// the frame are gone over once from the end and once from the front, and each frame is the end of one block and the
// start of the next (M. van Herk, "A fast algorithm for local minimum and maximum filters on rectangular and octagonal
// kernels", 1992; J. Gil and M. Werman, "Computing 2-D min, median, and max filters", 1993): no step depends on the
// values, so none is guessed wrongly. All others keep a monotonic queue for each stretch of the frame (D. Lemire,
// "Streaming maximum-minimum filter using no more than three comparisons per element", 2006).
// Values may be packed where goes_by_scores() holds.
Buffer<std::uint32_t> frame_extremes(const WindowJob& job, const Gathered& values, bool greatest);
// Into `out`: rows[position], or the positions themselves where there are no `rows`.
void frame_extremes(const WindowJob& job, const Gathered& values, bool greatest, const std::uint32_t* rows,
                    std::uint32_t* out);
// One of the first two kinds of frames?
bool goes_by_scores(const Frame& frame);
// The values themselves; int64_null over none. Precondition: they are 64-bit integers.
Buffer<std::int64_t> frame_extreme_values(const WindowJob& job, const Gathered& values, bool greatest);
// The same in words like those of the values. None, and nothing done, where these are not packed, or have no word left
// for null where a frame may be empty.
PackedNumbers packed_extreme_values(const WindowJob& job, const Gathered& values, bool greatest);

}  // namespace lofty::engine
