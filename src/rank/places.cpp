// Places under the five tie rules, and what follows from them.

#include "lofty/places.hpp"

#include <algorithm>
#include <limits>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/call_check.hpp"
#include "base/large_vector.hpp"
#include "base/name_table.hpp"
#include "base/through_buckets.hpp"
#include "rank/packed_places.hpp"
#include "rank/runs.hpp"

namespace lofty {

using engine::each_peer_run;
using engine::PeerRun;

namespace {

std::uint32_t last_place(const PeerRun& peers) { return static_cast<std::uint32_t>(peers.end - peers.group_begin); }
double mean_place(const PeerRun& peers) { return (peers.first() + static_cast<double>(last_place(peers))) / 2; }

// What is known of a position on the way through a stretch: where its run of peers and its group begin, and how many
// runs of the group there are up to it. No branch depends on the data: ties come without a pattern.
struct Walk {
  std::uint32_t first, group, dense;
  explicit Walk(const engine::Stretch& stretch)
      : first(static_cast<std::uint32_t>(stretch.peer)),
        group(static_cast<std::uint32_t>(stretch.group)),
        dense(stretch.dense) {}
  static std::uint32_t all_if(std::uint8_t marks, std::uint8_t bit) { return (marks & bit) != 0 ? ~0u : 0; }
  // On to position i; returns a mask of ones when it is ranked.
  std::uint32_t step(std::uint32_t i, std::uint8_t marks) {
    const std::uint32_t starts_peers = all_if(marks, engine::OrderData::peer_start),
                        starts_group = all_if(marks, engine::OrderData::group_start);
    first = (first & ~starts_peers) | (i & starts_peers);
    group = (group & ~starts_group) | (i & starts_group);
    dense = (dense & ~starts_group) - starts_peers;
    return all_if(marks, engine::OrderData::is_ranked);
  }
};

// Calls put(i, walk, ranked) for every position.
template <class Put>
void each_position(const Order& order, const Run& run, const Put& put) {
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();
  engine::each_stretch(order, run, [&](const engine::Stretch& stretch) {
    Walk walk(stretch);
    for (auto i = static_cast<std::uint32_t>(stretch.from); i < stretch.to; ++i) {
      const std::uint32_t ranked = walk.step(i, marks[i]);
      put(i, walk, ranked);
    }
  });
}

// Where the result of a position goes: to the same place, or straight to its input row, without an array between.
struct InSortedOrder {
  std::size_t operator()(std::size_t i) const { return i; }
};
struct ByInputRow {
  const std::uint32_t* rows;
  std::size_t operator()(std::size_t i) const { return rows[i]; }
};

template <class T, class Where, class Get>
void fill(const Order& order, const Run& run, T* out, Where where, T unranked, const Get& get) {
  each_peer_run(order, run, [&](const PeerRun& peers) {
    const T value = peers.ranked ? get(peers) : unranked;
    for (std::size_t i = peers.from; i < peers.to; ++i) out[where(i)] = value;
  });
}

template <class T, class Where>
void place(const Order& order, Ties ties, T* to, Where where, const Run& run) {
  engine::require(ties != Ties::fractional, "fractional places are doubles: fractional_places()");
  switch (ties) {
    case Ties::competition:
      return each_position(order, run, [=](std::uint32_t i, const Walk& walk, std::uint32_t ranked) {
        to[where(i)] = static_cast<T>((walk.first - walk.group + 1) & ranked);
      });
    case Ties::dense:
      return each_position(order, run, [=](std::uint32_t i, const Walk& walk, std::uint32_t ranked) {
        to[where(i)] = static_cast<T>(walk.dense & ranked);
      });
    case Ties::modified:
      return fill(order, run, to, where, T{0}, [](const PeerRun& peers) { return static_cast<T>(last_place(peers)); });
    default:
      return each_position(order, run, [=](std::uint32_t i, const Walk& walk, std::uint32_t ranked) {
        to[where(i)] = static_cast<T>((i - walk.group + 1) & ranked);
      });
  }
}

// Calls get(position in the group, ranked rows of the group) for every ranked position, and puts the result there.
template <class T, class Get>
std::vector<T> of_ranked(const Order& order, const Run& run, T unranked, const Get& get) {
  auto out = engine::large_vector<T>(order.size(), run);

  // Where each group's ranked rows end: on the way back, because it is known at a group's last position only.
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();
  engine::Progress progress(run, order.size());
  std::size_t end = order.size();  // of the current group
  for (std::size_t begin = order.size(); begin-- > 0;) {
    if ((marks[begin] & engine::OrderData::group_start) == 0) continue;
    std::size_t ranked = begin;
    while (ranked < end && (marks[ranked] & engine::OrderData::is_ranked) != 0) ++ranked;
    for (std::size_t from = begin; from < end; from += engine::RowRanges::usual_rows) {
      const std::size_t to = std::min(end, from + engine::RowRanges::usual_rows);
      for (std::size_t i = from; i < to; ++i) out[i] = i < ranked ? get(i - begin, i, ranked - begin) : unranked;
      progress.add(to - from);
    }
    end = begin;
  }
  return out;
}

}  // namespace

void places(const Order& order, Ties ties, std::span<std::uint32_t> out, const Run& run) {
  engine::require(out.size() == order.size(), "the places are as many as the rows");
  place(order, ties, out.data(), InSortedOrder{}, run);
}

std::vector<std::uint32_t> places(const Order& order, Ties ties, const Run& run) {
  auto out = engine::large_vector<std::uint32_t>(order.size(), run);
  places(order, ties, out, run);
  return out;
}

void places_by_row(const Order& order, Ties ties, std::span<std::uint32_t> out, const Run& run) {
  engine::require(out.size() == order.size(), "the places are as many as the rows");
  place(order, ties, out.data(), ByInputRow{order.rows().data()}, run);
}

std::vector<std::uint32_t> places_by_row(const Order& order, Ties ties, const Run& run) {
  auto out = engine::large_vector<std::uint32_t>(order.size(), run);
  places_by_row(order, ties, out, run);
  return out;
}

engine::PackedNumbers engine::packed_places(const Order& order, Ties ties, std::size_t most, const Run& run) {
  PackedNumbers out = PackedNumbers::between(0, static_cast<std::int64_t>(most), false);
  out.allocate(order.size());
  if (out.width == 2)
    place(order, ties, out.data<std::uint16_t>(), InSortedOrder{}, run);
  else
    place(order, ties, out.data<std::uint32_t>(), InSortedOrder{}, run);
  return out;
}

std::vector<double> fractional_places(const Order& order, const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = engine::large_vector<double>(order.size(), run);
  fill(order, run, out.data(), InSortedOrder{}, 0.0, mean_place);
  return out;
}

std::vector<double> fractional_places_by_row(const Order& order, const Run& run) {
  const engine::MemoryLimit limit(run);
  auto out = engine::large_vector<double>(order.size(), run);
  fill(order, run, out.data(), ByInputRow{order.rows().data()}, 0.0, mean_place);
  return out;
}

void every_place(const Order& order, EveryPlace& out, const Run& run) {
  const engine::MemoryLimit limit(run);
  for (auto* one : {&out.competition, &out.modified, &out.dense, &out.ordinal})
    engine::resize_large(*one, order.size(), run);
  engine::resize_large(out.fractional, order.size(), run);
  std::uint32_t *const competition = out.competition.data(), *const modified = out.modified.data(),
                       *const dense = out.dense.data(), *const ordinal = out.ordinal.data();
  double* const fractional = out.fractional.data();
  const std::uint8_t* const marks = engine::Access::data(order).marks.data();

  // Stretch by stretch, forwards for what is known from before.
  engine::each_stretch(order, run, [&](const engine::Stretch& stretch) {
    Walk walk(stretch);
    for (auto i = static_cast<std::uint32_t>(stretch.from); i < stretch.to; ++i) {
      const std::uint32_t ranked = walk.step(i, marks[i]);
      competition[i] = (walk.first - walk.group + 1) & ranked;
      dense[i] = walk.dense & ranked;
      ordinal[i] = (i - walk.group + 1) & ranked;
    }
    // The end of a run of peers is known from the end; the mean of its ordinal places is that of its first and last.
    auto end = static_cast<std::uint32_t>(stretch.next);
    for (auto i = static_cast<std::uint32_t>(stretch.to); i-- > stretch.from;) {
      const std::uint32_t starts_peers = Walk::all_if(marks[i], engine::OrderData::peer_start),
                          ranked = Walk::all_if(marks[i], engine::OrderData::is_ranked);
      modified[i] = (ordinal[i] + end - i - 1) & ranked;
      fractional[i] = static_cast<double>(competition[i] + std::uint64_t{modified[i]}) / 2;
      end = (end & ~starts_peers) | (i & starts_peers);
    }
  });
}

EveryPlace every_place(const Order& order, const Run& run) {
  EveryPlace out;
  every_place(order, out, run);
  return out;
}

std::vector<std::uint32_t> tiers(const Order& order, std::uint32_t count, const Run& run) {
  const engine::MemoryLimit limit(run);
  engine::require(count > 0, "there is at least one tier");
  return of_ranked(order, run, 0u, [count](std::size_t at, std::size_t, std::size_t rows) {
    const std::size_t size = rows / count, longer = rows % count;  // the first `longer` tiers have one row more
    const std::size_t tier = at < longer * (size + 1)
                                 ? at / (size + 1)
                                 : longer + (at - longer * (size + 1)) / std::max<std::size_t>(size, 1);
    return static_cast<std::uint32_t>(tier + 1);
  });
}

std::vector<double> percent_ranks(const Order& order, const Run& run) {
  const engine::MemoryLimit limit(run);
  const engine::Phases phases(run, {1, 1});
  const std::vector<std::uint32_t> place = places(order, Ties::competition, phases[0]);
  return of_ranked(order, phases[1], std::numeric_limits<double>::quiet_NaN(),
                   [&](std::size_t, std::size_t position, std::size_t ranked) {
                     return ranked == 1 ? 0 : (place[position] - 1.0) / static_cast<double>(ranked - 1);
                   });
}

std::vector<double> cumulative_distributions(const Order& order, const Run& run) {
  const engine::MemoryLimit limit(run);
  const engine::Phases phases(run, {1, 1});
  const std::vector<std::uint32_t> place = places(order, Ties::modified, phases[0]);
  return of_ranked(order, phases[1], std::numeric_limits<double>::quiet_NaN(),
                   [&](std::size_t, std::size_t position, std::size_t ranked) {
                     return place[position] / static_cast<double>(ranked);
                   });
}

namespace detail {
namespace {

template <class Word>
void scatter_words(const Order& order, const void* sorted, void* out, const Run& run) {
  const auto* const from = static_cast<const Word*>(sorted);
  auto* const to = static_cast<Word*>(out);
  engine::through_buckets<Word, 1>(
      order.rows(), run,
      [&](std::size_t begin, std::size_t count, engine::DealtBlock<Word, 1>& block) {
        std::copy_n(from + begin, count, block[0].data());
      },
      [] {}, [&](std::size_t row, std::size_t count, const Word* records) { std::copy_n(records, count, to + row); });
}

}  // namespace

void scatter(const Order& order, const void* sorted, std::size_t element, void* out, const Run& run) {
  switch (element) {
    case 1: return scatter_words<std::uint8_t>(order, sorted, out, run);
    case 2: return scatter_words<std::uint16_t>(order, sorted, out, run);
    case 4: return scatter_words<std::uint32_t>(order, sorted, out, run);
    case 8: return scatter_words<std::uint64_t>(order, sorted, out, run);
    case 16: return scatter_words<engine::uint128>(order, sorted, out, run);
    default: engine::refuse_call("elements are of 1, 2, 4, 8 or 16 bytes");
  }
}

void require_lengths(bool equal) { engine::require(equal, "the values are as many as the rows of the order"); }

void in_stretches(std::size_t size, const Run& run, const std::function<void(std::size_t, std::size_t)>& work) {
  engine::Progress progress(run, size);
  engine::parallel_for(engine::RowRanges::fixed(size), Run{.threads = 1, .stop = run.stop},
                       [&](const engine::RowRange& rows) {
                         work(rows.begin, rows.end);
                         progress.add(rows.size());
                       });
}

void fetch_pages(void* data, std::size_t bytes, const Run& run) { engine::fetch_pages(data, bytes, run); }

}  // namespace detail
LOFTY_ENUM_NAMES(Ties, {Ties::competition, "competition"}, {Ties::modified, "modified"}, {Ties::dense, "dense"},
                 {Ties::ordinal, "ordinal"}, {Ties::fractional, "fractional"})

}  // namespace lofty
