#include "window/work.hpp"

#include <algorithm>
#include <map>
#include <memory>
#include <set>

#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "lofty/memory.hpp"

namespace lofty::engine {
namespace {

// Keys that mean the same get one number.
class KeyNumbering {
 public:
  // The key `number` of an item.
  std::size_t number(const WindowKey& key, std::size_t item, std::size_t number) {
    const auto [place, fresh] = numbers_.emplace(signature(*key.node), first_.size());
    if (fresh) first_.push_back({item, number});
    return place->second;
  }
  // Where a number was first met.
  const SortStep::Key& first(std::size_t number) const { return first_[number]; }

 private:
  std::map<std::string, std::size_t> numbers_;
  std::vector<SortStep::Key> first_;
};

WindowNeed need_of(const WindowCall& call, std::size_t item, KeyNumbering& numbering) {
  WindowNeed need;
  std::size_t number = 0;
  for (const WindowKey& key : call.partition) need.partition.push_back(numbering.number(key, item, number++));
  for (const WindowKey& key : call.order)
    need.order.push_back({numbering.number(key, item, number++), key.descending, key.nulls == Nulls::first});
  need.sees_peers_order = call.sees_peers_order();
  return reduced(need);
}

// How many windows are nested below an item.
std::vector<std::size_t> depths(const std::vector<WindowItem>& items) {
  std::vector<std::size_t> depth(items.size(), 0);
  for (bool changed = true; changed;) {
    changed = false;
    for (std::size_t i = 0; i < items.size(); ++i) {
      std::size_t deepest = 0;
      for (const std::size_t need : items[i].needs) deepest = std::max(deepest, depth[need]);
      const std::size_t here = deepest + (items[i].call != nullptr);
      changed = changed || here != depth[i];
      depth[i] = here;
    }
  }
  return depth;
}

std::vector<SortStep> plan_with(const std::vector<WindowItem>& items, bool shared) {
  const std::vector<std::size_t> depth = depths(items);
  std::map<std::size_t, std::vector<std::size_t>> tiers;  // by the depth of their keys
  for (std::size_t i = 0; i < items.size(); ++i) {
    if (items[i].call == nullptr) continue;
    std::size_t tier = 0;
    for (const std::size_t need : items[i].key_needs) tier = std::max(tier, depth[need]);
    tiers[tier].push_back(i);
  }

  // Tier by tier: whose keys are windows comes later.
  std::vector<SortStep> steps;
  KeyNumbering numbering;
  for (const auto& [tier, members] : tiers) {
    std::vector<WindowNeed> needs;
    for (const std::size_t item : members) needs.push_back(need_of(*items[item].call, item, numbering));
    std::vector<PlannedSort> sorts;
    if (shared) {
      sorts = plan_sorts(needs);
    } else {
      for (std::size_t n = 0; n < needs.size(); ++n) {
        sorts.push_back(shared_sort({needs[n]}));
        sorts.back().serves = {n};
      }
    }
    const std::size_t first_of_tier = steps.size();
    std::vector<PlannedSort> planned;
    for (const PlannedSort& sort : sorts) {
      SortStep step;
      for (const PlannedKey& key : sort.keys) {
        SortStep::Key& added = step.keys.emplace_back(numbering.first(key.key));
        added.descending = key.descending;
        added.nulls = key.nulls_first ? Nulls::first : Nulls::last;
      }
      step.shape = {sort.partition, sort.keys.size() - sort.partition};
      for (const std::size_t n : sort.serves) step.serves.push_back(members[n]);

      // What shares the step sees no order between groups of the narrowest partition: any will do.
      std::size_t free = sort.keys.size();
      for (const std::size_t n : sort.serves) free = std::min(free, needs[n].partition.size());
      for (std::size_t earlier = first_of_tier; shared && earlier < steps.size() && step.refines == SortStep::none;
           ++earlier) {
        const std::size_t grouped = steps[earlier].shape.partition;
        if (grouped == 0 || grouped > free) continue;
        std::set<std::size_t> here, there;
        for (std::size_t k = 0; k < grouped; ++k) {
          here.insert(sort.keys[k].key);
          there.insert(planned[earlier - first_of_tier].keys[k].key);
        }
        if (here != there) continue;
        step.refines = earlier;
        step.refined_keys = grouped;
      }
      planned.push_back(sort);
      steps.push_back(std::move(step));
    }
  }
  return steps;
}

}  // namespace

const WindowKey& key_of(const std::vector<WindowItem>& items, const SortStep::Key& key) {
  const WindowCall& call = *items[key.item].call;
  const std::size_t partition = call.partition.size();
  return key.number < partition ? call.partition[key.number] : call.order[key.number - partition];
}

std::vector<SortStep> plan_windows(const std::vector<WindowItem>& items) { return plan_with(items, true); }
std::vector<SortStep> separate_sorts(const std::vector<WindowItem>& items) { return plan_with(items, false); }

namespace {

// The items of a plan on their way to being known.
class Working {
 public:
  Working(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, const WindowRelation& relation,
          const Run& run, const WindowCalls& calls)
      : items_(items),
        plan_(plan),
        relation_(relation),
        run_(run),
        calls_(calls),
        known_(items.size(), false),
        sorts_(plan.size()) {
    if (calls.times != nullptr) *calls.times = {std::vector<double>(plan.size()), std::vector<double>(items.size())};
  }

  void all() {
    const KeepMemory keep;
    for (std::size_t left = items_.size(), before = 0; left > 0 && left != before;) {  // a circle binding has refused
      before = left;
      formulas();
      for (std::size_t s = 0; s < plan_.size(); ++s) {
        take_step(s);
        // Those that refine a sort follow at once, so that it need not stay while others work.
        for (std::size_t later = s + 1; later < plan_.size(); ++later)
          if (plan_[later].refines == s) take_step(later);
      }
      left = static_cast<std::size_t>(std::count(known_.begin(), known_.end(), false));
    }
  }

 private:
  bool all_known(const std::vector<std::size_t>& needs) const {
    return std::all_of(needs.begin(), needs.end(), [&](std::size_t need) { return known_[need]; });
  }
  bool waits(std::size_t step) const {
    const auto& serves = plan_[step].serves;
    return std::any_of(serves.begin(), serves.end(), [&](std::size_t item) { return !known_[item]; });
  }
  bool can_be_sorted(std::size_t step) const {
    const auto& serves = plan_[step].serves;
    return std::all_of(serves.begin(), serves.end(),
                       [&](std::size_t item) { return all_known(items_[item].key_needs); });
  }

  void take_step(std::size_t s) {
    if (!waits(s) || !can_be_sorted(s)) return;
    on_sort(s);
    drop_done(s);
  }

  void formulas() {
    for (std::size_t i = 0; i < items_.size(); ++i) {
      if (known_[i] || items_[i].call != nullptr || !all_known(items_[i].needs)) continue;
      calls_.done(i, nullptr, {});
      known_[i] = true;
    }
  }

  WindowSort& sorted(std::size_t s) {
    if (sorts_[s]) return *sorts_[s];
    const Stopwatch watch;
    const SortStep& step = plan_[s];
    const WindowSort* const grouped = step.refines == SortStep::none ? nullptr : sorts_[step.refines].get();
    const Order* const ready = calls_.ready ? calls_.ready(step) : nullptr;
    std::vector<WindowSort::SortBy> keys;
    for (const SortStep::Key& key : step.keys)
      keys.push_back({key_of(items_, key).node.get(), key.descending, key.nulls});
    sorts_[s] = std::make_unique<WindowSort>(relation_, keys, step.shape, run_,
                                             WindowSort::Grouped{grouped, step.refined_keys}, ready);
    if (step.refines != SortStep::none) drop_done(step.refines);
    if (calls_.made) calls_.made(step, *sorts_[s]);
    if (calls_.times != nullptr) calls_.times->sorts[s] += watch.seconds();
    return *sorts_[s];
  }

  // All items of a step that wait for nothing else. Those whose results are by position go to their rows together.
  void on_sort(std::size_t s) {
    std::vector<std::size_t> ready;
    for (const std::size_t item : plan_[s].serves)
      if (!known_[item] && all_known(items_[item].needs)) ready.push_back(item);
    if (ready.empty()) return;

    // One after the other; results wait, so that several go back to their rows together.
    WindowSort& sort = sorted(s);
    ColumnScatter scatter(sort.rows(), run_);
    std::vector<Waiting> waiting;
    for (const std::size_t item : ready) {
      check_stop(run_);
      const Stopwatch watch;
      const WindowCall& call = *items_[item].call;
      const WindowNeed need = need_of(call, item, numbering_);
      WindowNotes notes;
      WindowResult result =
          evaluate_window(call, sort, {need.partition.size(), need.order.size()}, relation_, run_, notes);
      if (auto* const column = std::get_if<ColumnPtr>(&result)) {
        calls_.done(item, std::move(*column), notes);
        took(item, watch.seconds());
        continue;
      }
      auto& by_position = std::get<ByPosition>(result);
      bool added = scatter.add(by_position);
      took(item, watch.seconds());
      if (!added) {
        bring_back(scatter, waiting);
        added = scatter.add(by_position);
      }
      waiting.push_back({item, std::move(notes)});
    }

    // What still waits.
    sort.forget_values();  // all results are there
    bring_back(scatter, waiting);
    for (const std::size_t item : ready) known_[item] = true;
  }

  struct Waiting {
    std::size_t item;
    WindowNotes notes;
  };
  void bring_back(ColumnScatter& scatter, std::vector<Waiting>& waiting) {
    if (waiting.empty()) return;
    const Stopwatch watch;
    std::vector<ColumnPtr> columns = scatter.columns();
    for (std::size_t w = 0; w < waiting.size(); ++w)
      calls_.done(waiting[w].item, std::move(columns[w]), waiting[w].notes);
    const double each = watch.seconds() / static_cast<double>(waiting.size());
    for (const Waiting& one : waiting) took(one.item, each);
    waiting.clear();
  }
  void took(std::size_t item, double seconds) {
    if (calls_.times != nullptr) calls_.times->items[item] += seconds;
  }

  // A sort goes when it has served all, and none will refine it.
  void drop_done(std::size_t s) {
    if (waits(s)) return;
    for (std::size_t later = s + 1; later < plan_.size(); ++later)
      if (plan_[later].refines == s && !sorts_[later] && waits(later)) return;
    sorts_[s].reset();
  }

  const std::vector<WindowItem>& items_;
  const std::vector<SortStep>& plan_;
  const WindowRelation& relation_;
  const Run& run_;
  const WindowCalls& calls_;
  std::vector<bool> known_;
  std::vector<std::unique_ptr<WindowSort>> sorts_;
  KeyNumbering numbering_;
};

}  // namespace

void work_out(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, const WindowRelation& relation,
              const Run& run, const WindowCalls& calls) {
  Working(items, plan, relation, run, calls).all();
}

}  // namespace lofty::engine
