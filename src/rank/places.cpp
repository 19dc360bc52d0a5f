#include "lofty/places.hpp"

#include <cassert>
#include <limits>

#include "rank/runs.hpp"

namespace lofty {

using engine::each_peer_run;
using engine::PeerRun;

const char* ties_name(Ties ties) {
  switch (ties) {
    case Ties::competition: return "competition";
    case Ties::modified: return "modified";
    case Ties::dense: return "dense";
    case Ties::ordinal: return "ordinal";
    case Ties::fractional: return "fractional";
  }
  return "";
}

std::optional<Ties> ties_from(std::string_view name) {
  for (const Ties ties : {Ties::competition, Ties::modified, Ties::dense, Ties::ordinal, Ties::fractional})
    if (name == ties_name(ties)) return ties;
  return std::nullopt;
}

namespace {

std::uint32_t last_place(const PeerRun& peers) { return static_cast<std::uint32_t>(peers.end - peers.group_begin); }
std::uint32_t ordinal_place(const PeerRun& peers, std::size_t position) {
  return static_cast<std::uint32_t>(position - peers.group_begin + 1);
}
double mean_place(const PeerRun& peers) { return (peers.first() + static_cast<double>(last_place(peers))) / 2; }

template <class T, class Get>
void fill(const Order& order, const Run& run, std::span<T> out, T unranked, const Get& get) {
  each_peer_run(order, run, [&](const PeerRun& peers) {
    const T value = peers.ranked ? get(peers) : unranked;
    for (std::size_t i = peers.from; i < peers.to; ++i) out[i] = value;
  });
}

// How many ranked rows each row's group has, with the group's first position.
template <class T, class Get>
std::vector<T> of_group(const Order& order, T unranked, const Get& get) {
  std::vector<T> out(order.size(), unranked);
  const std::size_t size = order.size();
  for (std::size_t begin = 0; begin < size;) {
    std::size_t ranked_end = begin, end = begin + 1;
    while (end < size && !order.starts_group(end)) ++end;
    while (ranked_end < end && order.ranked(ranked_end)) ++ranked_end;
    get(begin, ranked_end, out);
    begin = end;
  }
  return out;
}

}  // namespace

void places(const Order& order, Ties ties, std::span<std::uint32_t> out, const Run& run) {
  assert(ties != Ties::fractional && "fractional places are doubles: fractional_places()");
  assert(out.size() == order.size());
  switch (ties) {
    case Ties::competition: return fill(order, run, out, 0u, [](const PeerRun& peers) { return peers.first(); });
    case Ties::modified: return fill(order, run, out, 0u, last_place);
    case Ties::dense: return fill(order, run, out, 0u, [](const PeerRun& peers) { return peers.dense; });
    default:
      each_peer_run(order, run, [&](const PeerRun& peers) {
        for (std::size_t i = peers.from; i < peers.to; ++i) out[i] = peers.ranked ? ordinal_place(peers, i) : 0;
      });
  }
}

std::vector<std::uint32_t> places(const Order& order, Ties ties, const Run& run) {
  std::vector<std::uint32_t> out(order.size());
  places(order, ties, out, run);
  return out;
}

std::vector<std::uint32_t> places_by_row(const Order& order, Ties ties, const Run& run) {
  return by_input_row(order, places(order, ties, run));
}

std::vector<double> fractional_places(const Order& order, const Run& run) {
  std::vector<double> out(order.size());
  fill(order, run, std::span(out), 0.0, mean_place);
  return out;
}

std::vector<double> fractional_places_by_row(const Order& order, const Run& run) {
  return by_input_row(order, fractional_places(order, run));
}

EveryPlace every_place(const Order& order, const Run& run) {
  EveryPlace all;
  for (auto* one : {&all.competition, &all.modified, &all.dense, &all.ordinal}) one->resize(order.size());
  all.fractional.resize(order.size());
  each_peer_run(order, run, [&](const PeerRun& peers) {
    if (!peers.ranked) return;  // zeros stand there
    const std::uint32_t first = peers.first(), last = last_place(peers);
    const double mean = mean_place(peers);
    for (std::size_t i = peers.from; i < peers.to; ++i) {
      all.competition[i] = first;
      all.modified[i] = last;
      all.dense[i] = peers.dense;
      all.ordinal[i] = ordinal_place(peers, i);
      all.fractional[i] = mean;
    }
  });
  return all;
}

std::vector<std::uint32_t> tiers(const Order& order, std::uint32_t count, const Run&) {
  assert(count > 0);
  return of_group(order, 0u, [&](std::size_t begin, std::size_t end, std::vector<std::uint32_t>& out) {
    const std::size_t rows = end - begin, size = rows / count, longer = rows % count;
    for (std::size_t i = begin; i < end; ++i) {
      const std::size_t at = i - begin;  // the first `longer` tiers have one row more
      const std::size_t tier = at < longer * (size + 1)
                                   ? at / (size + 1)
                                   : longer + (at - longer * (size + 1)) / std::max<std::size_t>(size, 1);
      out[i] = static_cast<std::uint32_t>(tier + 1);
    }
  });
}

std::vector<double> percent_ranks(const Order& order, const Run& run) {
  const std::vector<std::uint32_t> place = places(order, Ties::competition, run);
  return of_group(order, std::numeric_limits<double>::quiet_NaN(),
                  [&](std::size_t begin, std::size_t end, std::vector<double>& out) {
                    for (std::size_t i = begin; i < end; ++i)
                      out[i] = end - begin == 1 ? 0 : (place[i] - 1.0) / static_cast<double>(end - begin - 1);
                  });
}

std::vector<double> cumulative_distributions(const Order& order, const Run& run) {
  const std::vector<std::uint32_t> place = places(order, Ties::modified, run);
  return of_group(order, std::numeric_limits<double>::quiet_NaN(),
                  [&](std::size_t begin, std::size_t end, std::vector<double>& out) {
                    for (std::size_t i = begin; i < end; ++i) out[i] = place[i] / static_cast<double>(end - begin);
                  });
}

}  // namespace lofty
