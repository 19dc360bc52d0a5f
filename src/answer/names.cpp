#include "answer/names.hpp"

#include <algorithm>

#include "answer/level_input.hpp"

namespace lofty::engine {

std::string Names::noun(bool of_several) const {
  const auto form = [&](const std::string& word) { return of_several ? plural(word) : word; };
  if (question_.row_level()) return form(row_noun());
  std::vector<std::string> words;
  for (const std::size_t key : question_.each) {
    const EntryColumn& column = question_.entry_columns[key];
    const bool day = column.type.kind == Kind::date && column.name.ends_with("_on");  // what happened on that day
    const std::string noun = day ? "day" : noun_of_key(column.name);
    if (std::find(words.begin(), words.end(), noun) == words.end()) words.push_back(noun);
  }
  if (words.size() == 1) return form(words[0]);
  return form(words.size() == 2 ? "pair" : "combination") + " of " + listed(words);
}

ColumnPtr Names::label() const {
  if (question_.row_level()) return nullptr;
  for (const ListColumn& column : question_.list.columns) {
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
  if (question_.row_level()) return rows_.origin_of(entries_.first_rows[entry]).short_text();
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
