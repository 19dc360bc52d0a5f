#pragma once
// Which sorts a set of windows needs, and which of them share one.
//
// A sort serves a window when the sort's first keys are the window's partition, in any order and direction, and its
// next keys are the window's order. Where the result goes by the order of rows that are equal on those keys, the sort
// must have no further key: it would order ties otherwise than the rows came in. (After Y.-Y. Cao and others,
// "Optimization of analytic window functions", 2012, whose cover sets these are; unlike there, the fewest are found
// exactly.)
// Covered by tests/window/shared_sorts_test.cpp, against all groupings.

#include <cstddef>
#include <cstdint>
#include <vector>

namespace lofty::engine {

// A key by number; keys that mean the same have one number.
struct PlannedKey {
  std::size_t key = 0;
  bool descending = false, nulls_first = false;
  friend bool operator==(const PlannedKey&, const PlannedKey&) = default;
};

struct WindowNeed {
  std::vector<std::size_t> partition;
  std::vector<PlannedKey> order;
  bool sees_peers_order = false;
};

struct PlannedSort {
  std::vector<PlannedKey> keys;
  std::size_t partition = 0;        // keys of the widest partition among those that it serves in full
  std::vector<std::size_t> serves;  // numbers of needs, ascending
};

// The fewest sorts that serve all needs; each need is served by one of them. Sorts are in the order of the first need
// that they serve. Up to some 20 different needs are solved exactly, beyond that greedily. Under a millisecond.
std::vector<PlannedSort> plan_sorts(const std::vector<WindowNeed>& needs);

// The need without what says nothing: keys that occur twice, and keys of the order that the partition holds.
WindowNeed reduced(const WindowNeed& need);
// Does one sort serve them all?
bool share_a_sort(const std::vector<WindowNeed>& needs);
// That sort. Precondition: there is one.
PlannedSort shared_sort(const std::vector<WindowNeed>& needs);

}  // namespace lofty::engine
