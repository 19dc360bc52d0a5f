// Binding the names of the entries.

#include "question/entry_binder.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "question/aggregate_form.hpp"
#include "question/prose.hpp"
#include "window/call.hpp"

namespace lofty::engine {
namespace {

// Does it come from a table whose rows may have no partner? Those without a key are then no partner of any row, and yet
// fall into one entry with the rows that have none: what it holds has to be looked at.
bool may_be_let_in(const Question& question, const Node& row) {
  const std::size_t table = question.row_columns[static_cast<std::size_t>(row.column)].table;
  return std::any_of(question.joins.begin(), question.joins.end(), [&](const JoinUse& join) {
    return join.table == table && (join.type == JoinType::right || join.type == JoinType::full);
  });
}

// Of the place column with this number among LevelNames::places().
Type place_type(const Question& question, std::size_t number) {
  const Level& level = *question.level;
  if (question.knows_former_values && number > level.also.size() + 2) {  // of what places go by, and its difference
    const Type by = question.by.empty() ? Type{} : question.by.front().node->type;
    return number == level.also.size() + 3 || by.exact() || by.kind == Kind::unknown ? by : Type{.kind = Kind::integer};
  }
  if (number > level.also.size()) number = 0;  // was and moved are places, and differences of them
  if (number > 0) {
    const Also& also = level.also[number - 1];
    if (also.measure == Measure::percent_rank || also.measure == Measure::cumulative_distribution)
      return {.kind = Kind::decimal, .scale = 6};  // a division of counts
    if (also.measure == Measure::share || also.measure == Measure::running_share) {
      if (number > question.also.size() || question.also[number - 1].of < 0) return {};
      const Type of = question.entry_columns[static_cast<std::size_t>(question.also[number - 1].of)].type;
      return of.exact() ? Type{.kind = Kind::decimal, .scale = std::min(of.scale + 6, Decimal::max_digits)} : of;
    }
    if (also.measure == Measure::tiers) return {.kind = Kind::integer};
  }
  const Ties ties = number == 0 ? level.ties : level.also[number - 1].ties;
  return ties == Ties::fractional ? Type{.kind = Kind::decimal, .scale = 1} : Type{.kind = Kind::integer};
}

}  // namespace

std::size_t EntryBinder::add_column(EntryColumn column) {
  if (column.node && column.from != EntryColumn::From::total && column.from != EntryColumn::From::windowed)
    finished(*column.node);
  question_.entry_columns.push_back(std::move(column));
  return question_.entry_columns.size() - 1;
}

NodePtr EntryBinder::node(std::size_t column, const Expression& e, const std::shared_ptr<const Origin>& origin) const {
  return make_column(static_cast<int>(column), question_.entry_columns[column].type, e, origin);
}

NodePtr EntryBinder::name(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places,
                          const std::string& stage, bool windows) {
  // A formula of [windows], or of [totals].
  if (ParsedFormula* const value = window_values_.find(e); value != nullptr) {
    if (!windows) rows_.fail_if_windowed(e, origin, stage);
    if (value->state == ParsedFormula::State::fresh) bind_window_value(*value);
    return named(*value, "window value", e, origin);
  }
  if (ParsedFormula* const total = totals_.find(e); total != nullptr && !row_level()) {
    if (total->state == ParsedFormula::State::fresh) bind_total(*total);
    return named(*total, "total", e, origin);
  }
  if (row_level() && level_.number() > 0 && totals_.find(e) != nullptr)
    throw Error(problem_at(Code::wrong_stage,
                           quoted(e.text) + " is a total, and the entries of this level are single rows", e, origin, {},
                           "a column or a figure"));

  // A place.
  const auto names = level_.places();
  for (std::size_t i = 0; i < names.size() && e.qualifier.empty(); ++i) {
    if (!equal_folded(names[i], e.text)) continue;
    if (!places)
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                             origin));
    // Place columns come after the entries' columns, whose number is not yet final: a negative number for now.
    return make_column(-2 - static_cast<int>(i), place_type(question_, i), e, origin);
  }
  return row_of_entry(e, origin, places);
}

// A column or a figure of the rows, as the entry has it.
NodePtr EntryBinder::row_of_entry(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places) {
  NodePtr row;
  try {
    row = rows_.name(e, origin);
  } catch (const Error& error) {
    if (error.code() != Code::unknown_column || !e.qualifier.empty()) throw;
    std::vector<std::string> further;
    for (FormulaList* const list : {&totals_, &window_values_})
      for (const ParsedFormula& one : *list) further.push_back(one.formula->name);
    if (places)
      for (const std::string& place : level_.places()) further.push_back(place);
    throw Error(rows_.no_column(e, origin, tables_.size(), std::move(further)));
  }

  const std::string name = e.qualifier.empty() ? rows_.canonical_name(*row, e) : e.qualifier + "." + e.text;
  for (std::size_t i = 0; i < question_.entry_columns.size(); ++i) {
    const EntryColumn& column = question_.entry_columns[i];
    if (column.name == name && (column.from == EntryColumn::From::key || column.from == EntryColumn::From::carried ||
                                column.from == EntryColumn::From::row))
      return node(i, e, origin);
  }
  EntryColumn column;
  column.from = row_level() ? EntryColumn::From::row : EntryColumn::From::carried;
  column.name = name;
  column.type = row->type;
  column.determined = is_determined(*row) && !may_be_let_in(question_, *row);
  column.node = std::move(row);
  return node(add_column(std::move(column)), e, origin);
}

bool EntryBinder::is_determined(const Node& row) const {
  if (row.op != Op::name || row.column < 0) return false;
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(row.column)];
  if (at.of_window()) return false;
  const auto join = std::ranges::find_if(question_.joins,
                                         [&](const JoinUse& one) { return one.table == at.table && !one.on.empty(); });
  if (join == question_.joins.end()) return false;

  // An entry has one value of each of its keys. Are all columns that the join goes by among them?
  std::vector<std::size_t> keys = question_.each;
  keys.insert(keys.end(), question_.within.begin(), question_.within.end());
  return std::ranges::all_of(join->on, [&](const JoinUse::Pair& pair) {
    return std::ranges::any_of(keys, [&](std::size_t key) {
      if (key >= question_.entry_columns.size()) return false;
      const Node& of = *question_.entry_columns[key].node;
      return of.op == Op::name && of.column >= 0 &&
             question_.row_columns[static_cast<std::size_t>(of.column)] == RowColumn{pair.left_table, pair.left_column};
    });
  });
}

NodePtr EntryBinder::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  const AggregateForm form(e, origin);
  auto made = std::make_unique<Aggregate>();
  RowScope scope(rows_, true, "the inside of " + e.text + "(...)");

  // What it takes together, in which order, and which rows.
  if (!form.star()) made->argument = bound(form.argument(), scope, origin);
  if (form.percentile()) {
    made->fraction = fraction_of(bound(*e.args[0], scope, origin), *e.args[0], origin);
    made->descending = e.within_group.front().descending;
  }
  if (form.joins_texts() && e.args.size() == 2) {
    const NodePtr between = bound(*e.args[1], scope, origin);
    const auto* const text = between->op == Op::literal ? std::get_if<std::string>(&between->value) : nullptr;
    if (text == nullptr)
      throw Error(problem_at(Code::bad_value, "`listagg` takes one text that stands between the others", *e.args[1],
                             origin, {}, "listagg(product, ', ') within group (order by product)"));
    made->separator = *text;
  }
  if (form.ordered())
    for (const SortItem& item : e.within_group) {
      std::vector<Problem> found;
      made->order.push_back(sort_key(item, origin->text, scope, origin, found));
      problems_.add(std::move(found));
    }
  if (e.filter) {
    made->filter = bound(*e.filter, scope, origin);
    if (made->filter->type.kind != Kind::boolean && made->filter->type.kind != Kind::unknown)
      throw Error(problem_at(Code::wrong_type, "the filter is not a condition", *e.filter, origin));
    finished(*made->filter);
  }
  form.set_kind(*made);
  if (made->argument) finished(*made->argument);
  made->text = origin->text.substr(e.begin, e.end - e.begin);

  // Written twice, computed once.
  const auto same = [](const NodePtr& a, const NodePtr& b) {
    return (a == nullptr) == (b == nullptr) && (a == nullptr || signature(*a) == signature(*b));
  };
  for (std::size_t i = 0; i < question_.entry_columns.size(); ++i) {
    const EntryColumn& column = question_.entry_columns[i];
    if (column.from != EntryColumn::From::aggregate || column.name != made->text) continue;
    // A form that is made of several has one text for all of them.
    const Aggregate& known = *question_.aggregates[column.index];
    if (known.kind == made->kind && same(known.argument, made->argument) && same(known.filter, made->filter))
      return node(i, e, origin);
  }
  EntryColumn column;
  column.from = EntryColumn::From::aggregate;
  column.name = made->text;
  column.type = made->type;
  column.index = question_.aggregates.size();
  question_.aggregates.push_back(std::move(made));
  return node(add_column(std::move(column)), e, origin);
}

NodePtr EntryBinder::window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
  std::unique_ptr<WindowCall> call = windows_.call(e, scope, origin);
  const std::string same = signature(*call);
  for (const WindowUse& use : question_.entry_windows)
    if (signature(*use.call) == same) return node(use.column, e, origin);

  WindowUse use;
  use.where = origin->key;
  each_part(*call, [&](const NodePtr& part) { use.late = use.late || sees_places(*part); });
  EntryColumn column;
  column.from = EntryColumn::From::window;
  column.name = call->text;
  column.type = call->type;
  column.index = question_.entry_windows.size();
  use.call = std::move(call);
  use.column = add_column(std::move(column));
  if (!use.late) question_.windowed.push_back(use.column);
  question_.entry_windows.push_back(std::move(use));
  return node(question_.entry_windows.back().column, e, origin);
}

bool EntryBinder::sees_places(const Node& node) const {
  if (node.op == Op::name) {
    if (node.column <= -2) return true;
    for (const WindowUse& use : question_.entry_windows)
      if (use.late && node.column == static_cast<int>(use.column)) return true;
  }
  return std::any_of(node.args.begin(), node.args.end(), [&](const NodePtr& arg) { return sees_places(*arg); });
}

NodePtr EntryBinder::named(ParsedFormula& formula, const char* what, const Expression& e,
                           const std::shared_ptr<const Origin>& origin) {
  if (formula.state == ParsedFormula::State::open)
    throw Error(
        problem_at(Code::circular, std::string("the ") + what + " " + quoted(e.text) + " needs itself", e, origin));
  return node(formula.column, e, origin);
}

void EntryBinder::bind_named(ParsedFormula& formula, EntryColumn::From from, Scope& scope,
                             std::vector<std::size_t>& order) {
  formula.state = ParsedFormula::State::open;
  EntryColumn column;
  column.from = from;
  column.name = formula.formula->name;
  formula.column = add_column(std::move(column));
  if (formula.expression) {
    NodePtr node = bound(*formula.expression, scope, formula.origin);
    finished(*node);
    question_.entry_columns[formula.column].type = node->type;
    question_.entry_columns[formula.column].node = std::move(node);
    order.push_back(formula.column);
  }
  formula.state = ParsedFormula::State::done;
}

void EntryBinder::bind_total(ParsedFormula& total) {
  EntryScope scope(*this, true, false, "totals", false);
  bind_named(total, EntryColumn::From::total, scope, question_.totals);
}

void EntryBinder::bind_window_value(ParsedFormula& value) {
  EntryScope scope(*this, !row_level(), false, value.origin->key);
  windows_.apart([&] {
    bind_named(value, EntryColumn::From::windowed, scope, question_.windowed);
    return 0;
  });
}

void EntryBinder::bind_totals() {
  for (ParsedFormula& total : totals_)
    if (total.state == ParsedFormula::State::fresh) bind_total(total);
}

void EntryBinder::bind_window_values() {
  for (ParsedFormula& value : window_values_)
    if (value.state == ParsedFormula::State::fresh) bind_window_value(value);
}

NodePtr EntryScope::name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return entries_.name(e, origin, places_, stage_, windows_);
}

NodePtr EntryScope::window(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (!windows_)
    throw Error(problem_at(Code::wrong_stage,
                           "a window over entries sees those that rank.having lets through, too late for " + stage_, e,
                           origin, {}, remedy::name_window()));
  return entries_.window(e, *this, origin);
}

NodePtr EntryScope::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (e.text.starts_with("overall_")) return entries_.rows().overall(e, origin);
  if (entries_.row_level())
    throw Error(problem_at(Code::missing_each,
                           "a total needs a level: which rows does " + quoted(e.text + "(...)") + " take together?", e,
                           origin, {}, remedy::set_each()));
  if (!aggregates_)
    throw Error(problem_at(Code::wrong_stage, quoted(e.text + "(...)") + " cannot be computed in " + stage_, e, origin,
                           {}, remedy::name_total()));
  return entries_.aggregate(e, origin);
}

NodePtr EntryScope::choice(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return entries_.rows().choice(e, origin);
}

const Zone* EntryScope::zone() const { return entries_.rows().zone(); }
int EntryScope::first_month() const { return entries_.rows().first_month(); }

}  // namespace lofty::engine
