#include "remark/sentence.hpp"

#include <algorithm>

#include "formula/evaluator.hpp"
#include "question/prose.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

// A constant that is a day; none where the period is open, or over no rows.
std::optional<std::int64_t> day_of(const LevelAnswer& a, const NodePtr& node) {
  if (!node) return std::nullopt;
  const ColumnSource nothing(1, {});
  const ColumnPtr value = evaluate_column(*node, nothing, a.entries.context, a.run);
  if (value->is_null(0)) return std::nullopt;
  const std::int64_t at = value->int64(0);
  return day_at(node->type, at);
}

std::string so_many(const std::optional<std::size_t>& number, const std::optional<Decimal>& percent) {
  return percent ? percent->text() + " %" : number ? with_commas(*number) : std::string();
}

std::string day_text(std::int64_t day) { return Date{static_cast<std::int32_t>(day)}.text(); }

namespace {

std::string directions(const std::vector<SortKey>& keys) {
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

// "`recent` is 2025-03-02 to 2025-03-31: 480 lines, on 29 of 30 days."
std::string period_sentence(const LevelAnswer& a, std::size_t p) {
  const PeriodUse& period = a.question.periods[p];
  const Entries::Caught& caught = a.entries.caught[p];
  const std::string row_noun = a.names().row_noun();
  const auto first = day_of(a, period.first), last = day_of(a, period.last);
  std::string s = quoted(period.name) + " is ";
  if (first && last)
    s += *first == *last ? day_text(*last) : day_text(*first) + " to " + day_text(*last);
  else if (first || last)
    s += first ? "from " + day_text(*first) + " on" : "up to " + day_text(*last);
  else
    return s + "empty: no " + row_noun + " has a date.";

  // What it holds.
  s += ": " + counted(caught.rows, row_noun);
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

const char* month_name(int month) {
  constexpr const char* names[] = {"January", "February", "March",     "April",   "May",      "June",
                                   "July",    "August",   "September", "October", "November", "December"};
  return names[month - 1];
}

// "the best 3", "the worst 3", "the best 3 and the worst 5"
std::string kept_words(const LevelAnswer& a) {
  const Level& level = *a.question.level;
  const std::string best = so_many(level.best, level.best_percent), worst = so_many(level.worst, level.worst_percent);
  std::string words;
  if (!best.empty()) words = "the best " + best;
  if (!worst.empty()) words += (words.empty() ? "the worst " : " and the worst ") + worst;
  return words;
}

}  // namespace

std::string sentence(const LevelAnswer& a) {
  const Names names = a.names();
  const bool inner = a.outer != nullptr;  // what is the same at all levels is said once
  std::string s = capitalized(names.entry_nouns());
  if (a.question.places) {
    s += " by " + directions(a.question.by);
    if (!a.question.within.empty()) {
      std::vector<std::string> groups;
      for (const std::size_t g : a.question.within) groups.push_back(noun_of_key(a.question.entry_columns[g].name));
      s += ", in each " + (inner ? groups.back() : listed(groups));
    }
  }

  // What counts, takes part and is ranked.
  if (!inner)
    s += a.ladder().where.empty() ? "; all " + plural(names.row_noun()) + " count"
                                  : "; " + plural(names.row_noun()) + " count where " + a.ladder().where;
  const std::string with_or_without = " is there, with " + plural(names.row_noun()) + " that count or without";
  if (a.question.include) s += "; every " + names.entry_noun() + " of " + a.question.level->include + with_or_without;
  if (a.question.fill) s += "; every " + std::string(to_string(*a.question.level->fill)) + with_or_without;
  if (a.question.having) s += "; " + names.entry_nouns() + " take part where " + a.question.level->having;
  if (a.question.eligible) s += "; ranked are those with " + a.question.level->eligible;
  if (a.question.places) {
    if (!inner || a.question.level->ties != a.ladder().levels.front().ties)
      s += "; " + std::string(to_string(a.question.level->ties)) + " places";
    if (!a.question.level->tiebreak.empty()) s += ", ties told apart by " + a.question.level->tiebreak;
    if (a.question.keep_where) s += "; kept where " + a.question.level->where;
    if (a.question.level->cuts())
      s += (a.question.keep_where ? ", of these " : "; ") + kept_words(a) +
           (a.question.within.empty() ? "" : " of each") +
           (a.question.level->cut == Cut::strict ? ", strictly" : ", ties at the cut kept");
  }

  // How it is listed.
  if (a.question.list.as_input) s += "; listed in the order of the input";
  if (!a.question.list.order.empty()) s += "; listed by " + a.question.list.text;
  s += ".";
  if (inner) return s;

  // What was chosen, compared and found.
  for (const Choice& choice : a.ladder().choices) {
    s += (&choice == &a.ladder().choices.front() ? " Chosen: " : ", ") + choice.name + " = " + to_text(choice.value) +
         (choice.unit.empty() ? "" : " " + choice.unit);
    if (&choice == &a.ladder().choices.back()) s += ".";
  }
  if (!a.ladder().compare.with.empty()) s += " Compared with " + a.ladder().compare.with + ".";
  if (!a.ladder().compare.period.empty())
    s += " Compared with the whole stretch before " + quoted(a.ladder().compare.period) + ".";
  for (const auto& [name, value] : a.ladder().compare.choose) {
    s += (&name == &a.ladder().compare.choose.front().first ? " Compared with " : ", ") + name + " = " + to_text(value);
    if (&name == &a.ladder().compare.choose.back().first) s += ".";
  }
  if (a.ladder().first_month != 1) s += std::string(" Years begin in ") + month_name(a.ladder().first_month) + ".";
  for (std::size_t p = 0; p < a.question.periods.size(); ++p) s += " " + period_sentence(a, p);
  for (std::size_t o = 0; o < a.question.overalls.size(); ++o)
    if (a.question.overalls[o]->written)
      s += " " + capitalized(a.question.overalls[o]->text) + " is " + Names::shown(a.entries.context.overalls[o]) + ".";
  return s;
}

std::string shown_of_total(const LevelAnswer& a) {
  const Accounting& counts = a.accounting;
  const Listing& list = a.ladder().list;
  const Names names = a.names();
  std::string which = with_commas(counts.listed);
  const bool some = counts.listed < a.listed.kept_count;
  if (some && list.sample)
    which.insert(0, "a sample of ");
  else if (some && list.first && list.last)
    which = "the first " + with_commas(*list.first) + " and last " + with_commas(*list.last);
  else if (some)
    which.insert(0, list.first ? "the first " : "the last ");
  std::string s = counts.listed == counts.entries ? names.counted_entries(counts.entries)
                                                  : which + " of " + names.counted_entries(counts.entries);
  if (some && list.sample) s += " (seed " + std::to_string(list.seed) + ")";
  const bool repeated =
      std::any_of(counts.joins.begin(), counts.joins.end(), [](const auto& join) { return join.more > 0; });
  if (!a.question.row_level() && a.outer == nullptr)
    s += ", " + counted(counts.counted, repeated ? "joined row" : names.row_noun());
  return s;
}

}  // namespace lofty::engine
