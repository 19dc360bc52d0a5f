// Binding a level: keys, conditions on entries, ranking, custom orders.

#include "question/level_binder.hpp"

#include <algorithm>
#include <optional>
#include <tuple>

#include "base/folded.hpp"
#include "formula/parser.hpp"
#include "order/codes.hpp"
#include "question/prose.hpp"
#include "table/column.hpp"
#include "value/calendar.hpp"
#include "window/call.hpp"

namespace lofty::engine {

void LevelBinder::bind_all(const std::string& mark) {
  check_totals();
  if (question_.level == nullptr) return;
  const Level& level = *question_.level;
  if (level_.nested()) check_each(level);

  // Keys come first: whether anything is an entry decides what a name means.
  bind_keys(level_.within(), level_.key_of("rank.within"), question_.within);
  bind_keys(level.each, level_.key_of("rank.each"), question_.each);
  if (!level.each.empty() && question_.each.empty())
    question_.each.push_back(~std::size_t{0});  // a problem has been said

  if (!level.include.empty()) bind_include(level);
  if (level.fill) bind_fill(level);

  // In the order in which they are computed.
  if (!level.each.empty()) entries_.bind_totals();
  question_.having = bind_condition(level.having, level_.key_of("rank.having"), false, false);
  entries_.bind_window_values();
  question_.eligible = bind_condition(level.eligible, level_.key_of("rank.eligible"), false);
  question_.keep_where = bind_condition(level.where, level_.key_of("keep.where"), true);
  question_.mark = bind_condition(mark, {}, true);

  if (!level.by.empty()) return bind_ranking(level);
  if (!level.eligible.empty() || level.unranked || level.cuts() || !level.tiebreak.empty() || !level.also.empty() ||
      !level.within.empty() || level_.nested())
    problems_.say(Code::missing_key, "nothing says what to rank by", level_.key_of("rank.by"), remedy::set_by());
}

void LevelBinder::check_totals() {
  const bool totalled_outside = level_.nested() && level_.number() > 0;
  if (question_.level != nullptr && (!question_.level->each.empty() || totalled_outside)) return;
  for (const ParsedFormula& total : totals_)
    problems_.say(Code::missing_each,
                  "the total " + quoted(total.formula->name) + " needs a level: which rows does it take together?",
                  total.origin->key, remedy::set_each(), {}, total.formula->formula);
}

void LevelBinder::check_each(const Level& level) {
  const std::string key = level_.key_of("rank.each");
  if (level.each.empty() && !level_.last())
    problems_.say(Code::missing_each, "only the innermost level may have every row for an entry", key,
                  "each = [\"valley\"]");
  for (std::size_t outer = 0; outer < level_.number(); ++outer)
    if (!level.each.empty() && ladder_.levels[outer].each == level.each)
      problems_.say(Code::bad_value,
                    "level " + std::to_string(level_.number() + 1) + " repeats level " + std::to_string(outer + 1) +
                        ": each entry would hold itself alone",
                    key, "give it other columns, or leave it out");
}

void LevelBinder::bind_keys(const std::vector<std::string>& names, const std::string& key,
                            std::vector<std::size_t>& out) {
  for (const std::string& name : names) {
    try {
      const std::size_t column = bind_key(name, key);
      if (std::find(out.begin(), out.end(), column) == out.end()) out.push_back(column);
    } catch (const Error& error) {
      problems_.add(error, key);
    }
  }
}

// The entry column of a key; that of an equal one, where there is one.
std::size_t LevelBinder::bind_key(const std::string& name, const std::string& key) {
  const auto origin = std::make_shared<Origin>(Origin{key, name});
  Expression e = name_expression(name);
  if (const auto point = name.find('.');
      !e.quoted && point != std::string::npos && !tables_.find_column(0, name, true)) {
    e.qualifier = name.substr(0, point);
    e.text = name.substr(point + 1);
  }
  if (totals_.find(e) != nullptr)
    throw Error(problem_at(Code::wrong_stage,
                           quoted(name) + " is a total: it is known after the rows are grouped, too late for " + key, e,
                           origin));
  rows_.fail_if_windowed(e, origin, key);

  NodePtr row = rows_.name(e, origin);
  EntryColumn column;
  column.from = question_.level->each.empty() ? EntryColumn::From::row : EntryColumn::From::key;
  column.name = rows_.canonical_name(*row, e);
  column.type = row->type;
  column.node = std::move(row);
  const auto same = std::ranges::find(question_.entry_columns, column.name, &EntryColumn::name);
  if (same != question_.entry_columns.end()) return static_cast<std::size_t>(same - question_.entry_columns.begin());
  return entries_.add_column(std::move(column));
}

// Is a key a column of the joined table, or the one that it is joined by?
bool LevelBinder::is_of_table(const Node& key, const JoinUse& join) const {
  if (key.op != Op::name || key.column < 0) return false;
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(key.column)];
  if (at.of_window()) return false;
  return at.table == join.table || std::any_of(join.on.begin(), join.on.end(), [&](const JoinUse::Pair& pair) {
           return pair.left_table == at.table && pair.left_column == at.column &&
                  equal_folded(tables_.headings(at.table)[at.column], tables_.headings(join.table)[pair.right_column]);
         });
}

void LevelBinder::bind_include(const Level& level) {
  const std::string key = level_.key_of("rank.include");
  std::vector<std::string> aliases;
  for (std::size_t j = 0; j < question_.joins.size(); ++j) {
    aliases.push_back(tables_[question_.joins[j].table].alias);
    if (equal_folded(aliases.back(), level.include)) question_.include = j;
  }
  if (!question_.include)
    return problems_.say(Code::unknown_table, "no joined table is called " + quoted(level.include), key,
                         "include = \"shops\" names a table of [[data.join]]", nearest_word(level.include, aliases),
                         level.include);
  if (level.each.empty())
    return problems_.say(Code::missing_each, "`include` adds entries, and here every row is one", key,
                         remedy::set_each());
  JoinUse& join = question_.joins[*question_.include];
  for (const JoinUse& one : question_.joins)
    if (one.type == JoinType::right || one.type == JoinType::full)
      problems_.say(Code::bad_value,
                    std::string("a ") + to_string(one.type) + " join of " + quoted(tables_[one.table].alias) +
                        " lets rows in that count as one; with `include` they are entries without rows",
                    key, "type = \"left\" in that [[data.join]]");

  // All keys have to be its own.
  std::vector<std::string> others;
  for (const auto* keys : {&question_.within, &question_.each})
    for (const std::size_t k : *keys)
      if (k < question_.entry_columns.size() && !is_of_table(*question_.entry_columns[k].node, join))
        others.push_back(quoted(question_.entry_columns[k].name));
  if (!others.empty())
    return problems_.say(Code::bad_value,
                         listed(others) + (others.size() == 1 ? " is no column of " : " are no columns of ") +
                             quoted(level.include) + ", so that its rows do not say which entries there are",
                         key, "`each` and `within` of columns of " + level.include + " only");
  join.include = true;
}

void LevelBinder::bind_fill(const Level& level) {
  const std::string key = level_.key_of("rank.fill");
  const std::string unit = to_string(*level.fill);

  // The one key of dates.
  std::optional<std::size_t> dates;
  std::size_t count = 0;
  for (const std::size_t k : question_.each) {
    if (k >= question_.entry_columns.size()) return;  // a problem has been said
    const Kind kind = question_.entry_columns[k].type.kind;
    if (kind == Kind::unknown) continue;
    if (kind != Kind::date && kind != Kind::timestamp) continue;
    dates = k;
    ++count;
  }
  const bool typed = std::all_of(question_.each.begin(), question_.each.end(),
                                 [&](std::size_t k) { return question_.entry_columns[k].type.kind != Kind::unknown; });
  const std::string example = "start_of('" + unit + "', ordered_on) as a figure, and its name in `each`";
  if (typed && count != 1)
    return problems_.say(Code::bad_value,
                         "`fill` needs exactly one column of dates in `each`, and there " +
                             (count == 0 ? std::string("is none") : "are " + std::to_string(count)),
                         key, example);
  if (!dates) return;
  const Node& node = *question_.entry_columns[*dates].node;
  const bool starts = node.op == Op::call && node.function == Function::start_of;
  if (node.type.kind == Kind::timestamp || (starts ? node.text != unit : *level.fill != CalendarUnit::day))
    return problems_.say(
        Code::bad_value,
        quoted(question_.entry_columns[*dates].name) + " does not hold the first days of " + plural(unit), key,
        example);
  question_.fill = Question::Fill{*level.fill, *dates, period_in_force(starts ? *node.args[1] : node)};
}

// The period that rows.where asks for by its name alone, along these dates.
std::optional<std::size_t> LevelBinder::period_in_force(const Node& dates) const {
  if (ladder_.where.empty()) return std::nullopt;
  std::vector<std::string> names;
  const auto terms = [&](const auto& self, const Expression& e) -> void {
    if (e.op == Op::logical_and)
      for (const auto& arg : e.args) self(self, *arg);
    if (e.op == Op::name && e.qualifier.empty()) names.push_back(e.text);
  };
  try {
    terms(terms, *parse_expression(ladder_.where));
  } catch (const Error&) {
    return std::nullopt;  // which has been said
  }
  for (std::size_t p = 0; p < question_.periods.size(); ++p) {
    const PeriodUse& period = question_.periods[p];
    const bool named = std::any_of(names.begin(), names.end(),
                                   [&](const std::string& name) { return equal_folded(name, period.name); });
    if (named && period.first && period.last && signature(*period.on) == signature(dates)) return p;
  }
  return std::nullopt;
}

void LevelBinder::bind_sort(const std::string& text, const std::string& key, Scope& scope, bool directions,
                            std::vector<SortKey>& out) {
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  std::vector<SortItem> items;
  try {
    items = parse_sort_list(text);
  } catch (const Error& error) {
    return problems_.add(error, key);
  }
  for (const SortItem& item : items) {
    if (directions && !item.direction_written) {
      const std::string written = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
      problems_.add(problem_at(Code::missing_direction,
                               "highest or lowest first? " + quoted(written) + " has no direction", *item.expression,
                               origin, {}, written + " desc puts the highest first, " + written + " asc the lowest"));
    }
    std::vector<Problem> found;
    out.push_back(sort_key(item, text, scope, origin, found));
    problems_.add(std::move(found));
  }
}

void LevelBinder::bind_ranking(const Level& level) {
  EntryScope scope(entries_, false, false, "rank.by");
  bind_sort(level.by, level_.key_of("rank.by"), scope, true, question_.by);
  if (!question_.by.empty() && question_.by.front().nulls == Nulls::first)
    problems_.say(Code::bad_value,
                  "an entry without a value of the first key has no place, so that `nulls first` puts nothing first",
                  level_.key_of("rank.by"),
                  "coalesce(" + question_.by.front().text +
                      ", 0) ranks them; in list.order `nulls first` lists them "
                      "first");
  if (!level.tiebreak.empty()) {
    EntryScope tie_scope(entries_, false, false, "rank.tiebreak");
    bind_sort(level.tiebreak, level_.key_of("rank.tiebreak"), tie_scope, false, question_.tiebreak);
  }

  // How many are kept.
  if (level.best && *level.best == 0)
    problems_.say(Code::bad_value, "best = 0 keeps nothing", level_.key_of("keep.best"), "leave it out to keep all");
  if (level.worst && *level.worst == 0)
    problems_.say(Code::bad_value, "worst = 0 keeps nothing", level_.key_of("keep.worst"), "leave it out to keep all");
  for (const auto& [percent, whole, name] : {std::tuple(&level.best_percent, &level.best, "best"),
                                             std::tuple(&level.worst_percent, &level.worst, "worst")}) {
    if (!*percent) continue;
    const std::string key = level_.key_of(std::string("keep.") + name);
    if (**percent <= Decimal(0, 0) || **percent > Decimal(100, 0))
      problems_.say(Code::bad_value, quoted((*percent)->text() + " %") + " is no part of the entries", key,
                    "more than 0 % and at most 100 %");
    if (*whole)
      problems_.say(Code::bad_value, quoted(name) + " is a number of entries or a part of them, not both", key);
  }
  question_.keeps_states = level.others && !question_.row_level();
  if (level.others && question_.row_level())
    problems_.say(Code::missing_each, "others are entries taken together, and here every row is one",
                  level_.key_of("keep.others"), remedy::set_each());
  bind_also(level);
  question_.place_names = level_.places();
  question_.knows_former_values = level_.knows_former_values();
}

NodePtr LevelBinder::bind_condition(const std::string& text, const std::string& key, bool places, bool windows) {
  if (text.empty()) return nullptr;
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  try {
    const ExpressionPtr whole = parse_expression(text);
    EntryScope scope(entries_, !question_.row_level(), places, key, windows);
    NodePtr node = bound(*whole, scope, origin);
    if (node->type.kind != Kind::boolean && node->type.kind != Kind::unknown)
      problems_.add(problem_at(Code::wrong_type,
                               (key.empty() ? "a condition is needed; " : key + " needs a condition; ") +
                                   quoted(node->source()) + " is " + to_string(node->type.kind),
                               *whole, origin));
    finished(*node);
    return node;
  } catch (const Error& error) {
    problems_.add(error, key);
  }
  return nullptr;
}

void LevelBinder::bind_also(const Level& level) {
  for (const Also& also : level.also) {
    AlsoUse use;
    const std::string key = level_.key_of("rank.also." + also.name);
    if (!also.by.empty()) {
      EntryScope scope(entries_, false, false, key);
      bind_sort(also.by, key, scope, true, use.by);
    }
    if (also.measure == Measure::tiers && (also.count == 0 || also.count > 0xffffffff))
      problems_.say(Code::bad_value, "tiers are counted from 1 on", key, "tiers = 4");
    if (also.measure == Measure::share || also.measure == Measure::running_share) use.of = share_of(also, key);
    question_.also.push_back(std::move(use));
  }
}

// The entry column that a share is one of; -1: a problem has been said.
int LevelBinder::share_of(const Also& also, const std::string& key) {
  const auto origin = std::make_shared<Origin>(Origin{key, also.of});
  try {
    const NodePtr node = entries_.name(name_expression(also.of), origin, false, key);
    if (node->type.kind != Kind::unknown && !node->type.numeric())
      problems_.say(Code::wrong_type,
                    "a share is one of numbers; " + quoted(also.of) + " is " + to_string(node->type.kind), key, {}, {},
                    also.of);
    return node->column;
  } catch (const Error& error) {
    problems_.add(error, key);
  }
  return -1;
}

void LevelBinder::bind_orderings() {
  if (!ladder_.data.locale.empty() && !is_locale(ladder_.data.locale))
    problems_.say(Code::bad_value, "no language has the code " + quoted(ladder_.data.locale), "data.locale",
                  "a locale is a language code, with a country code where needed: sv, en_GB", {}, ladder_.data.locale);
  for (const Ordering& ordering : ladder_.orderings) {
    const std::string key = "orderings." + ordering.column;
    const auto origin = std::make_shared<Origin>(Origin{key, ordering.column});
    std::string column;
    try {
      const Expression e = name_expression(ordering.column);
      if (totals_.find(e) == nullptr && window_values_.find(e) == nullptr) {
        const NodePtr row = rows_.name(e, origin);
        column = rows_.canonical_name(*row, e);
        check_listed(ordering, row->type, key);
      }
    } catch (const Error& error) {
      problems_.add(error, key);
    }
    if (!ordering.sequence.empty() && (!ordering.first.empty() || !ordering.last.empty()))
      problems_.say(Code::bad_value, "a sequence is the whole order: leave out `first` and `last`", key,
                    "put them into the sequence");
    question_.orderings.push_back(column);
  }
}

void LevelBinder::check_listed(const Ordering& ordering, const Type& type, const std::string& key) {
  std::vector<Value> all;
  for (const auto* list : {&ordering.first, &ordering.last, &ordering.sequence})
    for (const Value& value : *list) {
      if (type.kind != Kind::unknown && !holds(type, value))
        problems_.say(Code::wrong_type,
                      quoted(to_text(value)) + " is none of the values of " + quoted(ordering.column) + ", which is " +
                          to_string(type.kind),
                      key);
      if (std::find(all.begin(), all.end(), value) != all.end())
        problems_.say(Code::bad_value, quoted(to_text(value)) + " is listed twice", key);
      all.push_back(value);
    }
}

}  // namespace lofty::engine
