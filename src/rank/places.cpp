#include "lofty/places.hpp"

#include <cassert>

namespace lofty {

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

// Calls emit(begin, end, first, dense) for every run [begin, end) of ranked peers: `first` is the ordinal place of its
// first position, `dense` its number among the different values of its group.
template <class Emit>
void each_peers(const Order& order, const Emit& emit) {
  std::size_t group_begin = 0, begin = 0;
  std::uint32_t dense = 0;
  const std::size_t size = order.size();
  while (begin < size) {
    if (order.starts_group(begin)) {
      group_begin = begin;
      dense = 0;
    }
    std::size_t end = begin + 1;
    while (end < size && !order.starts_peers(end)) ++end;
    if (order.ranked(begin)) emit(begin, end, static_cast<std::uint32_t>(begin - group_begin + 1), ++dense);
    begin = end;
  }
}

template <class T>
std::vector<T> by_row(const Order& order, const std::vector<T>& sorted) {
  std::vector<T> out(sorted.size());
  const auto rows = order.rows();
  for (std::size_t i = 0; i < sorted.size(); ++i) out[rows[i]] = sorted[i];
  return out;
}

}  // namespace

std::vector<std::uint32_t> places(const Order& order, Ties ties) {
  assert(ties != Ties::fractional && "fractional places are doubles: fractional_places()");
  std::vector<std::uint32_t> out(order.size(), 0);
  each_peers(order, [&](std::size_t begin, std::size_t end, std::uint32_t first, std::uint32_t dense) {
    const auto last = static_cast<std::uint32_t>(first + (end - begin) - 1);
    for (std::size_t i = begin; i < end; ++i) {
      switch (ties) {
        case Ties::competition: out[i] = first; break;
        case Ties::modified: out[i] = last; break;
        case Ties::dense: out[i] = dense; break;
        default: out[i] = first + static_cast<std::uint32_t>(i - begin); break;
      }
    }
  });
  return out;
}

std::vector<std::uint32_t> places_by_row(const Order& order, Ties ties) { return by_row(order, places(order, ties)); }

std::vector<double> fractional_places(const Order& order) {
  std::vector<double> out(order.size(), 0);
  each_peers(order, [&](std::size_t begin, std::size_t end, std::uint32_t first, std::uint32_t) {
    const double mean = first + static_cast<double>(end - begin - 1) / 2;
    for (std::size_t i = begin; i < end; ++i) out[i] = mean;
  });
  return out;
}

std::vector<double> fractional_places_by_row(const Order& order) { return by_row(order, fractional_places(order)); }

}  // namespace lofty
