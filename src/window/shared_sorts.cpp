#include "window/shared_sorts.hpp"

#include <algorithm>
#include <bit>
#include <map>
#include <optional>
#include <set>

namespace lofty::engine {
namespace {

using KeySet = std::set<std::size_t>;

std::size_t length(const WindowNeed& need) { return need.partition.size() + need.order.size(); }

// What the needs say of a sort that serves them: the set of its first n keys, for some n, and the key at some places.
struct Wanted {
  std::map<std::size_t, KeySet> first_keys;
  std::map<std::size_t, PlannedKey> at;

  bool add(const WindowNeed& need) {
    KeySet keys(need.partition.begin(), need.partition.end());
    if (!says(keys)) return false;
    for (const PlannedKey& key : need.order) {
      const auto [place, fresh] = at.emplace(keys.size(), key);
      if (!fresh && !(place->second == key)) return false;
      keys.insert(key.key);
      if (!says(keys)) return false;
    }
    return true;
  }
  bool nested() const {
    const KeySet* before = nullptr;
    for (const auto& [count, keys] : first_keys) {
      if (before != nullptr && !std::includes(keys.begin(), keys.end(), before->begin(), before->end())) return false;
      before = &keys;
    }
    return true;
  }

 private:
  bool says(const KeySet& keys) {
    const auto [place, fresh] = first_keys.emplace(keys.size(), keys);
    return fresh || place->second == keys;
  }
};

std::optional<Wanted> wanted_by(const std::vector<const WindowNeed*>& needs) {
  Wanted wanted;
  std::size_t longest = 0;
  for (const WindowNeed* need : needs) longest = std::max(longest, length(*need));
  for (const WindowNeed* need : needs)
    if ((need->sees_peers_order && length(*need) < longest) || !wanted.add(*need)) return std::nullopt;
  if (!wanted.nested()) return std::nullopt;
  return wanted;
}

PlannedSort sort_for(const std::vector<const WindowNeed*>& needs) {
  const Wanted wanted = *wanted_by(needs);
  PlannedSort sort;
  KeySet placed;
  for (const auto& [count, keys] : wanted.first_keys) {
    KeySet left;
    std::set_difference(keys.begin(), keys.end(), placed.begin(), placed.end(), std::inserter(left, left.begin()));
    while (sort.keys.size() < count) {
      const auto fixed = wanted.at.find(sort.keys.size());
      const PlannedKey key = fixed != wanted.at.end() ? fixed->second : PlannedKey{*left.begin(), false, false};
      sort.keys.push_back(key);
      placed.insert(key.key);
      left.erase(key.key);
    }
  }
  for (const WindowNeed* need : needs)
    if (length(*need) == sort.keys.size()) sort.partition = std::max(sort.partition, need->partition.size());
  return sort;
}

std::vector<const WindowNeed*> pointers(const std::vector<WindowNeed>& needs) {
  std::vector<const WindowNeed*> out;
  for (const WindowNeed& need : needs) out.push_back(&need);
  return out;
}

// The fewest cliques that cover a graph of up to 64 nodes: depth first, each node joins a clique or begins one, and
// what cannot beat the best is left.
class Cover {
 public:
  explicit Cover(std::vector<std::uint64_t> friends) : friends_(std::move(friends)) {
    best_.assign(friends_.size() + 1, 0);  // worse than any
  }
  std::vector<std::uint64_t> find() {
    std::vector<std::uint64_t> cliques;
    search(0, cliques);
    return best_;
  }

 private:
  void search(std::size_t node, std::vector<std::uint64_t>& cliques) {
    if (cliques.size() >= best_.size() || ++steps_ > most_steps) return;
    if (node == friends_.size()) {
      best_ = cliques;
      return;
    }
    for (std::size_t c = 0; c < cliques.size(); ++c) {
      if ((cliques[c] & ~friends_[node]) != 0) continue;
      cliques[c] |= std::uint64_t{1} << node;
      search(node + 1, cliques);
      cliques[c] &= ~(std::uint64_t{1} << node);
    }
    if (cliques.size() + 1 >= best_.size()) return;
    cliques.push_back(std::uint64_t{1} << node);
    search(node + 1, cliques);
    cliques.pop_back();
  }
  static constexpr std::size_t most_steps = 20'000;  // the first descent, greedy, always ends
  std::vector<std::uint64_t> friends_, best_;
  std::size_t steps_ = 0;
};

}  // namespace

WindowNeed reduced(const WindowNeed& need) {
  WindowNeed out;
  out.sees_peers_order = need.sees_peers_order;
  KeySet seen;
  for (const std::size_t key : need.partition)
    if (seen.insert(key).second) out.partition.push_back(key);
  for (const PlannedKey& key : need.order)
    if (seen.insert(key.key).second) out.order.push_back(key);
  return out;
}

bool share_a_sort(const std::vector<WindowNeed>& needs) { return wanted_by(pointers(needs)).has_value(); }
PlannedSort shared_sort(const std::vector<WindowNeed>& needs) { return sort_for(pointers(needs)); }

namespace {

bool same_sort(const WindowNeed& a, const WindowNeed& b) {
  return KeySet(a.partition.begin(), a.partition.end()) == KeySet(b.partition.begin(), b.partition.end()) &&
         a.order == b.order && a.sees_peers_order == b.sees_peers_order;
}

// Nodes that may share a sort with one another, as few groups as there can be. `sequence` has every need's number.
std::vector<std::vector<std::size_t>> fewest_covers(const std::vector<WindowNeed>& needs,
                                                    const std::vector<std::size_t>& sequence) {
  std::vector<std::uint64_t> friends(needs.size(), 0);
  for (std::size_t i = 0; i < needs.size(); ++i)
    for (std::size_t k = 0; k < needs.size(); ++k)
      if (i == k || wanted_by({&needs[sequence[i]], &needs[sequence[k]]})) friends[i] |= std::uint64_t{1} << k;
  std::vector<std::vector<std::size_t>> covers;
  for (const std::uint64_t clique : Cover(std::move(friends)).find()) {
    std::vector<std::size_t> members;
    for (std::size_t i = 0; i < needs.size(); ++i)
      if ((clique >> i & 1) != 0) members.push_back(sequence[i]);
    covers.push_back(std::move(members));
  }
  return covers;
}

// The same for many needs: each goes to the first group that it fits.
std::vector<std::vector<std::size_t>> greedy_covers(const std::vector<WindowNeed>& needs,
                                                    const std::vector<std::size_t>& sequence) {
  std::vector<std::vector<std::size_t>> covers;
  for (const std::size_t node : sequence) {
    const auto fits = [&](const std::vector<std::size_t>& cover) {
      return std::all_of(cover.begin(), cover.end(), [&](std::size_t other) {
        return wanted_by({&needs[node], &needs[other]}).has_value();
      });
    };
    const auto found = std::find_if(covers.begin(), covers.end(), fits);
    if (found == covers.end())
      covers.push_back({node});
    else
      found->push_back(node);
  }
  return covers;
}

}  // namespace

std::vector<PlannedSort> plan_sorts(const std::vector<WindowNeed>& given) {
  // Needs that are the same are one. Two needs that share a sort do so whatever else it serves: all requirements of a
  // sort hold pair by pair (equal sets of first keys, each inside the next; the same key at a place; no longer need
  // next to one that sees the order of peers). So the fewest sorts are the fewest cliques.
  std::vector<WindowNeed> needs;
  std::vector<std::vector<std::size_t>> asked_by;
  for (std::size_t i = 0; i < given.size(); ++i) {
    const WindowNeed need = reduced(given[i]);
    const auto found =
        std::find_if(needs.begin(), needs.end(), [&](const WindowNeed& other) { return same_sort(need, other); });
    if (found == needs.end()) {
      needs.push_back(need);
      asked_by.push_back({i});
    } else {
      asked_by[static_cast<std::size_t>(found - needs.begin())].push_back(i);
    }
  }

  // The longest first: a clique's sort is then known when its first node is, and the greedy first descent is good.
  std::vector<std::size_t> by_length(needs.size());
  for (std::size_t i = 0; i < needs.size(); ++i) by_length[i] = i;
  std::stable_sort(by_length.begin(), by_length.end(),
                   [&](std::size_t a, std::size_t b) { return length(needs[a]) > length(needs[b]); });

  // A sort for each.
  std::vector<PlannedSort> sorts;
  for (const std::vector<std::size_t>& cover :
       needs.size() <= 64 ? fewest_covers(needs, by_length) : greedy_covers(needs, by_length)) {
    std::vector<const WindowNeed*> members;
    for (const std::size_t node : cover) members.push_back(&needs[node]);
    PlannedSort sort = sort_for(members);
    for (const std::size_t node : cover)
      sort.serves.insert(sort.serves.end(), asked_by[node].begin(), asked_by[node].end());
    std::sort(sort.serves.begin(), sort.serves.end());
    sorts.push_back(std::move(sort));
  }
  std::sort(sorts.begin(), sorts.end(),
            [](const PlannedSort& a, const PlannedSort& b) { return a.serves.front() < b.serves.front(); });
  return sorts;
}

}  // namespace lofty::engine
