#pragma once
// Sliding an accumulator over the frames of an order.

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <type_traits>
#include <vector>

#include "base/parallel.hpp"
#include "window/frames.hpp"
#include "window/starts.hpp"

namespace lofty::engine {

// Where a result's position has nothing to show.
inline constexpr std::uint32_t no_position = 0xffffffff;

struct WindowJob {
  const OrderData& order;
  const Frame& frame;
  const RangeKey* range = nullptr;  // where the frame has a distance of range
  const Run& run;
};

// How far it is from a position to an end of its frame of rows, among `size` positions; a group's ends clamp it.
inline std::int64_t reach(const Bound& bound, std::size_t size) {
  const auto most = static_cast<std::int64_t>(size);
  switch (bound.edge) {
    case Edge::unbounded_preceding: return -most;
    case Edge::preceding: return -std::min(bound.distance, most);
    case Edge::current_row: return 0;
    case Edge::following: return std::min(bound.distance, most);
    case Edge::unbounded_following: return most;
  }
  return 0;
}

// Calls visit(position, group's first position, frame's begin, frame's end) for all positions in [begin, end): frames
// of rows without exclusion, which need no walk. Where the frame is that of the position before, moved by one, which is
// nearly everywhere where it is between two distances, steady() is called instead.
template <class Visit, class Steady>
void each_frame_of_rows(const WindowJob& job, std::size_t begin, std::size_t end, const Visit& visit,
                        const Steady& steady) {
  const std::size_t size = job.order.rows.size();
  const std::int64_t from = reach(job.frame.from, size), to = reach(job.frame.to, size) + 1;
  std::size_t group = last_start(job.order, begin, OrderData::group_start);
  while (group < end) {
    const std::size_t group_end = next_start(job.order, group + 1, OrderData::group_start);
    const auto first = static_cast<std::int64_t>(group), last = static_cast<std::int64_t>(group_end);
    const auto clamped = [&](std::int64_t at, std::int64_t until) {
      for (; at < until; ++at) {
        const auto low = static_cast<std::uint32_t>(std::clamp(at + from, first, last));
        visit(static_cast<std::size_t>(at), group, low,
              std::max(low, static_cast<std::uint32_t>(std::clamp(at + to, first, last))));
      }
    };
    std::int64_t at = std::max(static_cast<std::int64_t>(begin), first);
    const std::int64_t until = std::min(static_cast<std::int64_t>(end), last);

    // The frame before is there, and neither it nor this one is clamped or empty.
    const std::int64_t steady_begin = std::max(at + 1, first - from + 1), steady_end = std::min(until, last - to + 1);
    if (from < to && steady_begin < steady_end) {
      clamped(at, steady_begin);
      for (at = steady_begin; at < steady_end; ++at)
        steady(static_cast<std::size_t>(at), group, static_cast<std::uint32_t>(at + from),
               static_cast<std::uint32_t>(at + to));
    }
    clamped(at, until);
    group = group_end;
  }
}
template <class Visit>
void each_frame_of_rows(const WindowJob& job, std::size_t begin, std::size_t end, const Visit& visit) {
  each_frame_of_rows(job, begin, end, visit, visit);
}

// Do eight positions each begin a run of peers, and none of them a group?
inline bool eight_alone(const std::uint8_t* marks) {
  constexpr std::uint64_t each = 0x0101010101010101;
  std::uint64_t word;
  std::memcpy(&word, marks, sizeof word);
  return (word & each * (OrderData::peer_start | OrderData::group_start)) == each * OrderData::peer_start;
}

// The same step by step for frames from the group's start to the row's last peer, which is what no frame means:
// start(group's first position) before a group's first step, add(position) for each that enters, emit(position) once
// all of its frame were added. Nothing leaves before the group ends.
template <class Start, class Add, class Emit>
void each_step_with_peers(const WindowJob& job, std::size_t begin, std::size_t end, const Start& start, const Add& add,
                          const Emit& emit) {
  const std::uint8_t* const marks = job.order.marks.data();
  const std::size_t size = job.order.rows.size();
  std::size_t group = last_start(job.order, begin, OrderData::group_start);
  start(group);
  for (; group < begin; ++group) add(group);
  for (std::size_t at = begin; at < end;) {  // all before it were added
    if (at > begin && (marks[at] & OrderData::group_start) != 0) start(at);
    // Eight at a time where each has no peers and no group begins, as under a key of many values most do.
    for (; at + 8 < end && eight_alone(marks + at + 1); at += 8)
      for (std::size_t i = at; i < at + 8; ++i) {
        add(i);
        emit(i);
      }
    add(at);
    std::size_t peers_end = at + 1;
    for (; peers_end < size && (marks[peers_end] & OrderData::peer_start) == 0; ++peers_end) add(peers_end);
    emit(at);
    for (++at; at < std::min(end, peers_end); ++at) emit(at);
  }
}

inline bool runs_with_peers(const Frame& frame) {
  return frame.unit == FrameUnit::range && frame.excluded == Excluded::no_others &&
         frame.from.edge == Edge::unbounded_preceding && frame.to.edge == Edge::current_row;
}

inline bool plain_rows(const Frame& frame) {
  return frame.unit == FrameUnit::rows && frame.excluded == Excluded::no_others;
}

// May it hold nothing, where its order has rows? Most hold at least the row itself.
inline bool may_be_empty(const Frame& frame) {
  const bool from_row_on = frame.from.edge == Edge::following || frame.from.edge == Edge::unbounded_following;
  const bool up_to_row = frame.to.edge == Edge::preceding || frame.to.edge == Edge::unbounded_preceding;
  return from_row_on || up_to_row || frame.excluded != Excluded::no_others;
}

// Calls work(begin, end) for pieces of all positions, on several threads where that pays.
//
// Each piece has to fill its first frame anew, which may be as wide as the group: so there are few, as many as threads.
// Only where groups begin, or frames are known to be narrow, there are more, so that a thread that is held up leaves
// its share to the others.
template <class Work>
void slide_in_pieces(const WindowJob& job, const Work& work) {
  constexpr std::size_t finer = 8;
  const std::size_t size = job.order.rows.size();
  if (size == 0) return;

  // Where pieces may begin: anywhere, or where groups do.
  const std::size_t threads = RowRanges::per_thread(size, job.run).count();
  const std::size_t most = threads == 1 ? 1 : threads * finer;
  const auto narrow = static_cast<std::int64_t>(size / most / 16);
  const bool anywhere =
      plain_rows(job.frame) && -reach(job.frame.from, size) <= narrow && reach(job.frame.to, size) <= narrow;
  std::vector<std::size_t> cuts{0};
  std::size_t cut = 0;
  for (std::size_t p = 1; p < most; ++p) {
    const std::size_t at = size * p / most, until = size * (p + 1) / most;
    if (cut < at) cut = anywhere ? at : next_start(job.order, at, OrderData::group_start);
    if (cut < until)
      cuts.push_back(cut);
    else if (p % finer == 0)
      cuts.push_back(at);
  }
  cuts.push_back(size);

  // Each piece.
  Progress progress(job.run, size);
  parallel_for(cuts.size() - 1, job.run, [&](std::size_t piece) {
    work(cuts[piece], cuts[piece + 1]);
    progress.add(cuts[piece + 1] - cuts[piece]);
  });
}

// Calls one(position, group's first position, frame's begin, frame's end) for every position in [begin, end); where the
// frame excludes rows, several(position, group's first position, its stretches).
template <class One, class Several>
void each_frame(const WindowJob& job, std::size_t begin, std::size_t end, const One& one, const Several& several) {
  if (plain_rows(job.frame)) return each_frame_of_rows(job, begin, end, one);
  if (runs_with_peers(job.frame)) {
    std::size_t group = 0, reached = 0;
    const auto start = [&](std::size_t first) { group = first; };
    const auto add = [&](std::size_t at) { reached = at + 1; };
    return each_step_with_peers(job, begin, end, start, add, [&](std::size_t at) {
      one(at, group, static_cast<std::uint32_t>(group), static_cast<std::uint32_t>(reached));
    });
  }
  FrameWalk walk(job.order, job.frame, job.range, begin, end);
  for (std::size_t at = begin; at < end; ++at) {
    walk.next();
    if (job.frame.excluded == Excluded::no_others)
      one(at, walk.group_begin(), walk.low(), walk.high());
    else
      several(at, walk.group_begin(), walk.stretches());
  }
}

// Small enough to be copied into registers; what it was given is not seen afterwards.
template <class Accumulator>
concept InRegisters = std::is_trivially_copyable_v<Accumulator> && sizeof(Accumulator) <= 64 &&
                      requires(Accumulator a) {
  a.reset();
};

// Holds the positions of one frame after the other in an accumulator. A value is added once and removed once, for each
// stretch of a frame and each group, whatever the frame's width: ends only advance.
template <class Accumulator>
class HeldFrame {
 public:
  explicit HeldFrame(Accumulator& accumulator) : held_(accumulator) {}

  void enter_group(std::size_t first) {
    if (first == group_) return;
    group_ = first;
    if constexpr (requires(Accumulator a) { a.reset(); })
      held_.reset();
    else
      for (std::size_t part = 0; part < 3; ++part) drop(part, end_[part]);
    begin_.fill(static_cast<std::uint32_t>(first));
    end_ = begin_;
  }
  void move(std::uint32_t low, std::uint32_t high) {
    leave(0, low);
    enter(0, high);
  }
  // First what leaves every stretch, then what enters: as the frame advances, a position passes from a stretch to the
  // one before it, and is never held by both.
  void move(const Stretches& to) {
    for (std::size_t part = 0; part < 3; ++part) leave(part, to.begin[part]);
    for (std::size_t part = 0; part < 3; ++part) enter(part, to.end[part]);
  }
  // From [low - 1, high - 1) to [low, high).
  void advance(std::uint32_t low, std::uint32_t high) {
    held_.remove(low - 1);
    held_.add(high - 1);
    begin_[0] = low;
    end_[0] = high;
  }

 private:
  void drop(std::size_t part, std::uint32_t until) {
    for (std::uint32_t& at = begin_[part]; at < until; ++at) held_.remove(at);
  }
  void leave(std::size_t part, std::uint32_t to_begin) {
    drop(part, std::min(to_begin, end_[part]));
    if (to_begin >= end_[part]) begin_[part] = end_[part] = to_begin;
  }
  void enter(std::size_t part, std::uint32_t to_end) {
    for (std::uint32_t& at = end_[part]; at < to_end; ++at) held_.add(at);
  }

  Accumulator& held_;
  std::array<std::uint32_t, 3> begin_{}, end_{};
  std::size_t group_ = ~std::size_t{0};
};

// Calls emit(position, group's first position, accumulator) for every position in [begin, end), with exactly the
// positions of its frame added. An accumulator has add(position), remove(position), and reset() where it can forget
// all at once.
template <class Accumulator, class Emit>
void slide(const WindowJob& job, std::size_t begin, std::size_t end, Accumulator& accumulator, const Emit& emit) {
  if (begin >= end) return;
  // A small one's copy, which nothing else can reach, stays in the processor's registers.
  if constexpr (InRegisters<Accumulator>) {
    if (runs_with_peers(job.frame)) {
      Accumulator own = accumulator;
      std::size_t group = 0;
      const auto start = [&](std::size_t first) {
        group = first;
        own.reset();
      };
      const auto add = [&](std::size_t at) { own.add(static_cast<std::uint32_t>(at)); };
      return each_step_with_peers(job, begin, end, start, add, [&](std::size_t at) { emit(at, group, own); });
    }
  }

  HeldFrame<Accumulator> held(accumulator);
  const auto one = [&](std::size_t at, std::size_t group, std::uint32_t low, std::uint32_t high) {
    held.enter_group(group);
    held.move(low, high);
    emit(at, group, accumulator);
  };
  if (plain_rows(job.frame)) {
    const auto steady = [&](std::size_t at, std::size_t group, std::uint32_t low, std::uint32_t high) {
      held.advance(low, high);
      emit(at, group, accumulator);
    };
    return each_frame_of_rows(job, begin, end, one, steady);
  }
  each_frame(job, begin, end, one, [&](std::size_t at, std::size_t group, const Stretches& frame) {
    held.enter_group(group);
    held.move(frame);
    emit(at, group, accumulator);
  });
}

// The same over all positions: make() makes an accumulator for each piece.
template <class Make, class Emit>
void slide_all(const WindowJob& job, const Make& make, const Emit& emit) {
  slide_in_pieces(job, [&](std::size_t begin, std::size_t end) {
    auto accumulator = make();
    slide(job, begin, end, accumulator, emit);
  });
}

}  // namespace lofty::engine
