#pragma once
// Window functions whose result is another row's value: which position that is.
// Covered by tests/window/arrays_test.cpp and tests/window/windows_test.cpp, against the definition.

#include <cstdint>
#include <vector>

#include "base/buffer.hpp"
#include "window/aggregates.hpp"
#include "window/slide.hpp"

namespace lofty::engine {

// Positions whose value counts: all of them, or those that are not null, so that the k-th after a position is found
// at once.
class Counted {
 public:
  Counted() = default;
  // Only positions where null[position] is 0.
  Counted(const std::vector<std::uint8_t>& null, const Run& run);
  // How many there are before a position.
  std::uint32_t before(std::size_t position) const {
    return all() ? static_cast<std::uint32_t>(position) : before_[position];
  }
  // The one with that number.
  std::uint32_t at(std::uint32_t number) const { return all() ? number : positions_[number]; }

 private:
  bool all() const { return before_.empty(); }
  std::vector<std::uint32_t> before_, positions_;
};

// The position `distance` counted ones before each position, in its group; no_position where there is none. 0 is
// the position itself, counted or not. Negative distances look after it: lead.
Buffer<std::uint32_t> shifted_positions(const OrderData& order, const Counted& counted, std::int64_t distance,
                                        const Run& run);

// The n-th counted position of each frame, from 1, or from its end; no_position where it has fewer.
Buffer<std::uint32_t> nth_positions(const WindowJob& job, const Counted& counted, std::uint64_t n, bool from_last);

}  // namespace lofty::engine
