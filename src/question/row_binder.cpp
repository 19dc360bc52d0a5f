// Binding the names of the rows.

#include "question/row_binder.hpp"

#include <algorithm>
#include <functional>
#include <unordered_set>

#include "base/folded.hpp"
#include "formula/lexer.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

std::string trimmed(std::string text) {
  text.erase(0, text.find_first_not_of(" \t"));
  text.erase(text.find_last_not_of(" \t") + 1);
  return text;
}

// Is this column of a joined table the key that it was joined by under the same name? Then it is one column.
bool is_shared_key(const LadderTables& tables, const std::vector<JoinUse>& joins, std::size_t table,
                   std::size_t column) {
  const std::string& heading = tables.headings(table)[column];
  for (const JoinUse& join : joins) {
    if (join.table != table) continue;
    if (join.broken) {  // a problem has been said; what its columns are called is not another one
      for (std::size_t t = 0; t < table; ++t)
        if (tables.find_column(t, heading, false)) return true;
      continue;
    }
    for (const JoinUse::Pair& pair : join.on)
      if (pair.right_column == column && equal_folded(tables.headings(pair.left_table)[pair.left_column], heading))
        return true;
  }
  return false;
}

// The tables' columns that a name may mean, as (table, column).
std::vector<RowColumn> columns_called(const LadderTables& tables, const std::vector<JoinUse>& joins,
                                      const Expression& e) {
  std::vector<RowColumn> found;
  for (std::size_t t = 0; t < tables.size(); ++t) {
    if (!e.qualifier.empty() && !equal_folded(e.qualifier, tables[t].alias)) continue;
    const auto column = tables.find_column(t, e.text, e.quoted);
    if (column && !(e.qualifier.empty() && t > 0 && is_shared_key(tables, joins, t, *column)))
      found.push_back({t, *column});
  }
  return found;
}

// No table, or no column of the table, that the name is qualified with.
[[noreturn]] void fail_qualified(const LadderTables& tables, const Expression& e,
                                 const std::shared_ptr<const Origin>& origin) {
  std::vector<std::string> aliases;
  for (std::size_t t = 0; t < tables.size(); ++t) {
    aliases.push_back(tables[t].alias);
    if (equal_folded(e.qualifier, tables[t].alias))
      throw Error(problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + tables[t].source->name(), e,
                             origin, nearest_word(e.text, tables.headings(t))));
  }
  throw Error(problem_at(Code::unknown_table, "no table is called " + quoted(e.qualifier) + " here", e, origin,
                         nearest_word(e.qualifier, aliases)));
}

// The same letters in another case, several times over?
void fail_if_case_decides(const LadderTables& tables, const Expression& e,
                          const std::shared_ptr<const Origin>& origin) {
  for (std::size_t t = 0; t < tables.size(); ++t) {
    std::vector<std::string> alike;
    for (const std::string& heading : tables.headings(t))
      if (equal_folded(heading, e.text)) alike.push_back("\"" + heading + "\"");
    if (alike.size() > 1)
      throw Error(problem_at(Code::ambiguous_column,
                             quoted(e.text) + " fits several columns of " + tables[t].source->name(), e, origin, {},
                             "write " + listed(alike, "or")));
  }
}

bool mentions_overall(const Node& node) {
  bool found = false;
  each_node_below(node, [&](const Node& at) { found = found || at.overall >= 0; });
  return found;
}

}  // namespace

void RowBinder::bind_all(const FurtherConditions& further) {
  bind_joins();
  periods_.make();
  for (ParsedFormula& one : figures_) figure(one, true);
  bind_where();
  periods_.bind_all();

  // What is asked in addition to the ladder.
  if (!further.probe.empty()) {
    RowScope scope(*this, true, "the probe");
    question_.probe.condition =
        bound(*parse_expression(further.probe), scope, std::make_shared<Origin>(Origin{"", further.probe}));
    finished(*question_.probe.condition);
  }
  question_.probe.row = further.probed_row;
  question_.probe.alone = further.only_probed;
}

void RowBinder::bind_joins() {
  for (std::size_t i = 0; i < ladder_.data.joins.size(); ++i) question_.joins.push_back(bind_join(i));
}

JoinUse RowBinder::bind_join(std::size_t number) {
  const Join& join = ladder_.data.joins[number];
  const std::string section = "data.join[" + std::to_string(number) + "]", key = section + ".on";
  JoinUse use{.table = number + 1, .on = {}, .type = join.type, .many = join.many};
  if (join.on.empty())
    problems_.say(Code::missing_key, "the join with " + quoted(join.with) + " names no key", section,
                  "on = [\"shop_no\"]");
  for (const std::string& on : join.on) {
    const std::size_t equals = on.find('=');
    const std::string left = name_expression(trimmed(on.substr(0, equals))).text,
                      right = equals == std::string::npos ? left : name_expression(trimmed(on.substr(equals + 1))).text;

    // The right column is one of the joined table,
    const auto right_column = tables_.find_column(use.table, tables_.without_alias(right, use.table), false);
    if (!right_column) {
      Problem p = formula_problem(
          Code::unknown_column, "no column " + quoted(right) + " in " + tables_[use.table].source->name(),
          {on, on.rfind(right), on.rfind(right) + right.size()}, nearest_word(right, tables_.headings(use.table)));
      p.location.key = key;
      problems_.add(std::move(p));
    }

    // the left one of a table before it.
    std::optional<RowColumn> found;
    for (std::size_t t = 0; t < use.table && !found; ++t)
      if (const auto column = tables_.find_column(t, tables_.without_alias(left, t), false)) found = {t, *column};
    if (!found) problems_.add(no_column(name_expression(left), std::make_shared<Origin>(Origin{key, on}), use.table));
    use.broken = use.broken || !found || !right_column;
    if (!found || !right_column) continue;
    tables_.want(found->table, found->column);
    tables_.want(use.table, *right_column);
    use.on.push_back({found->table, found->column, *right_column});
  }
  return use;
}

Problem RowBinder::no_column(const Expression& e, const std::shared_ptr<const Origin>& origin, std::size_t tables,
                             std::vector<std::string> further) const {
  std::vector<std::string> names, places;
  for (std::size_t t = 0; t < std::min(tables, tables_.size()); ++t) {
    places.push_back(tables_[t].source->name());
    for (const std::string& heading : tables_.headings(t)) names.push_back(heading);
  }
  for (const ParsedFormula& figure : figures_) names.push_back(figure.formula->name);
  for (const Period& period : ladder_.periods) names.push_back(period.name);
  names.insert(names.end(), further.begin(), further.end());
  const std::string advice = e.quoted ? "text goes in single quotes: '" + e.text + "'" : "";
  return problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + listed(places, "or"), e, origin,
                    nearest_word(e.text, names), advice);
}

int RowBinder::row_column(const RowColumn& wanted) {
  auto& columns = question_.row_columns;
  const auto found = std::find(columns.begin(), columns.end(), wanted);
  const auto number = static_cast<int>(found - columns.begin());
  if (found == columns.end()) columns.push_back(wanted);
  return number;
}

NodePtr RowBinder::name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (NodePtr period = periods_.condition(e, origin)) return period;

  // A figure that takes a column's name is a separate problem, said once; inside it, the name is the column.
  ParsedFormula* const own = figures_.find(e);
  const bool shadows =
      own != nullptr && own->state == ParsedFormula::State::open && tables_.find_column(0, e.text, e.quoted);
  if (own != nullptr && !shadows) {
    if (own->state == ParsedFormula::State::open)
      throw Error(problem_at(Code::circular, "the figure " + quoted(e.text) + " needs itself", e, origin));
    if (!without_windows_.empty() && own->expression && mentions_window(*own->expression))
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) +
                                 " holds a window: it sees the rows that rows.where lets through, too "
                                 "late for " +
                                 without_windows_,
                             e, origin));
    return figure(*own, false);
  }

  // One column, and only one.
  const std::vector<RowColumn> found = columns_called(tables_, question_.joins, e);
  if (found.size() == 1) {
    tables_.want(found[0].table, found[0].column);
    NodePtr column = make_column(row_column(found[0]), tables_.type(found[0].table, found[0].column), e, origin);
    column->blank = tables_.is_blank(found[0].table, found[0].column);
    return column;
  }
  if (found.size() > 1) {
    std::vector<std::string> options;
    for (const RowColumn& one : found)
      options.push_back(quoted(tables_[one.table].alias + "." + tables_.headings(one.table)[one.column]));
    throw Error(problem_at(Code::ambiguous_column, quoted(e.text) + " is in several tables", e, origin, {},
                           "write " + listed(options, "or")));
  }
  if (!e.qualifier.empty()) fail_qualified(tables_, e, origin);
  fail_if_case_decides(tables_, e, origin);
  throw Error(no_column(e, origin, tables_.size()));
}

NodePtr RowBinder::choice(const Expression& e, const std::shared_ptr<const Origin>& origin) const {
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

void RowBinder::fail_if_later(const Expression& e, const std::shared_ptr<const Origin>& origin,
                              const std::string& stage) const {
  if (totals_.find(e) != nullptr)
    throw Error(problem_at(
        Code::wrong_stage,
        quoted(e.text) + " is a total: it is known after the rows are grouped, too late for " + stage, e, origin));
  fail_if_windowed(e, origin, stage);
  for (const std::string& place : level_.places())
    if (equal_folded(place, e.text))
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                             origin));
}

void RowBinder::fail_if_windowed(const Expression& e, const std::shared_ptr<const Origin>& origin,
                                 const std::string& stage) const {
  if (later_.find(e) != nullptr)
    throw Error(problem_at(Code::wrong_stage,
                           quoted(e.text) + " is a window value: it is known after rank.having, too late for " + stage,
                           e, origin));
}

std::string RowBinder::canonical_name(const Node& row, const Expression& e) const {
  if (const ParsedFormula* const figure = figures_.find(e)) return figure->formula->name;
  if (row.op != Op::name || row.column < 0) return e.text;
  const RowColumn& c = question_.row_columns[static_cast<std::size_t>(row.column)];
  return c.of_window() ? e.text : tables_.headings(c.table)[c.column];
}

NodePtr RowBinder::overall(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (e.args.size() != 1 || e.args[0]->op == Op::star || e.distinct || e.filter)
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument, and no filter", e, origin, {},
                           e.text + "(ordered_on)"));
  RowScope scope(*this, false, "the inside of " + e.text);
  const std::string before = std::exchange(without_windows_, "the inside of " + e.text);
  NodePtr argument = bound(*e.args[0], scope, origin);
  without_windows_ = before;
  take_type(argument, {.kind = Kind::date});
  if (argument->type.kind == Kind::text || argument->type.kind == Kind::boolean)
    throw Error(
        problem_at(Code::wrong_type, quoted(e.text) + " takes a number, a date or a timestamp", *e.args[0], origin));

  // Written twice, found once.
  NodePtr literal = make_literal(std::monostate{}, argument->type, e, origin);
  const std::string text = origin->text.substr(e.begin, e.end - e.begin);
  std::size_t index = 0;
  while (index < question_.overalls.size() && question_.overalls[index]->text != text) ++index;
  if (index == question_.overalls.size()) {
    auto made = std::make_unique<Overall>();
    made->greatest = e.function == Function::overall_max;
    finished(*argument);
    made->argument = std::move(argument);
    made->text = text;
    question_.overalls.push_back(std::move(made));
  }
  if (!origin->key.starts_with("periods.")) question_.overalls[index]->written = true;
  literal->overall = static_cast<int>(index);
  return literal;
}

NodePtr RowBinder::figure(ParsedFormula& figure, bool report) {
  if (!figure.expression) return make_unknown(name_expression(figure.formula->name), figure.origin);
  if (figure.state == ParsedFormula::State::fresh) {
    figure.state = ParsedFormula::State::open;
    RowScope scope(*this, true, "figures");
    figure.node =
        windows_.apart([&] { return engine::bind(*figure.expression, scope, figure.origin, figure.problems); });
    figure.state = ParsedFormula::State::done;
  } else {
    figure.node->shared = true;
  }
  for (const Problem& p : figure.problems) {
    // A circle is met again from each of its figures; one mention is enough.
    const bool circle = p.code == Code::circular;
    if (circle ? !circle_said_ : report) problems_.add(p);
    circle_said_ = circle_said_ || circle;
  }
  // A null takes its type from where it is used, so each use has its own node.
  if (figure.node->op == Op::null) return std::make_shared<Node>(*figure.node);
  return figure.node;
}

void RowBinder::bind_where() {
  if (ladder_.where.empty()) return;
  const auto origin = std::make_shared<Origin>(Origin{"rows.where", ladder_.where});
  ExpressionPtr whole;
  try {
    whole = parse_expression(ladder_.where);
  } catch (const Error& error) {
    return problems_.add(error, "rows.where");
  }

  // The top-level terms, in their order.
  without_windows_ = "rows.where";
  const std::function<void(const Expression&)> walk = [&](const Expression& e) {
    if (e.op == Op::logical_and) {
      walk(*e.args[0]);
      return walk(*e.args[1]);
    }
    std::vector<Problem> found;
    RowScope scope(*this, true, "rows.where");
    NodePtr node = engine::bind(e, scope, origin, found);
    if (found.empty() && node->type.kind != Kind::boolean && node->type.kind != Kind::unknown)
      found.push_back(problem_at(
          Code::wrong_type,
          "rows.where needs a condition; " + quoted(node->source()) + " is " + to_string(node->type.kind), e, origin));
    problems_.add(std::move(found));
    finished(*node);
    (mentions_overall(*node) || periods_.mentioned_in(e) ? question_.where_last : question_.where_first)
        .push_back(std::move(node));
  };
  walk(*whole);
  without_windows_.clear();
}

bool RowBinder::mentions_window(const Expression& e) const {
  std::unordered_set<const ParsedFormula*> seen;  // figures are named again and again
  const std::function<bool(const Expression&)> go = [&](const Expression& at) {
    if (at.over) return true;
    if (at.op == Op::name)
      if (const ParsedFormula* const figure = figures_.find(at); figure != nullptr && figure->expression)
        if (seen.insert(figure).second && go(*figure->expression)) return true;
    return std::any_of(at.args.begin(), at.args.end(), [&](const auto& arg) { return arg && go(*arg); }) ||
           (at.filter && go(*at.filter));
  };
  return go(e);
}

NodePtr RowBinder::window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                          const std::string& stage) {
  if (!without_windows_.empty())
    throw Error(problem_at(Code::wrong_stage,
                           "a window sees the rows that rows.where lets through, too late for " + without_windows_, e,
                           origin, {}, "put a condition on it into keep.where"));
  if (stage != "figures")
    throw Error(problem_at(Code::wrong_stage, "a window over rows is a figure", e, origin, {}, remedy::name_figure()));
  std::unique_ptr<WindowCall> call = windows_.call(e, scope, origin);

  // Written twice, computed once.
  const std::string same = signature(*call);
  std::size_t index = 0;
  while (index < question_.row_windows.size() && signature(*question_.row_windows[index].call) != same) ++index;
  const Type type = call->type;
  if (index == question_.row_windows.size()) question_.row_windows.push_back({std::move(call), origin->key, 0, false});
  return make_column(row_column({RowColumn::window_table, index}), type, e, origin);
}

NodePtr RowScope::name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  try {
    return rows_.name(e, origin);
  } catch (const Error& error) {
    if (error.code() == Code::unknown_column) rows_.fail_if_later(e, origin, stage_);
    throw;
  }
}

NodePtr RowScope::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (is_constant(e.function)) {
    if (!overall_allowed_)
      throw Error(problem_at(Code::wrong_stage, quoted(e.text) + " is not allowed inside another total", e, origin));
    return rows_.overall(e, origin);
  }
  throw Error(problem_at(
      Code::wrong_stage,
      quoted(e.text + "(...)") + " is a total: it is known after the rows are grouped, too late for " + stage_, e,
      origin, {},
      stage_ == "figures" ? Remedy(remedy::name_total().words + "; with `over (partition by ...)` every row has it")
                          : remedy::name_total()));
}

NodePtr RowScope::window(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return rows_.window(e, *this, origin, stage_);
}

NodePtr RowScope::choice(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return rows_.choice(e, origin);
}

const Zone* RowScope::zone() const { return rows_.zone(); }
int RowScope::first_month() const { return rows_.first_month(); }

}  // namespace lofty::engine
