// Covered by tests/ladder/standings_test.cpp.
#include "ladder/words.hpp"

#include <algorithm>

#include "formula/evaluator.hpp"
#include "ladder/prose.hpp"
#include "table/zone.hpp"

namespace lofty::engine {

std::string Words::entry_noun() const {
  if (a_.question.row_level()) return row_noun();
  std::vector<std::string> words;
  for (const std::size_t key : a_.question.each) {
    const EntryColumn& column = a_.question.entry_columns[key];
    const bool day = column.type.kind == Kind::date && column.name.ends_with("_on");  // what happened on that day
    const std::string noun = day ? "day" : noun_of_key(column.name);
    if (std::find(words.begin(), words.end(), noun) == words.end()) words.push_back(noun);
  }
  return words.size() == 1 ? words[0] : (words.size() == 2 ? "pair of " : "combination of ") + listed(words);
}
std::string Words::plural_entry(std::size_t count) const {
  const std::string noun = entry_noun();
  if (count == 1) return noun;
  const std::size_t several = noun.find(" of ");  // "pair of shop and product"
  return several == std::string::npos ? plural(noun) : plural(noun.substr(0, several)) + noun.substr(several);
}

ColumnPtr Words::label() const {
  if (a_.question.row_level()) return nullptr;
  for (const ListColumn& column : a_.question.list_columns) {
    if (column.column < 0 || static_cast<std::size_t>(column.column) >= a_.question.entry_columns.size()) continue;
    const auto at = static_cast<std::size_t>(column.column);
    const EntryColumn& from = a_.question.entry_columns[at];
    if (from.from == EntryColumn::From::carried && from.type.kind == Kind::text && a_.role_of(at) != Role::group)
      return a_.entries.columns[at];
  }
  return nullptr;
}

// What a reader calls an entry: its label where a listed column has one, else its keys.
std::string Words::entry_name(std::uint32_t entry) const {
  if (a_.question.row_level()) return a_.joined->place_of(a_.entries.first_rows[entry]);
  const ColumnPtr column = label();
  if (column && !column->is_null(entry)) return quoted(to_text(column->value(entry), column->type()));
  std::string name;
  for (const std::size_t key : a_.question.each) {
    if (key >= a_.entries.columns.size()) continue;
    const Value value = a_.entries.columns[key]->value(entry);
    const bool text = a_.question.entry_columns[key].type.kind == Kind::text;
    name += (name.empty() ? "" : ", ") +
            (text ? quoted(shown(value)) : a_.question.entry_columns[key].name + " " + shown(value));
  }
  return name;
}

std::string Words::directions(const std::vector<SortKey>& keys) const {
  std::vector<std::string> parts;
  for (std::size_t k = 0; k < keys.size(); ++k) {
    const Kind kind = keys[k].node->type.kind;
    const bool moment = kind == Kind::date || kind == Kind::timestamp;
    const char* const way = kind == Kind::text ? (keys[k].descending ? " from Z to A" : " from A to Z")
                            : moment           ? (keys[k].descending ? ", latest first" : ", earliest first")
                                               : (keys[k].descending ? ", highest first" : ", lowest first");
    parts.push_back((k > 0 ? "then " : "") + keys[k].text + way);
  }
  std::string out;
  for (std::size_t k = 0; k < parts.size(); ++k) out += (k > 0 ? ", " : "") + parts[k];
  return out;
}

std::string Words::sentence() const {
  const bool inner = a_.outer != nullptr;  // what is the same at all levels is said once
  std::string s = capitalized(entry_nouns());
  if (a_.question.places) {
    s += " by " + directions(a_.question.by);
    if (!a_.question.within.empty()) {
      std::vector<std::string> groups;
      for (const std::size_t g : a_.question.within) groups.push_back(noun_of_key(a_.question.entry_columns[g].name));
      s += ", in each " + (inner ? groups.back() : listed(groups));
    }
  }
  if (!inner)
    s += a_.ladder.where.empty() ? "; all " + plural(row_noun()) + " count"
                                 : "; " + plural(row_noun()) + " count where " + a_.ladder.where;
  if (a_.question.having) s += "; " + entry_nouns() + " take part where " + a_.question.level->having;
  if (a_.question.eligible) s += "; ranked are those with " + a_.question.level->eligible;
  if (a_.question.places) {
    if (!inner || a_.question.level->ties != a_.ladder.levels.front().ties)
      s += "; " + std::string(ties_name(a_.question.level->ties)) + " places";
    if (!a_.question.level->tiebreak.empty()) s += ", ties told apart by " + a_.question.level->tiebreak;
    if (a_.question.keep_where) s += "; kept where " + a_.question.level->where;
    if (a_.question.level->best || a_.question.level->worst)
      s += (a_.question.keep_where ? ", of these " : "; ") + kept_words() +
           (a_.question.within.empty() ? "" : " of each") +
           (a_.question.level->cut == Cut::strict ? ", strictly" : ", ties at the cut kept");
  }
  if (a_.question.list_as_input) s += "; listed in the order of the input";
  if (!a_.question.list_order.empty()) s += "; listed by " + a_.question.list_text;
  s += ".";
  if (inner) return s;
  for (const Choice& choice : a_.ladder.choices) {
    s += (&choice == &a_.ladder.choices.front() ? " Chosen: " : ", ") + choice.name + " = " + to_text(choice.value) +
         (choice.unit.empty() ? "" : " " + choice.unit);
    if (&choice == &a_.ladder.choices.back()) s += ".";
  }
  if (!a_.ladder.compare.with.empty()) s += " Compared with " + a_.ladder.compare.with + ".";
  for (const auto& [name, value] : a_.ladder.compare.choose) {
    s += (&name == &a_.ladder.compare.choose.front().first ? " Compared with " : ", ") + name + " = " + to_text(value);
    if (&name == &a_.ladder.compare.choose.back().first) s += ".";
  }
  for (std::size_t p = 0; p < a_.question.periods.size(); ++p) s += " " + period_sentence(p);
  for (const auto& overall : a_.question.overalls)
    if (overall->written) s += " " + capitalized(overall->text) + " is " + shown(overall->value) + ".";
  return s;
}

// A constant that is a day; none where the period is open, or over no rows.
std::optional<std::int64_t> Words::day_of(const NodePtr& node) const {
  if (!node) return std::nullopt;
  const ColumnSource nothing(1, {});
  const ColumnPtr value = evaluate_column(*node, nothing, a_.question.slots, a_.run);
  if (value->is_null(0)) return std::nullopt;
  const std::int64_t at = value->int64(0);
  return day_at(node->type, at);
}

// "`recent` is 2025-03-02 to 2025-03-31: 480 lines, on 29 of 30 days."
std::string Words::period_sentence(std::size_t p) const {
  const PeriodUse& period = a_.question.periods[p];
  const Entries::Caught& caught = a_.entries.caught[p];
  const auto first = day_of(period.first), last = day_of(period.last);
  std::string s = quoted(period.name) + " is ";
  if (first && last)
    s += *first == *last ? day_text(*last) : day_text(*first) + " to " + day_text(*last);
  else if (first || last)
    s += first ? "from " + day_text(*first) + " on" : "up to " + day_text(*last);
  else
    return s + "empty: no " + row_noun() + " has a date.";
  s += ": " + counted(caught.rows, row_noun());
  if (caught.rows == 0) return s + ".";
  const std::string days = with_commas(caught.days.size());
  if (first && last)
    s += ", on " +
         (days + " of " + counted(static_cast<std::size_t>(std::max<std::int64_t>(*last - *first + 1, 0)), "day"));
  else
    s += ", on " + counted(caught.days.size(), "day");
  const bool narrower = (first && caught.days.begin()->first > *first) || (last && caught.days.rbegin()->first < *last);
  if (narrower || !first || !last)
    s += ", the first " + day_text(caught.days.begin()->first) + " and the last " +
         day_text(caught.days.rbegin()->first);
  return s + ".";
}

// "the best 3", "the worst 3", "the best 3 and the worst 5"
std::string Words::kept_words() const {
  std::string words;
  if (a_.question.level->best) words = "the best " + with_commas(*a_.question.level->best);
  if (a_.question.level->worst)
    words += (words.empty() ? "the worst " : " and the worst ") + with_commas(*a_.question.level->worst);
  return words;
}

std::string Words::foot() const {
  const Accounting& a = a_.data->accounting;
  const Listing& list = a_.ladder.list;
  std::string which;
  if (a.listed < a_.kept_count)
    which = list.sample               ? "a sample of "
            : list.first && list.last ? "the first and last "
            : list.first              ? "the first "
                                      : "the last ";
  std::string s = a.listed == a.entries ? counted_entries(a.entries)
                                        : which + with_commas(a.listed) + " of " + counted_entries(a.entries);
  if (!which.empty() && list.sample) s += " (seed " + std::to_string(list.seed) + ")";
  const bool repeated = std::any_of(a.joins.begin(), a.joins.end(), [](const auto& join) { return join.more > 0; });
  if (!a_.question.row_level() && a_.outer == nullptr)
    s += ", " + counted(a.counted, repeated ? "joined row" : row_noun());
  return s;
}

}  // namespace lofty::engine
