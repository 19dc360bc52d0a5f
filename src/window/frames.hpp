#pragma once
// The frames of an order's positions, block by block.
//
// Every bound that ISO SQL allows moves one way only: as the position advances within a group, neither end of its frame
// ever goes back, nor do the ends of the stretch that an exclusion cuts out of it. All that is computed over frames
// rests on that.
// Covered by tests/window/arrays_test.cpp and tests/window/windows_test.cpp, against the definition.

#include <cstdint>
#include <vector>

#include "lofty/frame.hpp"
#include "order/sort.hpp"

namespace lofty::engine {

// The key that a range goes by, as numbers that ascend with the positions of a group, and for each position the
// numbers that its frame begins and ends with.
struct RangeKey {
  template <class Number>
  struct Ends {
    Buffer<Number> at, from, to;  // by position
  };
  enum class Lane : std::uint8_t { int64, int128, float64 } lane = Lane::int64;  // the one that is in use
  Ends<std::int64_t> narrow;
  Ends<int128> wide;  // if a key or an end does not fit 64 bits
  Ends<double> floats;
  Buffer<std::uint8_t> null;              // by position
  bool has_from = false, has_to = false;  // which ends are a distance

  // Calls use(ends) with those in use.
  template <class Use>
  auto with(const Use& use) const {
    return lane == Lane::int64 ? use(narrow) : lane == Lane::int128 ? use(wide) : use(floats);
  }
};

// A frame as up to three stretches of positions, [begin, end), ascending and disjoint; unused ones are empty.
struct Stretches {
  std::uint32_t begin[3], end[3];
};

// Walks over the positions [begin, end) of an order, whose frames are asked for one after the other. Not thread-safe;
// several may work on one order.
class FrameWalk {
 public:
  FrameWalk(const OrderData& order, const Frame& frame, const RangeKey* range, std::size_t begin, std::size_t end);

  // Of the next position. Precondition: there is one.
  void next();
  std::size_t at() const { return at_; }
  std::size_t group_begin() const { return group_begin_; }
  std::size_t group_end() const { return group_end_; }
  std::size_t peers_begin() const { return peers_begin_; }
  std::size_t peers_end() const { return peers_end_; }
  std::uint32_t low() const { return low_; }  // the frame before anything is excluded: [low, high), low <= high
  std::uint32_t high() const { return high_; }
  // Is the frame shorter than its distances ask for, because the group begins or ends?
  bool cut_short() const { return cut_short_; }
  // The frame without what is excluded.
  Stretches stretches() const;

 private:
  void enter_group();
  void enter_peers();
  void rows_frame();
  void groups_frame();
  void range_frame();

  const OrderData& order_;
  const Frame frame_;
  const RangeKey* const range_;
  std::size_t size_, at_;
  std::size_t group_begin_ = 0, group_end_ = 0, peers_begin_ = 0, peers_end_ = 0;
  std::size_t value_begin_ = 0, value_end_ = 0;  // of the group: the positions whose range key is not null
  std::vector<std::uint32_t> peer_starts_;       // of the group, and its end after them; for `groups` only
  std::size_t peer_ = 0;                         // the current one's number
  std::uint32_t low_ = 0, high_ = 0;
  bool cut_short_ = false;
};

}  // namespace lofty::engine
