#pragma once
// The runs of peers of an Order, one after the other or in stretches on several threads.
// Covered by tests/rank/places_test.cpp.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "order/sort.hpp"
#include "table/parallel.hpp"

namespace lofty::engine {

// Positions [begin, end) are peers; all of them, even when only a part lies in the stretch at hand.
struct PeerRun {
  std::size_t from = 0, to = 0;  // the part in the stretch
  std::size_t begin = 0, end = 0;
  std::size_t group_begin = 0;
  std::uint32_t dense = 0;  // its number among the different values of its group, from 1
  bool ranked = true;
  std::uint32_t first() const { return static_cast<std::uint32_t>(begin - group_begin + 1); }  // ordinal place
};

// Calls emit(run) for every run of every stretch; different stretches on different threads. O(n).
template <class Emit>
void each_peer_run(const Order& order, const Run& run, const Emit& emit) {
  constexpr std::size_t stretch = 256 * 1024;
  const std::uint8_t* const marks = order.data().marks.data();
  const std::size_t size = order.size();
  if (size == 0) return;
  const std::size_t stretches = size < rows_worth_threads ? 1 : (size + stretch - 1) / stretch;
  const auto bounds = [&](std::size_t s) {
    return std::pair(s * stretch, stretches == 1 ? size : std::min(size, (s + 1) * stretch));
  };
  // What a stretch has to know of those before and behind it.
  struct Edge {
    std::size_t first_peer, last_peer, last_group;  // positions; none: size
    std::uint32_t peers = 0;                        // peer starts from the last group start on (from the front: none)
  };
  std::vector<Edge> edges(stretches);
  if (stretches > 1)
    parallel_for(stretches, run, [&](std::size_t s) {
      Edge edge{size, size, size};
      const auto [begin, end] = bounds(s);
      for (std::size_t i = begin; i < end; ++i) {
        if ((marks[i] & OrderData::peer_start) == 0) continue;
        if (edge.first_peer == size) edge.first_peer = i;
        edge.last_peer = i;
        if ((marks[i] & OrderData::group_start) != 0) {
          edge.last_group = i;
          edge.peers = 0;
        }
        ++edge.peers;
      }
      edges[s] = edge;
    });
  struct Start {
    std::size_t group = 0, peer = 0, next = 0;  // next: where the run that crosses the stretch's end ends
    std::uint32_t dense = 0;
  };
  std::vector<Start> starts(stretches);
  for (std::size_t s = 1; s < stretches; ++s) {
    const Edge& before = edges[s - 1];
    starts[s] = starts[s - 1];
    if (before.last_peer != size) starts[s].peer = before.last_peer;
    if (before.last_group != size) {
      starts[s].group = before.last_group;
      starts[s].dense = 0;
    }
    starts[s].dense += before.peers;
  }
  for (std::size_t s = stretches, next = size; s-- > 0;) {
    starts[s].next = next;
    if (stretches > 1 && edges[s].first_peer != size) next = edges[s].first_peer;
  }
  const auto work = [&](std::size_t s) {
    const auto [from, to] = bounds(s);
    PeerRun peers;
    peers.group_begin = starts[s].group;
    peers.dense = starts[s].dense;
    peers.begin = starts[s].peer;
    for (std::size_t i = from; i < to;) {
      if ((marks[i] & OrderData::peer_start) != 0) {
        peers.begin = i;
        if ((marks[i] & OrderData::group_start) != 0) {
          peers.group_begin = i;
          peers.dense = 0;
        }
        ++peers.dense;
      }
      peers.from = i++;
      while (i < to && (marks[i] & OrderData::peer_start) == 0) ++i;
      peers.to = i;
      peers.end = i < to ? i : starts[s].next;
      peers.ranked = (marks[peers.from] & OrderData::is_ranked) != 0;
      emit(peers);
    }
  };
  if (stretches == 1)
    work(0);
  else
    parallel_for(stretches, run, work);
}

}  // namespace lofty::engine
