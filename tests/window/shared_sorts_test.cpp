#include "window/shared_sorts.hpp"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <algorithm>
#include <functional>
#include <set>

using namespace lofty::engine;

namespace {

// ---- straight from the definition: does this sequence of keys serve that window?

bool serves(const std::vector<PlannedKey>& sort, const WindowNeed& asked) {
  const WindowNeed need = reduced(asked);
  const std::size_t partition = need.partition.size();
  if (sort.size() < partition + need.order.size()) return false;
  if (need.sees_peers_order && sort.size() != partition + need.order.size()) return false;
  std::set<std::size_t> first;
  for (std::size_t i = 0; i < partition; ++i) first.insert(sort[i].key);
  if (first != std::set<std::size_t>(need.partition.begin(), need.partition.end())) return false;
  return std::equal(need.order.begin(), need.order.end(), sort.begin() + static_cast<std::ptrdiff_t>(partition));
}

// Every sequence of different keys that the windows mention, in every direction that they mention.
bool some_sort_serves(const std::vector<WindowNeed>& needs) {
  std::vector<PlannedKey> keys;
  for (const WindowNeed& need : needs) {
    for (const std::size_t key : need.partition) keys.push_back({key, false, false});
    keys.insert(keys.end(), need.order.begin(), need.order.end());
  }
  std::vector<PlannedKey> sort;
  const std::function<bool()> search = [&] {
    if (std::all_of(needs.begin(), needs.end(), [&](const WindowNeed& need) { return serves(sort, need); }))
      return true;
    for (const PlannedKey& key : keys) {
      if (std::any_of(sort.begin(), sort.end(), [&](const PlannedKey& k) { return k.key == key.key; })) continue;
      sort.push_back(key);
      if (search()) return true;
      sort.pop_back();
    }
    return false;
  };
  return search();
}

// The fewest sorts over all ways to put the windows into groups.
std::size_t fewest(const std::vector<WindowNeed>& needs) {
  std::size_t best = needs.size();
  std::vector<std::vector<WindowNeed>> groups;
  const std::function<void(std::size_t)> search = [&](std::size_t at) {
    if (groups.size() > best) return;
    if (at == needs.size()) {
      if (std::all_of(groups.begin(), groups.end(), some_sort_serves)) best = std::min(best, groups.size());
      return;
    }
    for (std::size_t g = 0; g < groups.size(); ++g) {
      groups[g].push_back(needs[at]);
      search(at + 1);
      groups[g].pop_back();
    }
    groups.push_back({needs[at]});
    search(at + 1);
    groups.pop_back();
  };
  search(0);
  return best;
}

WindowNeed any_need(int keys) {
  WindowNeed need;
  for (int i = *rc::gen::inRange(0, 3); i > 0; --i)
    need.partition.push_back(static_cast<std::size_t>(*rc::gen::inRange(0, keys)));
  for (int i = *rc::gen::inRange(0, 3); i > 0; --i)
    need.order.push_back({static_cast<std::size_t>(*rc::gen::inRange(0, keys)), *rc::gen::inRange(0, 3) == 0, false});
  need.sees_peers_order = *rc::gen::inRange(0, 3) == 0;
  return need;
}

RC_GTEST_PROP(Plan, TheSortsAreTheFewestAndServeAll, ()) {
  std::vector<WindowNeed> needs;
  for (int i = *rc::gen::inRange(1, 7); i > 0; --i) needs.push_back(any_need(3));
  const std::vector<PlannedSort> sorts = plan_sorts(needs);
  std::vector<std::size_t> served;
  for (const PlannedSort& sort : sorts)
    for (const std::size_t need : sort.serves) {
      RC_ASSERT(serves(sort.keys, needs[need]));
      served.push_back(need);
    }
  std::sort(served.begin(), served.end());
  RC_ASSERT(served.size() == needs.size());
  RC_ASSERT(std::adjacent_find(served.begin(), served.end()) == served.end());
  RC_ASSERT(sorts.size() == fewest(needs));
}

TEST(Plan, PrefixesShareASort) {
  const WindowNeed whole{{0}, {}, false}, running{{0}, {{1}}, false}, longer{{0}, {{1}, {2, true}}, false};
  const std::vector<PlannedSort> sorts = plan_sorts({whole, running, longer});
  ASSERT_EQ(sorts.size(), 1u);
  EXPECT_EQ(sorts[0].keys, (std::vector<PlannedKey>{{0}, {1}, {2, true}}));
  EXPECT_EQ(sorts[0].serves, (std::vector<std::size_t>{0, 1, 2}));
}

// Partition columns come in any order and direction: by (a, b), and by b within a, descending.
TEST(Plan, PartitionColumnsComeInAnyOrder) {
  const WindowNeed both{{0, 1}, {{2}}, false}, inner{{1}, {{0, true}}, false};
  const std::vector<PlannedSort> sorts = plan_sorts({both, inner});
  ASSERT_EQ(sorts.size(), 1u);
  EXPECT_EQ(sorts[0].keys, (std::vector<PlannedKey>{{1}, {0, true}, {2}}));
}

// row_number() among peers goes by the rows as they came; a longer sort would order them otherwise.
TEST(Plan, AWindowThatSeesTiesSharesNoLongerSort) {
  const WindowNeed numbered{{}, {{0}}, true}, longer{{}, {{0}, {1}}, false}, ranked{{}, {{0}}, false};
  EXPECT_EQ(plan_sorts({numbered, longer}).size(), 2u);
  EXPECT_EQ(plan_sorts({ranked, longer}).size(), 1u);
  EXPECT_EQ(plan_sorts({numbered, ranked, longer}).size(), 2u);
}

// Keys that say nothing: of the order, those that the partition holds, or that are there twice.
TEST(Plan, KeysThatSayNothingAreLeftOut) {
  const WindowNeed need{{0, 0}, {{0, true}, {1}, {1, true}}, false};
  EXPECT_EQ(reduced(need).partition, (std::vector<std::size_t>{0}));
  EXPECT_EQ(reduced(need).order, (std::vector<PlannedKey>{{1}}));
  EXPECT_EQ(plan_sorts({need, {{0}, {{1}}, true}}).size(), 1u);
}

TEST(Plan, NothingNeedsNoSort) {
  EXPECT_TRUE(plan_sorts({}).empty());
  const std::vector<PlannedSort> sorts = plan_sorts({WindowNeed{}});
  ASSERT_EQ(sorts.size(), 1u);
  EXPECT_TRUE(sorts[0].keys.empty());
}

}  // namespace
