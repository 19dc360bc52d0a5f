#pragma once
// All windows of a relation: planned, sorted, computed.

#include <functional>
#include <vector>

#include "window/evaluate.hpp"
#include "window/shared_sorts.hpp"

namespace lofty::engine {

// A window, or a formula over windows (`call` is null), and the items that have to be known first.
struct WindowItem {
  const WindowCall* call = nullptr;
  std::vector<std::size_t> needs;      // by anything in it
  std::vector<std::size_t> key_needs;  // by its partition and order
};

// A sort, and the items that are computed on it. A value: items are numbers, so that it holds for the same windows
// whatever is known of their types.
struct SortStep {
  struct Key {
    std::size_t item = 0;    // an item that has this key
    std::size_t number = 0;  // which of its keys it is: those of its partition, then those of its order
    bool descending = false;
    Nulls nulls = Nulls::last;
  };
  std::vector<Key> keys;
  WindowSort::Shape shape;
  std::vector<std::size_t> serves;
  // The number of an earlier step whose rows are together already by this one's first keys, so that its groups may be
  // sorted separately; none: there is no such step.
  static constexpr std::size_t none = ~std::size_t{0};
  std::size_t refines = none;
  std::size_t refined_keys = 0;  // how many of its keys that step has ordered
  bool also_needed = false;      // the same order is that of places, or of the listing
};
// The formula of a key, and its text.
const WindowKey& key_of(const std::vector<WindowItem>& items, const SortStep::Key& key);

// The fewest sorts, and which of them refine another. Windows whose keys are themselves windows wait for these, and
// share no sort with others.
std::vector<SortStep> plan_windows(const std::vector<WindowItem>& items);
// One sort for every window, shared by none: what the plan is measured against.
std::vector<SortStep> separate_sorts(const std::vector<WindowItem>& items);

// Seconds that each step's sort took, and each item's values.
struct WindowTimes {
  std::vector<double> sorts, items;
};

// What the caller of work_out() takes from it, and may have already.
struct WindowCalls {
  // Called for each item with its values. Those of a formula are null: the callee computes them.
  std::function<void(std::size_t item, ColumnPtr values, const WindowNotes& notes)> done;
  WindowTimes* times = nullptr;
  std::function<const Order*(const SortStep&)> ready = {};            // null: this order is not known yet
  std::function<void(const SortStep&, const WindowSort&)> made = {};  // sees each sort that was made
};
// Computes the items, each after those that it needs. A sort lives from the first of its windows to the last.
void work_out(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, const WindowRelation& relation,
              const Run& run, const WindowCalls& calls);

}  // namespace lofty::engine
