// Resolving a ladder: what is an entry, and what ranks it.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>

#include "order/codes.hpp"
#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/column.hpp"

namespace lofty::engine {

void Resolver::bind_keys(const std::vector<std::string>& names, const std::string& key, std::vector<std::size_t>& out) {
  for (const std::string& name : names) {
    const auto origin = std::make_shared<Origin>(Origin{key, name});
    try {
      Expression e = name_expression(name);
      if (const auto point = name.find('.'); point != std::string::npos && !find_column(0, name, true)) {
        e.qualifier = name.substr(0, point);
        e.text = name.substr(point + 1);
      }
      if (find_named(totals_, e) != nullptr)
        throw Error(problem_at(
            Code::wrong_stage,
            quoted(name) + " is a total: it is known after the rows are grouped, too late for " + key, e, origin));
      fail_if_windowed(e, origin, key);
      NodePtr row = row_name(e, origin);
      EntryColumn column;
      column.from = question_.level->each.empty() ? EntryColumn::From::row : EntryColumn::From::key;
      column.name = canonical_name(*row, e);
      column.type = row->type;
      column.node = std::move(row);
      bool twice = false;
      for (std::size_t i = 0; i < question_.entry_columns.size(); ++i)
        if (question_.entry_columns[i].name == column.name) {
          twice = true;
          if (std::find(out.begin(), out.end(), i) == out.end()) out.push_back(i);
        }
      if (!twice) out.push_back(add_entry_column(std::move(column)));
    } catch (const Error& error) {
      add(error, key);
    }
  }
}

void Resolver::bind_sort(const std::string& text, const std::string& key, Scope& scope, bool directions,
                         std::vector<SortKey>& out) {
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  std::vector<SortItem> items;
  try {
    items = parse_sort_list(text);
  } catch (const Error& error) {
    return add(error, key);
  }
  for (SortItem& item : items) {
    if (directions && !item.direction_written) {
      const std::string written = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
      add(problem_at(Code::missing_direction, "highest or lowest first? " + quoted(written) + " has no direction",
                     *item.expression, origin, {},
                     written + " desc puts the highest first, " + written + " asc the lowest"));
    }
    std::vector<Problem> found;
    out.push_back(sort_key(item, text, scope, origin, found));
    for (Problem& p : found) add(std::move(p));
  }
}

SortKey Resolver::sort_key(const SortItem& item, const std::string& text, Scope& scope,
                           const std::shared_ptr<const Origin>& origin, std::vector<Problem>& found) {
  SortKey sort;
  sort.node = engine::bind(*item.expression, scope, origin, found);
  question_.slots = finish(*sort.node, question_.slots);
  sort.descending = item.descending;
  sort.nulls = item.nulls_written && item.nulls_first ? Nulls::first : Nulls::last;
  sort.text = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
  return sort;
}

void Resolver::bind_level() {
  const bool totalled_outside = nested() && level_ > 0;
  if (question_.level == nullptr || (question_.level->each.empty() && !totalled_outside)) {
    for (const Parsed& total : totals_)
      problem(Code::missing_each,
              "the total " + quoted(total.formula->name) + " needs a level: which rows does it take together?",
              total.origin->key, remedy::set_each(), {}, total.formula->formula);
  }
  if (question_.level == nullptr) return;
  const Level& level = *question_.level;
  if (nested()) check_level(level);
  // `each` first: whether anything is an entry decides what a name means.
  bind_keys(within_names(), key_of("rank.within"), question_.within);
  bind_keys(level.each, key_of("rank.each"), question_.each);
  if (!level.each.empty() && question_.each.empty())
    question_.each.push_back(~std::size_t{0});  // a problem has been said
  if (!level.each.empty())
    for (Parsed& total : totals_)
      if (total.state == State::fresh) bind_total(total);
  question_.having = bind_condition(level.having, key_of("rank.having"), false, false);
  for (Parsed& window : windows_)
    if (window.state == State::fresh) bind_windowed(window);
  question_.eligible = bind_condition(level.eligible, key_of("rank.eligible"), false);
  question_.keep_where = bind_condition(level.where, key_of("keep.where"), true);
  question_.mark = bind_condition(further_.mark, {}, true);
  if (level.by.empty()) {
    if (!level.eligible.empty() || level.unranked || level.best || level.worst || !level.tiebreak.empty() ||
        !level.also.empty() || !level.within.empty() || nested())
      problem(Code::missing_key, "nothing says what to rank by", key_of("rank.by"), remedy::set_by());
    return;
  }
  EntryScope scope(*this, false, false, "rank.by");
  bind_sort(level.by, key_of("rank.by"), scope, true, question_.by);
  if (!level.tiebreak.empty()) {
    EntryScope tie_scope(*this, false, false, "rank.tiebreak");
    bind_sort(level.tiebreak, key_of("rank.tiebreak"), tie_scope, false, question_.tiebreak);
  }
  if (level.best && *level.best == 0)
    problem(Code::bad_value, "best = 0 keeps nothing", key_of("keep.best"), "leave it out to keep all");
  if (level.worst && *level.worst == 0)
    problem(Code::bad_value, "worst = 0 keeps nothing", key_of("keep.worst"), "leave it out to keep all");
  question_.keeps_states = level.others && !question_.row_level();
  if (level.others && question_.row_level())
    problem(Code::missing_each, "others are entries taken together, and here every row is one", key_of("keep.others"),
            remedy::set_each());
  bind_also(level);
  question_.place_names = place_names();
}

NodePtr Resolver::bind_condition(const std::string& text, const std::string& key, bool places, bool windows) {
  if (text.empty()) return nullptr;
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  try {
    const ExpressionPtr whole = parse_expression(text);
    EntryScope scope(*this, !question_.row_level(), places, key, windows);
    NodePtr node = bound(*whole, scope, origin);
    if (node->type.kind != Kind::boolean && node->type.kind != Kind::unknown)
      add(problem_at(Code::wrong_type,
                     (key.empty() ? "a condition is asked for; " : key + " needs a condition; ") +
                         quoted(node->source()) + " is " + kind_name(node->type.kind),
                     *whole, origin));
    question_.slots = finish(*node, question_.slots);
    return node;
  } catch (const Error& error) {
    add(error, key);
  }
  return nullptr;
}

void Resolver::bind_also(const Level& level) {
  for (const Also& also : level.also) {
    AlsoUse use;
    const std::string key = key_of("rank.also." + also.name);
    if (!also.by.empty()) {
      EntryScope scope(*this, false, false, key);
      bind_sort(also.by, key, scope, true, use.by);
    }
    if (also.measure == Measure::tiers && (also.count == 0 || also.count > 0xffffffff))
      problem(Code::bad_value, "tiers are counted from 1 on", key, "tiers = 4");
    if (also.measure == Measure::share || also.measure == Measure::running_share) {
      const auto origin = std::make_shared<Origin>(Origin{key, also.of});
      try {
        const Expression e = name_expression(also.of);
        const NodePtr node = entry_name(e, origin, false, key);
        use.of = node->column;
        if (node->type.kind != Kind::unknown && !node->type.numeric())
          problem(Code::wrong_type,
                  "a share is one of numbers; " + quoted(also.of) + " is " + kind_name(node->type.kind), key, {}, {},
                  also.of);
      } catch (const Error& error) {
        add(error, key);
      }
    }
    question_.also.push_back(std::move(use));
  }
}

void Resolver::bind_orderings() {
  if (!ladder_.data.locale.empty() && !is_locale(ladder_.data.locale))
    problem(Code::bad_value, "no language has the code " + quoted(ladder_.data.locale), "data.locale",
            "a locale is a language's code, with a country's behind it where it matters: sv, en_GB", {},
            ladder_.data.locale);
  for (const Ordering& ordering : ladder_.orderings) {
    const std::string key = "orderings." + ordering.column;
    const auto origin = std::make_shared<Origin>(Origin{key, ordering.column});
    std::string column;
    try {
      Expression e = name_expression(ordering.column);
      if (find_named(totals_, e) == nullptr && find_named(windows_, e) == nullptr) {
        const NodePtr row = row_name(e, origin);
        column = canonical_name(*row, e);
        check_listed(ordering, row->type, key);
      }
    } catch (const Error& error) {
      add(error, key);
    }
    if (!ordering.sequence.empty() && (!ordering.first.empty() || !ordering.last.empty()))
      problem(Code::bad_value, "a sequence is the whole order: `first` and `last` have nothing to say beside it", key,
              "put them into the sequence");
    question_.orderings.push_back(column);
  }
}

void Resolver::check_listed(const Ordering& ordering, const Type& type, const std::string& key) {
  std::vector<Value> all;
  for (const auto* list : {&ordering.first, &ordering.last, &ordering.sequence})
    for (const Value& value : *list) {
      if (type.kind != Kind::unknown && !holds(type, value))
        problem(Code::wrong_type,
                quoted(to_text(value)) + " is none of the values of " + quoted(ordering.column) + ", which is " +
                    kind_name(type.kind),
                key);
      if (std::find(all.begin(), all.end(), value) != all.end())
        problem(Code::bad_value, quoted(to_text(value)) + " is listed twice", key);
      all.push_back(value);
    }
}

}  // namespace lofty::engine
