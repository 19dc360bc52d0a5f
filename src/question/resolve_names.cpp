// Resolving a ladder: joins, and the names of columns, figures and choices.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>

#include "formula/lexer.hpp"
#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/nearest.hpp"

namespace lofty::engine {

void Resolver::bind_joins() {
  for (std::size_t i = 0; i < ladder_.data.joins.size(); ++i) {
    const Join& join = ladder_.data.joins[i];
    const std::string key = "data.join[" + std::to_string(i) + "].on";
    JoinUse use;
    use.table = i + 1;
    use.kind = join.kind;
    use.many = join.many;
    if (join.on.empty())
      problem(Code::missing_key, "the join with " + quoted(join.with) + " names no key",
              "data.join[" + std::to_string(i) + "]", "on = [\"shop_no\"]");
    for (const std::string& on : join.on) {
      const std::size_t equals = on.find('=');
      const auto trimmed = [](std::string text) {
        text.erase(0, text.find_first_not_of(" \t"));
        text.erase(text.find_last_not_of(" \t") + 1);
        return text;
      };
      const std::string left = trimmed(on.substr(0, equals)),
                        right = equals == std::string::npos ? left : trimmed(on.substr(equals + 1));
      JoinUse::Pair pair;
      const auto right_column = column_in(use.table, right, key, on);
      bool found = false;
      for (std::size_t t = 0; t < use.table && !found; ++t)
        if (const auto column = find_column(t, right_name(left, t), false)) {
          pair.left_table = t;
          pair.left_column = *column;
          found = true;
        }
      if (!found) {
        const Problem p = no_column(name_expression(left), std::make_shared<Origin>(Origin{key, on}), use.table, false);
        add(p);
      }
      use.broken = use.broken || !found || !right_column;
      if (!found || !right_column) continue;
      pair.right_column = *right_column;
      question_.tables[pair.left_table].wanted.insert(pair.left_column);
      question_.tables[use.table].wanted.insert(pair.right_column);
      use.on.push_back(pair);
    }
    question_.joins.push_back(std::move(use));
  }
}

std::string Resolver::right_name(const std::string& name, std::size_t t) const {
  const std::string prefix = tables_[t].alias + ".";
  return name.size() > prefix.size() && equal_folded(name.substr(0, prefix.size()), prefix) ? name.substr(prefix.size())
                                                                                            : name;
}

std::optional<std::size_t> Resolver::column_in(std::size_t table, const std::string& name, const std::string& key,
                                               const std::string& text) {
  const auto column = find_column(table, right_name(name, table), false);
  if (!column) {
    Problem p = formula_problem(
        Code::unknown_column, "no column " + quoted(name) + " in " + tables_[table].source->name(), text,
        text.rfind(name), text.rfind(name) + name.size(), nearest_word(name, tables_[table].source->headings()));
    p.place.key = key;
    add(std::move(p));
  }
  return column;
}

std::optional<std::size_t> Resolver::find_column(std::size_t table, const std::string& name, bool exact) const {
  const auto& headings = tables_[table].source->headings();
  for (std::size_t i = 0; i < headings.size(); ++i)
    if (headings[i] == name) return i;
  std::optional<std::size_t> found;
  if (!exact)
    for (std::size_t i = 0; i < headings.size(); ++i)
      if (equal_folded(headings[i], name)) {
        if (found) return std::nullopt;
        found = i;
      }
  return found;
}

bool Resolver::is_shared_key(std::size_t table, std::size_t column) const {
  for (const JoinUse& join : question_.joins)
    if (join.table == table &&
        join.broken) {  // a problem has been said; what its columns are called is not another one
      for (std::size_t t = 0; t < table; ++t)
        if (find_column(t, tables_[table].source->headings()[column], false)) return true;
    } else if (join.table == table)
      for (const JoinUse::Pair& pair : join.on)
        if (pair.right_column == column && equal_folded(tables_[pair.left_table].source->headings()[pair.left_column],
                                                        tables_[table].source->headings()[column]))
          return true;
  return false;
}

Problem Resolver::no_column(const Expression& e, const std::shared_ptr<const Origin>& origin, std::size_t tables,
                            bool with_totals, bool with_places) {
  std::vector<std::string> names, places;
  for (std::size_t t = 0; t < std::min(tables, tables_.size()); ++t) {
    places.push_back(tables_[t].source->name());
    for (const std::string& heading : tables_[t].source->headings()) names.push_back(heading);
  }
  for (const Parsed& figure : figures_) names.push_back(figure.formula->name);
  for (const PeriodSource& period : periods_) names.push_back(period.period->name);
  if (with_totals)
    for (const auto* list : {&totals_, &windows_})
      for (const Parsed& one : *list) names.push_back(one.formula->name);
  if (with_places)
    for (const std::string& place : place_names()) names.push_back(place);
  const std::string nearest = nearest_word(e.text, names);
  std::string advice;
  if (e.quoted) advice = "text goes in single quotes: '" + e.text + "'";
  return problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + listed(places, "or"), e, origin,
                    nearest, advice);
}

NodePtr Resolver::row_column(std::size_t table, std::size_t column, const Expression& e,
                             const std::shared_ptr<const Origin>& origin) {
  question_.tables[table].wanted.insert(column);
  const RowColumn wanted{table, column};
  auto& columns = question_.row_columns;
  const auto found = std::find(columns.begin(), columns.end(), wanted);
  const auto index = static_cast<int>(found - columns.begin());
  if (found == columns.end()) columns.push_back(wanted);
  const Table& read = tables_[table].table;
  // Default-constructed tables have not been read yet.
  const bool known = was_read_ && read.holds(column);
  Type type = known ? read.type(column) : Type{};
  if (type.zoned && zone_ != nullptr) type.zone = zone_;
  return make_column(index, type, e, origin);
}

Resolver::Parsed* Resolver::find_named(std::vector<Parsed>& list, const Expression& e) {
  if (!e.qualifier.empty()) return nullptr;
  for (Parsed& parsed : list)
    if (parsed.formula->name == e.text) return &parsed;
  if (!e.quoted)
    for (Parsed& parsed : list)
      if (equal_folded(parsed.formula->name, e.text)) return &parsed;
  return nullptr;
}

NodePtr Resolver::row_name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (const PeriodSource* const period = find_period(e)) {
    NodePtr node = period->usable ? period_node(*period, period->text.condition(period->period->on)) : nullptr;
    return node ? std::move(node) : make_unknown(e, origin);
  }
  Parsed* const figure = find_named(figures_, e);
  // A figure that takes a column's name is a problem of its own, said once; inside it, the name is the column.
  const bool shadows = figure != nullptr && figure->state == State::open && find_column(0, e.text, e.quoted);
  if (figure != nullptr && !shadows) {
    if (figure->state == State::open)
      throw Error(problem_at(Code::circular, "the figure " + quoted(e.text) + " needs itself", e, origin));
    if (!without_windows_.empty() && figure->expression && mentions_window(*figure->expression))
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) +
                                 " holds a window: it sees the rows that rows.where lets through, too "
                                 "late for " +
                                 without_windows_,
                             e, origin));
    return bind_figure(*figure, false);
  }
  std::vector<std::pair<std::size_t, std::size_t>> found;
  for (std::size_t t = 0; t < tables_.size(); ++t) {
    if (!e.qualifier.empty() && !equal_folded(e.qualifier, tables_[t].alias)) continue;
    const auto column = find_column(t, e.text, e.quoted);
    if (column && !(e.qualifier.empty() && t > 0 && is_shared_key(t, *column))) found.emplace_back(t, *column);
  }
  if (found.size() == 1) return row_column(found[0].first, found[0].second, e, origin);
  if (found.size() > 1) {
    std::vector<std::string> options;
    for (const auto& [t, column] : found)
      options.push_back(quoted(tables_[t].alias + "." + tables_[t].source->headings()[column]));
    throw Error(problem_at(Code::ambiguous_column, quoted(e.text) + " is in several tables", e, origin, {},
                           "write " + listed(options, "or")));
  }
  if (!e.qualifier.empty()) {
    std::vector<std::string> aliases;
    bool known = false;
    for (std::size_t t = 0; t < tables_.size(); ++t) {
      aliases.push_back(tables_[t].alias);
      if (!equal_folded(e.qualifier, tables_[t].alias)) continue;
      known = true;
      throw Error(problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + tables_[t].source->name(),
                             e, origin, nearest_word(e.text, tables_[t].source->headings())));
    }
    if (!known)
      throw Error(problem_at(Code::unknown_table, "no table is called " + quoted(e.qualifier) + " here", e, origin,
                             nearest_word(e.qualifier, aliases)));
  }
  // The same letters in another case, several times over?
  for (std::size_t t = 0; t < tables_.size(); ++t) {
    std::vector<std::string> alike;
    for (const std::string& heading : tables_[t].source->headings())
      if (equal_folded(heading, e.text)) alike.push_back("\"" + heading + "\"");
    if (alike.size() > 1)
      throw Error(problem_at(Code::ambiguous_column,
                             quoted(e.text) + " fits several columns of " + tables_[t].source->name(), e, origin, {},
                             "write " + listed(alike, "or")));
  }
  throw Error(no_column(e, origin, tables_.size(), false));
}

NodePtr Resolver::choice_node(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  for (const Choice& choice : ladder_.choices) {
    if (choice.name != e.text) continue;
    Type type{.kind = Kind::text};
    if (const auto* number = std::get_if<Decimal>(&choice.value))
      type = {.kind = number->scale() > 0 ? Kind::decimal : Kind::integer, .scale = number->scale()};
    if (std::holds_alternative<double>(choice.value)) type = {.kind = Kind::floating};
    if (std::holds_alternative<Date>(choice.value)) type = {.kind = Kind::date};
    if (std::holds_alternative<Timestamp>(choice.value)) type = {.kind = Kind::timestamp};
    if (std::holds_alternative<bool>(choice.value)) type = {.kind = Kind::boolean};
    return make_literal(choice.value, type, e, origin);
  }
  std::vector<std::string> names;
  for (const Choice& choice : ladder_.choices) names.push_back(choice.name);
  throw Error(problem_at(Code::unknown_choice, "no choice is called " + quoted(e.text), e, origin,
                         nearest_word(e.text, names), names.empty() ? e.text + " = 30 under [choices] makes one" : ""));
}

void Resolver::fail_if_later(const Expression& e, const std::shared_ptr<const Origin>& origin,
                             const std::string& stage) {
  if (find_named(totals_, e) != nullptr)
    throw Error(problem_at(
        Code::wrong_stage,
        quoted(e.text) + " is a total: it is known after the rows are grouped, too late for " + stage, e, origin));
  fail_if_windowed(e, origin, stage);
  for (const std::string& place : place_names())
    if (question_.level != nullptr && equal_folded(place, e.text))
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                             origin));
}

void Resolver::fail_if_windowed(const Expression& e, const std::shared_ptr<const Origin>& origin,
                                const std::string& stage) {
  if (find_named(windows_, e) != nullptr)
    throw Error(problem_at(Code::wrong_stage,
                           quoted(e.text) + " is a window value: it is known after rank.having, too late for " + stage,
                           e, origin));
}

std::vector<std::string> Resolver::place_names() const {
  std::vector<std::string> names;
  if (question_.level == nullptr || question_.level->by.empty()) return names;
  names.push_back(question_.level->rank_as.empty() ? "rank" : question_.level->rank_as);
  for (const Also& also : question_.level->also) names.push_back(also.name);
  if (!ladder_.compare.empty()) names.insert(names.end(), {"was", "moved"});
  return names;
}

std::string Resolver::canonical_name(const Node& row, const Expression& e) {
  if (const Parsed* figure = find_named(figures_, e)) return figure->formula->name;
  if (row.op == Op::name && row.column >= 0) {
    const RowColumn& c = question_.row_columns[static_cast<std::size_t>(row.column)];
    if (c.of_window()) return e.text;
    return tables_[c.table].source->headings()[c.column];
  }
  return e.text;
}

NodePtr Resolver::RowScope::name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  try {
    return r_.row_name(e, origin);
  } catch (const Error& error) {
    if (error.code() == Code::unknown_column) r_.fail_if_later(e, origin, stage_);
    throw;
  }
}

NodePtr Resolver::RowScope::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (e.text.starts_with("overall_")) {
    if (!overall_allowed_)
      throw Error(problem_at(Code::wrong_stage, quoted(e.text) + " cannot stand inside another total", e, origin));
    return r_.overall(e, origin);
  }
  throw Error(problem_at(
      Code::wrong_stage,
      quoted(e.text + "(...)") + " is a total: it is known after the rows are grouped, too late for " + stage_, e,
      origin, {},
      stage_ == "figures"
          ? Remedy(remedy::name_total().words + "; with `over (partition by ...)` it stands beside every row")
          : remedy::name_total()));
}

NodePtr Resolver::RowScope::window(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return r_.row_window(e, *this, origin, stage_);
}

NodePtr Resolver::RowScope::choice(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return r_.choice_node(e, origin);
}

NodePtr Resolver::EntryScope::name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return r_.entry_name(e, origin, places_, stage_, windows_);
}

NodePtr Resolver::EntryScope::window(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (!windows_)
    throw Error(problem_at(Code::wrong_stage,
                           "a window over entries sees those that rank.having lets through, too late for " + stage_, e,
                           origin, {}, remedy::name_window()));
  return r_.entry_window(e, *this, origin);
}

NodePtr Resolver::EntryScope::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (e.text.starts_with("overall_")) return r_.overall(e, origin);
  if (r_.question_.row_level())
    throw Error(problem_at(Code::missing_each,
                           "a total needs a level: which rows does " + quoted(e.text + "(...)") + " take together?", e,
                           origin, {}, remedy::set_each()));
  if (!aggregates_)
    throw Error(problem_at(Code::wrong_stage, quoted(e.text + "(...)") + " cannot be worked out in " + stage_, e,
                           origin, {}, remedy::name_total()));
  return r_.aggregate(e, origin);
}

NodePtr Resolver::EntryScope::choice(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return r_.choice_node(e, origin);
}

}  // namespace lofty::engine
