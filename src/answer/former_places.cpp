#include "answer/former_places.hpp"

#include <algorithm>
#include <set>

#include "lofty/error.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

std::string key_text(const std::vector<std::string>& names, const EntryKey& key) {
  std::string out;
  for (std::size_t k = 0; k < names.size(); ++k)
    out += (k > 0 ? ", " : "") + names[k] + " " + (is_null(key[k]) ? std::string("(none)") : to_text(key[k]));
  return out;
}

Movement movement(const LevelInput& input, const Entries& entries, const ColumnPtr& place) {
  const Type type = place->type();
  std::vector<ColumnPtr> keys;
  for (const std::string& name : input.former->key_names)
    for (std::size_t c = 0; c < input.question.entry_columns.size(); ++c)
      if (input.question.entry_columns[c].name == name &&
          input.question.entry_columns[c].from == EntryColumn::From::key)
        keys.push_back(entries.columns[c]);

  Movement out;
  Piece was(type), moved(type);
  for (std::uint32_t e = 0; e < entries.count; ++e) {
    EntryKey key = key_at(keys, e);
    const auto found = input.former->stood.find(key);
    const Value now = place->value(e);
    if (found == input.former->stood.end() || is_null(found->second.place)) {
      was.add_null();
      moved.add_null();
    } else {
      const Decimal& stood = std::get<Decimal>(found->second.place);
      const auto before = stood.rescaled(type.scale);
      if (!before || *before != stood)
        throw Error(Problem{Code::wrong_type,
                            "the former place " + to_text(found->second.place) + " is none under the rule " +
                                quoted(to_string(input.question.level->ties)),
                            {},
                            {},
                            "compare places under one rule"});
      was.add(Value(*before));
      if (is_null(now))
        moved.add_null();
      else
        moved.add(Value(Decimal(before->coefficient() - std::get<Decimal>(now).coefficient(), type.scale)));
    }
    out.entry_of[std::move(key)] = e;
  }
  out.was = Column::seal(std::move(was));
  out.moved = Column::seal(std::move(moved));
  return out;
}

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

std::vector<Departed> departed(const LevelInput& input, const Entries& entries, const Names& names,
                               const Movement& movement, const ColumnPtr& place,
                               const std::vector<std::uint32_t>& rows) {
  std::vector<std::uint8_t> listed(entries.count, 0);
  for (const std::uint32_t entry : rows) listed[entry] = 1;
  std::set<EntryKey> outside;  // of nested levels: the entries outside that are listed now
  if (input.outer != nullptr)
    for (const std::uint32_t entry : input.outer->rows) outside.insert(key_at(input.outer->keys, entry));

  std::vector<Departed> out;
  for (const auto& [key, stood] : input.former->stood) {
    if (!stood.listed || is_null(stood.place)) continue;
    // It went with the entry that held it.
    if (input.outer != nullptr && !outside.contains(outer_part(input, key))) continue;
    const auto found = movement.entry_of.find(key);
    if (found != movement.entry_of.end() && listed[found->second]) continue;
    std::string name = quoted(stood.name);
    if (stood.name.empty()) name = own_key_text(input, key);
    if (found != movement.entry_of.end()) name = names.entry_name(found->second);
    if (input.outer != nullptr) name += " of " + key_text(input.outer->key_names, outer_part(input, key));
    out.push_back(
        {std::move(name), stood.place, found == movement.entry_of.end() ? Value{} : place->value(found->second)});
  }
  std::stable_sort(out.begin(), out.end(), [](const Departed& a, const Departed& b) { return a.was < b.was; });
  return out;
}

}  // namespace lofty::engine
