#include "support/plain_window.hpp"

#include <algorithm>

namespace plain {
namespace {

bool null(const lofty::Value& value) { return lofty::is_null(value); }

// Negative: a comes before b.
int compare_keys(const WindowKey& key, std::size_t a, std::size_t b) {
  const lofty::Value &x = key.values[a], &y = key.values[b];
  if (null(x) && null(y)) return 0;
  if (null(x) || null(y)) return null(x) == key.nulls_first ? -1 : 1;
  if (x == y) return 0;
  return (x < y) != key.descending ? -1 : 1;
}

long whole(const lofty::Value& value) {
  if (const auto* date = std::get_if<lofty::Date>(&value)) return date->days;
  return static_cast<long>(std::get<lofty::Decimal>(value).coefficient());
}

}  // namespace

bool peers(const Window& window, std::size_t a, std::size_t b) {
  return std::all_of(window.order.begin(), window.order.end(),
                     [&](const WindowKey& key) { return compare_keys(key, a, b) == 0; });
}

std::vector<std::size_t> partition_of(const Window& window, std::size_t rows, std::size_t row) {
  std::vector<std::size_t> out;
  for (std::size_t other = 0; other < rows; ++other)
    if (std::all_of(window.partition.begin(), window.partition.end(), [&](const Values& values) {
          return null(values[row]) ? null(values[other]) : !null(values[other]) && values[row] == values[other];
        }))
      out.push_back(other);
  std::stable_sort(out.begin(), out.end(), [&](std::size_t a, std::size_t b) {
    for (const WindowKey& key : window.order)
      if (const int compared = compare_keys(key, a, b); compared != 0) return compared < 0;
    return false;
  });
  return out;
}

std::vector<std::size_t> frame_of(const Window& window, std::size_t rows, std::size_t row) {
  const std::vector<std::size_t> all = partition_of(window, rows, row);
  const auto at = static_cast<long>(std::find(all.begin(), all.end(), row) - all.begin());
  std::vector<std::size_t> out;
  for (long i = 0; i < static_cast<long>(all.size()); ++i) {
    const std::size_t other = all[static_cast<std::size_t>(i)];
    bool in = true;
    if (window.unit == Window::Unit::rows) {
      in = (!window.from || i >= at + *window.from) && (!window.to || i <= at + *window.to);
    } else if (window.unit == Window::Unit::groups) {
      // How many groups of peers `other` is after `row`.
      long steps = 0;
      for (long k = std::min(i, at) + 1; k <= std::max(i, at); ++k)
        steps += !peers(window, all[static_cast<std::size_t>(k)], all[static_cast<std::size_t>(k - 1)]);
      if (i < at) steps = -steps;
      in = (!window.from || steps >= *window.from) && (!window.to || steps <= *window.to);
    } else {
      const auto behind = [&](bool lower, long distance) {
        if (distance == 0) return peers(window, row, other) || (lower ? i > at : i < at);
        const WindowKey& key = window.order.front();
        const lofty::Value &here = key.values[row], &there = key.values[other];
        if (null(here)) return peers(window, row, other) || (lower ? i > at : i < at);
        if (null(there)) return lower ? i > at : i < at;
        const long moved = key.descending ? whole(here) - whole(there) : whole(there) - whole(here);
        return lower ? moved >= distance : moved <= distance;
      };
      in = (!window.from || behind(true, *window.from)) && (!window.to || behind(false, *window.to));
    }
    if (window.excluded == lofty::Excluded::current_row && other == row) in = false;
    if (window.excluded == lofty::Excluded::group && peers(window, row, other)) in = false;
    if (window.excluded == lofty::Excluded::ties && other != row && peers(window, row, other)) in = false;
    if (in) out.push_back(other);
  }
  return out;
}

}  // namespace plain
