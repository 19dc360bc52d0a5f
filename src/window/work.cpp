#include "window/work.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "table/parallel.hpp"
#include "table/stopwatch.hpp"

namespace lofty::engine {
namespace {

// Keys that mean the same get one number.
class KeyNumbering {
 public:
  std::size_t number(const WindowKey& key) {
    const std::string name = signature(*key.node);
    const auto [place, fresh] = numbers_.emplace(name, nodes_.size());
    if (fresh) {
      nodes_.push_back(key.node.get());
      texts_.push_back(key.text);
    }
    return place->second;
  }
  const Node* node(std::size_t number) const { return nodes_[number]; }
  const std::string& text(std::size_t number) const { return texts_[number]; }

 private:
  std::map<std::string, std::size_t> numbers_;
  std::vector<const Node*> nodes_;
  std::vector<std::string> texts_;
};

WindowNeed need_of(const WindowCall& call, KeyNumbering& numbering) {
  WindowNeed need;
  for (const WindowKey& key : call.partition) need.partition.push_back(numbering.number(key));
  for (const WindowKey& key : call.order)
    need.order.push_back({numbering.number(key), key.descending, key.nulls == Nulls::first});
  need.sees_peers_order = call.sees_peers_order();
  return reduced(need);
}

// How many windows stand one inside another below an item.
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
  std::vector<SortStep> steps;
  KeyNumbering numbering;
  for (const auto& [tier, members] : tiers) {
    std::vector<WindowNeed> needs;
    for (const std::size_t item : members) needs.push_back(need_of(*items[item].call, numbering));
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
        step.keys.push_back({numbering.node(key.key), key.descending, key.nulls_first ? Nulls::first : Nulls::last});
        step.texts.push_back(numbering.text(key.key) + (key.descending ? " desc" : ""));
      }
      step.shape = {sort.partition, sort.keys.size() - sort.partition};
      for (const std::size_t n : sort.serves) step.serves.push_back(members[n]);
      // Whoever shares the step sees no order between groups of the narrowest partition: any will do.
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

std::vector<SortStep> plan_windows(const std::vector<WindowItem>& items) { return plan_with(items, true); }
std::vector<SortStep> separate_sorts(const std::vector<WindowItem>& items) { return plan_with(items, false); }

void work_out(const std::vector<WindowItem>& items, const std::vector<SortStep>& plan, const WindowRelation& relation,
              const Run& run, const std::function<void(std::size_t, ColumnPtr, const WindowNotes&)>& done,
              WindowTimes* times, const Orders& orders) {
  const MemoryReuse reuse;
  if (times != nullptr) *times = {std::vector<double>(plan.size()), std::vector<double>(items.size())};
  std::vector<bool> known(items.size(), false);
  const auto all_known = [&](const std::vector<std::size_t>& needs) {
    return std::all_of(needs.begin(), needs.end(), [&](std::size_t need) { return known[need]; });
  };
  std::vector<std::unique_ptr<WindowSort>> sorts(plan.size());
  KeyNumbering numbering;
  std::size_t left = items.size();
  while (left > 0) {
    const std::size_t before = left;
    for (std::size_t i = 0; i < items.size(); ++i)
      if (!known[i] && items[i].call == nullptr && all_known(items[i].needs)) {
        done(i, nullptr, {});
        known[i] = true;
        --left;
      }
    for (std::size_t s = 0; s < plan.size(); ++s) {
      const SortStep& step = plan[s];
      const auto waits = [&](std::size_t item) { return !known[item]; };
      if (std::none_of(step.serves.begin(), step.serves.end(), waits)) continue;
      if (!std::all_of(step.serves.begin(), step.serves.end(),
                       [&](std::size_t item) { return all_known(items[item].key_needs); }))
        continue;
      // Results that need no more than their rows wait for one another and go there together.
      std::optional<ColumnScatter> scatter;
      std::vector<std::size_t> waiting;
      std::vector<WindowNotes> notes_of;
      std::vector<std::size_t> arrived;
      const auto bring_back = [&] {
        if (!scatter || waiting.empty()) return;
        Stopwatch watch;
        std::vector<ColumnPtr> columns = scatter->columns();
        const double each = watch.lap() / static_cast<double>(waiting.size());
        for (std::size_t w = 0; w < waiting.size(); ++w) {
          done(waiting[w], std::move(columns[w]), notes_of[w]);
          if (times != nullptr) times->items[waiting[w]] += each + watch.lap();
        }
        waiting.clear();
        notes_of.clear();
      };
      for (const std::size_t item : step.serves) {
        if (known[item]) continue;
        if (!all_known(items[item].needs)) continue;
        check_stop(run);
        Stopwatch watch;
        if (!sorts[s]) {
          const WindowSort* const grouped = step.refines == SortStep::none ? nullptr : sorts[step.refines].get();
          const Order* const ready = orders.ready ? orders.ready(step) : nullptr;
          sorts[s] = std::make_unique<WindowSort>(relation, step.keys, step.shape, run,
                                                  WindowSort::Grouped{grouped, step.refined_keys}, ready);
          if (orders.made) orders.made(step, *sorts[s]);
        }
        if (times != nullptr) times->sorts[s] += watch.lap();
        const WindowCall& call = *items[item].call;
        const WindowNeed need = need_of(call, numbering);
        WindowNotes notes;
        WindowResult result =
            evaluate_window(call, *sorts[s], {need.partition.size(), need.order.size()}, relation, run, notes);
        if (auto* const column = std::get_if<ColumnPtr>(&result)) {
          done(item, std::move(*column), notes);
        } else {
          if (!scatter) scatter.emplace(sorts[s]->rows(), run);
          auto& by_position = std::get<ByPosition>(result);
          if (!scatter->add(by_position)) {
            if (times != nullptr) times->items[item] += watch.lap();
            bring_back();
            watch.lap();
            scatter->add(by_position);
          }
          waiting.push_back(item);
          notes_of.push_back(std::move(notes));
        }
        if (times != nullptr) times->items[item] += watch.lap();
        arrived.push_back(item);
      }
      bring_back();
      for (const std::size_t item : arrived) known[item] = true;
      left -= arrived.size();
      const auto refined_later = [&](std::size_t of) {
        for (std::size_t later = s + 1; later < plan.size(); ++later)
          if (plan[later].refines == of && !sorts[later] &&
              std::any_of(plan[later].serves.begin(), plan[later].serves.end(), waits))
            return true;
        return false;
      };
      if (std::none_of(step.serves.begin(), step.serves.end(), waits) && !refined_later(s)) sorts[s].reset();
      if (step.refines != SortStep::none && sorts[step.refines] && !refined_later(step.refines) &&
          std::none_of(plan[step.refines].serves.begin(), plan[step.refines].serves.end(), waits))
        sorts[step.refines].reset();
    }
    if (left == before) break;  // a circle, which binding has refused
  }
}

}  // namespace lofty::engine
