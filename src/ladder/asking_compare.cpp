// Answering a level of a ladder: what was before.
// Covered by tests/ladder/standings_test.cpp.
#include "ladder/asking.hpp"

#include <algorithm>
#include <set>

#include "ladder/prose.hpp"
#include "ladder/windows.hpp"
#include "lofty/places.hpp"
#include "rank/exact_sum.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

void Asking::compare() {
  const std::size_t place = a_.question.entry_columns.size();
  const Type type = a_.columns[place]->type();
  std::vector<ColumnPtr> keys;
  for (const std::string& name : a_.earlier->key_names)
    for (std::size_t c = 0; c < a_.question.entry_columns.size(); ++c)
      if (a_.question.entry_columns[c].name == name && a_.question.entry_columns[c].from == EntryColumn::From::key)
        keys.push_back(a_.entries.columns[c]);
  Piece was(type), moved(type);
  for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
    EntryKey key = key_at(keys, e);
    const auto found = a_.earlier->stood.find(key);
    const Value now = a_.columns[place]->value(e);
    if (found == a_.earlier->stood.end() || is_null(found->second.place)) {
      was.add_null();
      moved.add_null();
    } else {
      const Decimal& stood = std::get<Decimal>(found->second.place);
      const auto before = stood.rescaled(type.scale);
      if (!before || *before != stood)
        throw Error(Problem{Code::wrong_type,
                            "the former place " + to_text(found->second.place) + " is none under the rule " +
                                quoted(ties_name(a_.question.level->ties)),
                            {},
                            {},
                            "compare places under one rule"});
      was.add(Value(*before));
      if (is_null(now))
        moved.add_null();
      else
        moved.add(Value(Decimal(before->coefficient() - std::get<Decimal>(now).coefficient(), type.scale)));
    }
    entry_of_[std::move(key)] = e;
  }
  add_column(std::move(was));
  add_column(std::move(moved));
}

void Asking::find_departed() {
  const ColumnPtr& place = a_.columns[a_.question.entry_columns.size()];
  std::vector<std::uint8_t> listed(a_.entries.count, 0);
  for (const std::uint32_t entry : a_.data->rows) listed[entry] = 1;
  std::set<EntryKey> outside;  // of nested levels: the entries outside that are listed now
  if (a_.outer != nullptr)
    for (const std::uint32_t entry : a_.outer->rows) outside.insert(key_at(a_.outer->keys, entry));
  for (const auto& [key, stood] : a_.earlier->stood) {
    if (!stood.listed || is_null(stood.place)) continue;
    if (a_.outer != nullptr && !outside.contains(outer_part(key))) continue;  // it went with the entry that held it
    const auto found = entry_of_.find(key);
    if (found != entry_of_.end() && listed[found->second]) continue;
    std::string name = quoted(stood.name);
    if (stood.name.empty()) name = own_key_text(key);
    if (found != entry_of_.end()) name = words_.entry_name(found->second);
    if (a_.outer != nullptr) name += " of " + key_text(a_.outer->key_names, outer_part(key));
    a_.data->departed.push_back(
        {std::move(name), stood.place, found == entry_of_.end() ? Value{} : place->value(found->second)});
  }
  std::stable_sort(a_.data->departed.begin(), a_.data->departed.end(),
                   [](const Departed& a, const Departed& b) { return a.was < b.was; });
}

EntryKey Asking::outer_part(const EntryKey& key) const {
  EntryKey out;
  for (const std::string& name : a_.outer->key_names)
    for (std::size_t k = 0; k < key.size(); ++k)
      if (a_.earlier->key_names[k] == name) out.push_back(key[k]);
  return out;
}

std::string Asking::own_key_text(const EntryKey& key) const {
  std::vector<std::string> names;
  EntryKey own;
  for (std::size_t k = 0; k < key.size(); ++k) {
    const std::string& name = a_.earlier->key_names[k];
    if (a_.outer != nullptr &&
        std::find(a_.outer->key_names.begin(), a_.outer->key_names.end(), name) != a_.outer->key_names.end())
      continue;
    names.push_back(name);
    own.push_back(key[k]);
  }
  return key_text(names, own);
}

}  // namespace lofty::engine
