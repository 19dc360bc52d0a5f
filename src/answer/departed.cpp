#include "answer/departed.hpp"

#include <algorithm>
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

// Would a former place be among those that are kept now?
bool in_the_cut(const LevelInput& input, const Value& place) {
  const Level& level = *input.question.level;
  const auto* const number = std::get_if<Decimal>(&place);
  if (!level.best || level.worst || level.worst_percent || number == nullptr) return true;
  return *number <= Decimal(static_cast<int128>(*level.best), 0);
}

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

  std::vector<Departed> out;
  for (const auto& [key, stood] : input.former->stood) {
    if (!stood.listed || is_null(stood.place) || !in_the_cut(input, stood.place)) continue;
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
    if (input.outer == nullptr && input.ladder.levels.size() == 1) one.values = row_of(input, listed, one, called);
    out.push_back(std::move(one));
  }
  std::stable_sort(out.begin(), out.end(), [](const Departed& a, const Departed& b) { return a.was < b.was; });
  return out;
}

}  // namespace lofty::engine
