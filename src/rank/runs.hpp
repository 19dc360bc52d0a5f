#pragma once
// The runs of peers of an Order, one after the other or in stretches on several threads.
// Covered by tests/rank/places_test.cpp.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "base/access.hpp"
#include "base/parallel.hpp"
#include "order/sort.hpp"

namespace lofty::engine {

// Positions [begin, end) are peers; all of them, even when only a part is in the current stretch.
struct PeerRun {
  std::size_t from = 0, to = 0;  // the part in the stretch
  std::size_t begin = 0, end = 0;
  std::size_t group_begin = 0;
  std::uint32_t dense = 0;  // its number among the different values of its group, from 1
  bool ranked = true;
  std::uint32_t first() const { return static_cast<std::uint32_t>(begin - group_begin + 1); }  // ordinal place
};

// Where a stretch of an Order's positions begins: what it has to know of those before and after it.
struct Stretch {
  std::size_t from = 0, to = 0;
  std::size_t group = 0, peer = 0;  // the starts of the group and the run of peers that `from` is in
  std::size_t next = 0;             // where the run that crosses `to` ends
  std::uint32_t dense = 0;          // runs of peers of the group before `from`, the current one included
};

// Calls work(stretch) for stretches that cover all positions, on several threads. O(n / threads) before the work.
template <class Work>
void each_stretch(const Order& order, const Run& run, const Work& work) {
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();
  const std::size_t size = order.size();
  if (size == 0) return;
  const RowRanges pieces = RowRanges::fixed(size);
  const std::size_t stretches = pieces.count();

  // What a stretch has to know of those before and after it.
  struct Edge {
    std::size_t first_peer, last_peer, last_group;  // positions; none: size
    std::uint32_t peers = 0;                        // peer starts from the last group start on (from the front: none)
  };
  std::vector<Edge> edges(stretches);
  // From the ends inwards: the first and the last start are near them, as a rule.
  const auto next_with = [marks](std::uint8_t bit, std::size_t at, std::size_t end) {
    while (at < end && (marks[at] & bit) == 0) ++at;
    return at;
  };
  const auto last_with = [marks, size](std::uint8_t bit, std::size_t begin, std::size_t at) {
    while (at > begin && (marks[at - 1] & bit) == 0) --at;
    return at > begin ? at - 1 : size;
  };
  if (stretches > 1)
    parallel_for(pieces, run, [&](const RowRange& piece, std::size_t s) {
      const std::size_t begin = piece.begin, end = piece.end;
      const std::size_t first = next_with(OrderData::peer_start, begin, end);
      Edge edge{first < end ? first : size, last_with(OrderData::peer_start, begin, end),
                last_with(OrderData::group_start, begin, end), 0};
      for (std::size_t i = edge.last_group != size ? edge.last_group : begin; i < end; ++i)
        edge.peers += (marks[i] & OrderData::peer_start) != 0;
      edges[s] = edge;
    });

  // What stretches know of those before them, and of those after them.
  std::vector<Stretch> all(stretches);
  for (std::size_t s = 0; s < stretches; ++s) {
    all[s].from = pieces[s].begin;
    all[s].to = pieces[s].end;
    if (s == 0) continue;
    const Edge& before = edges[s - 1];
    all[s].group = before.last_group != size ? before.last_group : all[s - 1].group;
    all[s].peer = before.last_peer != size ? before.last_peer : all[s - 1].peer;
    all[s].dense = (before.last_group != size ? 0 : all[s - 1].dense) + before.peers;
  }
  for (std::size_t s = stretches, next = size; s-- > 0;) {
    all[s].next = next;
    if (stretches > 1 && edges[s].first_peer != size) next = edges[s].first_peer;
  }
  Progress progress(run, size);
  parallel_for(pieces, progress, [&](const RowRange&, std::size_t s) { work(all[s]); });
}

// Calls emit(run) for every run of every stretch; different stretches on different threads. O(n).
template <class Emit>
void each_peer_run(const Order& order, const Run& run, const Emit& emit) {
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();
  each_stretch(order, run, [&](const Stretch& stretch) {
    PeerRun peers;
    peers.group_begin = stretch.group;
    peers.dense = stretch.dense;
    peers.begin = stretch.peer;
    for (std::size_t i = stretch.from; i < stretch.to;) {
      if ((marks[i] & OrderData::peer_start) != 0) {
        peers.begin = i;
        if ((marks[i] & OrderData::group_start) != 0) {
          peers.group_begin = i;
          peers.dense = 0;
        }
        ++peers.dense;
      }
      peers.from = i++;
      while (i < stretch.to && (marks[i] & OrderData::peer_start) == 0) ++i;
      peers.to = i;
      peers.end = i < stretch.to ? i : stretch.next;
      peers.ranked = (marks[peers.from] & OrderData::is_ranked) != 0;
      emit(peers);
    }
  });
}

}  // namespace lofty::engine
