// The least and the greatest value of frames, each frame gone through from its first value to its last.
#include "window/frame_extremes.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <cmath>
#include <limits>
#include <random>

#include "support/orders.hpp"

using namespace lofty;
using namespace lofty::engine;

namespace {

Gathered some_values(std::size_t size, int lane, int different, std::mt19937_64& random) {
  Gathered out;
  out.lane = static_cast<Gathered::Lane>(lane);
  constexpr std::int64_t most = std::numeric_limits<std::int64_t>::max();
  const std::int64_t extremes[] = {most, most - 1, -most, int64_null, 0};
  const double doubles[] = {
      0.0,    -0.0,        std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity(),
      5e-324, std::nan("")};
  const bool wild = random() % 3 == 0;
  if (lane == 0) out.ints.allocate(size);
  if (lane == 1) out.wide.allocate(size);
  if (lane == 2) out.doubles.allocate(size);
  for (std::size_t i = 0; i < size; ++i) {
    const auto number = static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(different)) - different / 2;
    const bool null = random() % 7 == 0;
    if (lane == 0) {
      out.ints[i] = null ? int64_null : wild ? extremes[random() % 5] : number;
      if (out.ints[i] != int64_null) out.magnitude = std::max<int128>(out.magnitude, std::abs(out.ints[i]));
    } else if (lane == 1) {
      out.wide[i] = null ? int128_min : wild ? int128{extremes[random() % 3]} * 1000 : int128{number};
    } else {
      out.doubles[i] = null ? std::nan("") : wild ? doubles[random() % 6] : static_cast<double>(number) / 4;
    }
  }
  return out;
}

std::uint32_t by_definition(const OrderData& order, const Frame& frame, const Gathered& values, bool greatest,
                            std::size_t at) {
  const std::size_t size = order.rows.size();
  std::size_t first = at, last = at + 1, peers_end = at + 1;
  while ((order.marks[first] & OrderData::group_start) == 0) --first;
  while (last < size && (order.marks[last] & OrderData::group_start) == 0) ++last;
  while (peers_end < last && (order.marks[peers_end] & OrderData::peer_start) == 0) ++peers_end;
  std::int64_t low = static_cast<std::int64_t>(first), high = static_cast<std::int64_t>(last);
  if (frame.unit == FrameUnit::range) {
    high = static_cast<std::int64_t>(peers_end);
  } else {
    const auto here = static_cast<std::int64_t>(at);
    const auto to = [&](const Bound& bound, std::int64_t unbounded) {
      switch (bound.edge) {
        case Edge::preceding: return here - bound.distance;
        case Edge::current_row: return here;
        case Edge::following: return here + bound.distance;
        default: return unbounded;
      }
    };
    low = std::max(low, to(frame.from, low));
    high = std::min(high, to(frame.to, high) + 1);
  }
  std::uint32_t best = no_position;
  const auto better = [&](std::size_t a, std::size_t b) {
    switch (values.lane) {
      case Gathered::Lane::int64: return greatest ? values.ints[a] > values.ints[b] : values.ints[a] < values.ints[b];
      case Gathered::Lane::int128: return greatest ? values.wide[a] > values.wide[b] : values.wide[a] < values.wide[b];
      default: return greatest ? values.doubles[a] > values.doubles[b] : values.doubles[a] < values.doubles[b];
    }
  };
  for (std::int64_t i = low; i < high; ++i)
    if (!values.is_null(static_cast<std::size_t>(i)) &&
        (best == no_position || better(static_cast<std::size_t>(i), best)))
      best = static_cast<std::uint32_t>(i);
  return best;
}

void compare(const OrderData& order, const Frame& frame, const Gathered& values, const Run& run, std::size_t step) {
  const WindowJob job{order, frame, nullptr, run};
  for (const bool greatest : {false, true}) {
    const Buffer<std::uint32_t> found = frame_extremes(job, values, greatest);
    std::vector<std::uint32_t> rows(order.rows.size());
    frame_extremes(job, values, greatest, order.rows.data(), rows.data());
    for (std::size_t at = 0; at < order.rows.size(); at += step) {
      const std::uint32_t expected = by_definition(order, frame, values, greatest, at);
      ASSERT_EQ(found[at], expected) << "at " << at << (greatest ? ", greatest" : ", least");
      ASSERT_EQ(rows[at], expected == no_position ? no_position : order.rows[expected]);
    }
    if (values.lane != Gathered::Lane::int64) continue;
    const Buffer<std::int64_t> shown = frame_extreme_values(job, values, greatest);
    for (std::size_t at = 0; at < order.rows.size(); at += step)
      ASSERT_EQ(shown[at], found[at] == no_position ? int64_null : values.ints[found[at]]);
  }
}

Bound some_bound(std::mt19937_64& random, bool from, std::size_t most) {
  const auto distance = static_cast<std::int64_t>(random() % most);
  switch (random() % 4) {
    case 0: return from ? unbounded_preceding() : unbounded_following();
    case 1: return preceding(distance);
    case 2: return following(distance);
    default: return current_row();
  }
}

}  // namespace

RC_GTEST_PROP(FrameExtremes, AreThoseOfEachFrame, ()) {
  std::mt19937_64 random(*rc::gen::arbitrary<std::uint64_t>());
  const std::size_t size = 1 + random() % 80;
  const OrderData order = some_order(size, 1 + random() % 40, random);
  const Gathered values =
      some_values(size, static_cast<int>(random() % 3), 1 + static_cast<int>(random() % 20), random);
  Frame frame;  // what no frame means
  if (random() % 5 != 0) frame = {FrameUnit::rows, some_bound(random, true, 12), some_bound(random, false, 12), {}, {}};
  compare(order, frame, values, {}, 1);
}

// Several pieces, whose first frames begin before them.
TEST(FrameExtremes, PiecesSeeWhatCameBefore) {
  std::mt19937_64 random(11);
  const std::size_t size = 140'000;
  for (const std::size_t group_rows : {std::size_t{40}, std::size_t{50'000}, std::size_t{10'000'000}}) {
    const OrderData order = some_order(size, group_rows, random);
    for (int lane = 0; lane < 3; ++lane) {
      const Gathered values = some_values(size, lane, 1'000'000, random);
      for (const Frame& frame : {Frame{}, Frame{FrameUnit::rows, preceding(30), following(5), {}, {}},
                                 Frame{FrameUnit::rows, preceding(3000), preceding(1000), {}, {}},
                                 Frame{FrameUnit::rows, following(2), following(900), {}, {}},
                                 Frame{FrameUnit::rows, preceding(1'000'000), current_row(), {}, {}},
                                 Frame{FrameUnit::rows, current_row(), unbounded_following(), {}, {}}})
        compare(order, frame, values, {.threads = 3}, 4999);
    }
  }
}
