#include "answer/names.hpp"

#include <algorithm>

#include "answer/level_input.hpp"

namespace lofty::engine {

std::string Names::entry_noun() const {
  if (question_.row_level()) return row_noun();
  std::vector<std::string> words;
  for (const std::size_t key : question_.each) {
    const EntryColumn& column = question_.entry_columns[key];
    const bool day = column.type.kind == Kind::date && column.name.ends_with("_on");  // what happened on that day
    const std::string noun = day ? "day" : noun_of_key(column.name);
    if (std::find(words.begin(), words.end(), noun) == words.end()) words.push_back(noun);
  }
  return words.size() == 1 ? words[0] : (words.size() == 2 ? "pair of " : "combination of ") + listed(words);
}
std::string Names::plural_entry(std::size_t count) const {
  const std::string noun = entry_noun();
  if (count == 1) return noun;
  const std::size_t several = noun.find(" of ");  // "pair of shop and product"
  return several == std::string::npos ? plural(noun) : plural(noun.substr(0, several)) + noun.substr(several);
}

ColumnPtr Names::label() const {
  if (question_.row_level()) return nullptr;
  for (const ListColumn& column : question_.list_columns) {
    if (column.column < 0 || static_cast<std::size_t>(column.column) >= question_.entry_columns.size()) continue;
    const auto at = static_cast<std::size_t>(column.column);
    const EntryColumn& from = question_.entry_columns[at];
    if (outer_ != nullptr && std::any_of(outer_->columns.begin(), outer_->columns.end(),
                                         [&](const StandingColumn& one) { return one.name == from.name; }))
      continue;
    if (from.from == EntryColumn::From::carried && from.type.kind == Kind::text &&
        role_of(question_, at) != Role::group)
      return entries_.columns[at];
  }
  return nullptr;
}

std::string Names::plain_entry_name(std::uint32_t entry) const {
  const ColumnPtr column = label();
  return column && !column->is_null(entry) ? to_text(column->value(entry), column->type()) : entry_name(entry);
}

std::string Names::entry_name(std::uint32_t entry) const {
  if (question_.row_level()) return rows_.place_of(entries_.first_rows[entry]);
  const ColumnPtr column = label();
  if (column && !column->is_null(entry)) return quoted(to_text(column->value(entry), column->type()));
  std::string name;
  for (const std::size_t key : question_.each) {
    if (key >= entries_.columns.size()) continue;
    const Value value = entries_.columns[key]->value(entry);
    const bool text = question_.entry_columns[key].type.kind == Kind::text;
    name += (name.empty() ? "" : ", ") +
            (text ? quoted(shown(value)) : question_.entry_columns[key].name + " " + shown(value));
  }
  return name;
}

}  // namespace lofty::engine
