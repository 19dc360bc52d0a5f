#pragma once
// Which rows around a row a window function sees.

#include <cstdint>

#include "lofty/enum_names.hpp"
#include "lofty/export.hpp"
#include "lofty/key.hpp"

namespace lofty LOFTY_EXPORT {

// What a frame's bounds count.
enum class FrameUnit : std::uint8_t {
  rows,    // rows, in the order's own sequence
  range,   // distance in the order's only key: 7 below this row's value, three months before its day
  groups,  // peer groups: rows that are equal on all of the order's keys count as one
};
[[nodiscard]] const char* to_string(FrameUnit value);
template <>
std::optional<FrameUnit> from_string<FrameUnit>(std::string_view name);

enum class Edge : std::uint8_t { unbounded_preceding, preceding, current_row, following, unbounded_following };
[[nodiscard]] const char* to_string(Edge value);
template <>
std::optional<Edge> from_string<Edge>(std::string_view name);

// Rows that a frame leaves out although its bounds hold them, as in ISO SQL. `ties` leaves the row itself in.
enum class Excluded : std::uint8_t { no_others, current_row, group, ties };
[[nodiscard]] const char* to_string(Excluded value);
template <>
std::optional<Excluded> from_string<Excluded>(std::string_view name);

// One end of a frame. `distance` counts rows or peer groups, and is never negative; for a range it is a number in the
// unit of the key (days for dates, microseconds for timestamps).
struct Bound {
  Edge edge = Edge::current_row;
  std::int64_t distance = 0;
  double float_distance = 0;  // for a range over float or double keys, instead of `distance`
};

[[nodiscard]] constexpr Bound unbounded_preceding() { return {Edge::unbounded_preceding, 0, 0}; }
[[nodiscard]] constexpr Bound preceding(std::int64_t distance) {
  return {Edge::preceding, distance, static_cast<double>(distance)};
}
[[nodiscard]] constexpr Bound current_row() { return {Edge::current_row, 0, 0}; }
[[nodiscard]] constexpr Bound following(std::int64_t distance) {
  return {Edge::following, distance, static_cast<double>(distance)};
}
[[nodiscard]] constexpr Bound unbounded_following() { return {Edge::unbounded_following, 0, 0}; }

// The rows between two bounds, both included, never beyond the row's group. For a range `current_row` means the first,
// or last, of the row's peers. As ISO SQL has it without a word: from the group's start to the row's last peer.
struct Frame {
  FrameUnit unit = FrameUnit::range;
  Bound from = unbounded_preceding(), to = current_row();
  Excluded excluded = Excluded::no_others;
  // For a range with a distance: the key that the order goes by, as it was passed to order(). Integers, floats, dates
  // or timestamps. Rows whose key is null see their peers where the frame has a distance.
  Key by = {};
};

// The whole group, whatever the order.
[[nodiscard]] constexpr Frame whole_group() {
  return {FrameUnit::rows, unbounded_preceding(), unbounded_following(), {}, {}};
}
// The row itself and the `count` - 1 rows before it.
[[nodiscard]] constexpr Frame last_rows(std::int64_t count) {
  return {FrameUnit::rows, preceding(count - 1), current_row(), {}, {}};
}

}  // namespace lofty
