#include "answer/departed.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "lofty/error.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

// Of a former entry's key, the values that name the entry outside that held it.
EntryKey outer_part(const LevelInput& input, const EntryKey& key) {
  EntryKey out;
  for (const std::string& name : input.outer->key_names)
    for (std::size_t k = 0; k < key.size(); ++k)
      if (input.former->key_names[k] == name) out.push_back(key[k]);
  return out;
}

// A former entry by the keys that are its own level's.
std::string own_key_text(const LevelInput& input, const EntryKey& key) {
  std::vector<std::string> names;
  EntryKey own;
  for (std::size_t k = 0; k < key.size(); ++k) {
    const std::string& name = input.former->key_names[k];
    if (input.outer != nullptr &&
        std::find(input.outer->key_names.begin(), input.outer->key_names.end(), name) != input.outer->key_names.end())
      continue;
    names.push_back(name);
    own.push_back(key[k]);
  }
  return key_text(names, own);
}

}  // namespace

namespace {

// The former places that `best` keeps now. A former listing may be longer than `best`: the cut is at the place of the
// N-th entry of each group, because places count entries under some tie rules only. Entries level with it are kept, as
// `cut = "with ties"` does. A former answer to this question was cut already.
class FormerCut {
 public:
  explicit FormerCut(const LevelInput& input) {
    const Level& level = *input.question.level;
    if (input.ladder().compare.with.empty() || !level.best || level.worst || level.worst_percent) return;
    for (const std::size_t column : input.question.within)
      for (std::size_t k = 0; k < input.former->key_names.size(); ++k)
        if (input.former->key_names[k] == input.question.entry_columns[column].name) group_keys_.push_back(k);
    std::map<EntryKey, std::vector<Value>> places;
    for (const auto& [key, stood] : input.former->stood)
      if (stood.listed && !is_null(stood.place)) places[group_of(key)].push_back(of_cut(stood));
    for (auto& [group, all] : places) {
      if (all.size() <= *level.best) continue;
      const auto last = all.begin() + static_cast<std::ptrdiff_t>(*level.best) - 1;
      std::nth_element(all.begin(), last, all.end());
      last_.emplace(group, *last);
    }
  }
  bool keeps(const EntryKey& key, const FormerPlaces::Stood& stood) const {
    const auto found = last_.find(group_of(key));
    return found == last_.end() || of_cut(stood) <= found->second;
  }

 private:
  static const Value& of_cut(const FormerPlaces::Stood& stood) {
    return is_null(stood.cut_place) ? stood.place : stood.cut_place;
  }
  EntryKey group_of(const EntryKey& key) const {
    EntryKey out;
    for (const std::size_t k : group_keys_) out.push_back(key[k]);
    return out;
  }

  std::vector<std::size_t> group_keys_;
  std::map<EntryKey, Value> last_;  // by group; groups that are kept whole have none
};

// A row of the listing for who is not in it.
std::vector<Value> row_of(const LevelInput& input, const Listed& listed, const Departed& one,
                          const FormerPlaces::Stood& stood) {
  const std::string place = input.question.place_names.front();
  std::vector<Value> out;
  bool labelled = false;
  for (const StandingColumn& column : listed.columns) {
    const auto key =
        std::find_if(one.keys.begin(), one.keys.end(), [&](const auto& pair) { return pair.first == column.name; });
    Value value;
    if (key != one.keys.end()) {
      value = key->second;
    } else if (column.role == Role::label && column.type.kind == Kind::text && !labelled) {
      labelled = true;
      if (!stood.name.empty()) value = stood.name;
    } else if (column.name == place) {
      value = one.now;
    } else if (column.name == "was") {
      value = one.was;
    } else if (column.name == "value_before" && input.question.knows_former_values) {
      value = stood.value;
    }
    out.push_back(std::move(value));
  }
  return out;
}

}  // namespace

std::vector<Departed> departed(const LevelInput& input, const Entries& entries, const Names& names,
                               const Movement& movement, const ColumnPtr& place, const Listed& listed) {
  std::vector<std::uint8_t> kept(entries.count, 0);
  for (const std::uint32_t entry : listed.kept) kept[entry] = 1;
  std::set<EntryKey> outside;  // of nested levels: the entries outside that are listed now
  if (input.outer != nullptr)
    for (const std::uint32_t entry : input.outer->rows) outside.insert(key_at(input.outer->keys, entry));

  const FormerCut cut(input);
  std::vector<Departed> out;
  for (const auto& [key, stood] : input.former->stood) {
    if (!stood.listed || is_null(stood.place) || !cut.keeps(key, stood)) continue;
    // It went with the entry that held it.
    if (input.outer != nullptr && !outside.contains(outer_part(input, key))) continue;
    const auto found = movement.entry_of.find(key);
    const bool there = found != movement.entry_of.end();
    if (there && kept[found->second]) continue;
    Departed one{.name = stood.name, .was = stood.place, .now = there ? place->value(found->second) : Value{}};
    if (one.name.empty()) one.name = own_key_text(input, key);
    if (there) one.name = names.plain_entry_name(found->second);
    if (input.outer != nullptr) one.name += " of " + key_text(input.outer->key_names, outer_part(input, key));
    for (std::size_t k = 0; k < key.size(); ++k) one.keys.emplace_back(input.former->key_names[k], key[k]);
    FormerPlaces::Stood called = stood;
    if (there && names.label() && !names.label()->is_null(found->second))
      called.name = to_text(names.label()->value(found->second));
    if (input.outer == nullptr && input.ladder().levels.size() == 1) one.values = row_of(input, listed, one, called);
    out.push_back(std::move(one));
  }
  std::stable_sort(out.begin(), out.end(), [](const Departed& a, const Departed& b) { return a.was < b.was; });
  return out;
}

}  // namespace lofty::engine
