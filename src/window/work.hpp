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

// A sort, and the items that are computed on it.
struct SortStep {
  std::vector<WindowSort::SortBy> keys;
  std::vector<std::string> texts;  // of the keys, as written
  WindowSort::Shape shape;
  std::vector<std::size_t> serves;
  // The number of an earlier step whose rows are together already by this one's first keys, so that its groups may be
  // sorted separately; none: there is no such step.
  static constexpr std::size_t none = ~std::size_t{0};
  std::size_t refines = none;
  std::size_t refined_keys = 0;  // how many of its keys that step has ordered
};

// The fewest sorts, and which of them refine another. Windows whose keys are themselves windows wait for these, and
// share no sort with others.
std::vector<SortStep> plan_windows(const std::vector<WindowItem>& items);
// One sort for every window, shared by none: what the plan is measured against.
std::vector<SortStep> separate_sorts(const std::vector<WindowItem>& items);

// Seconds that each step's sort took, and each item's values.
struct WindowTimes {
  std::vector<double> sorts, items;
};

// Works the items out, each after those that it needs, and calls done(item, values, notes) for each; a formula's values
// are null: `done` works them out itself. A sort lives from the first of its windows to the last.
// `ready` may have a step's order already; `made` sees each that was made here.
struct Orders {
  std::function<const Order*(const SortStep&)> ready = {};
  std::function<void(const SortStep&, const WindowSort&)> made = {};
};
void work_out(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, const WindowRelation& relation,
              const Run& run, const std::function<void(std::size_t, ColumnPtr, const WindowNotes&)>& done,
              WindowTimes* times = nullptr, const Orders& orders = {});

}  // namespace lofty::engine
