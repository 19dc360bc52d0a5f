// Resolving a ladder: figures, conditions and totals.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>
#include <functional>

#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/nearest.hpp"

namespace lofty::engine {

NodePtr Resolver::overall(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (e.args.size() != 1 || e.args[0]->op == Op::star || e.distinct || e.filter)
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument, and no filter", e, origin, {},
                           e.text + "(ordered_on)"));
  RowScope scope(*this, false, "the inside of " + e.text);
  const std::string before = std::exchange(without_windows_, "the inside of " + e.text);
  NodePtr argument = bound(*e.args[0], scope, origin);
  without_windows_ = before;
  if (argument->type.kind == Kind::text || argument->type.kind == Kind::boolean)
    throw Error(
        problem_at(Code::wrong_type, quoted(e.text) + " takes a number, a date or a timestamp", *e.args[0], origin));
  NodePtr literal = make_literal(std::monostate{}, argument->type, e, origin);
  const std::string text = origin->text.substr(e.begin, e.end - e.begin);
  std::size_t index = 0;
  while (index < question_.overalls.size() && question_.overalls[index]->text != text) ++index;
  if (index == question_.overalls.size()) {
    auto made = std::make_unique<Overall>();
    made->greatest = e.text == "overall_max";
    question_.slots = finish(*argument, question_.slots);
    made->argument = std::move(argument);
    made->text = text;
    question_.overalls.push_back(std::move(made));
  }
  if (!origin->key.starts_with("periods.")) question_.overalls[index]->written = true;
  literal->overall = static_cast<int>(index);
  return literal;
}

NodePtr Resolver::bind_figure(Parsed& figure, bool report) {
  if (!figure.expression) return make_unknown(name_expression(figure.formula->name), figure.origin);
  if (figure.state == State::fresh) {
    figure.state = State::open;
    RowScope scope(*this, true, "figures");
    const bool inside = std::exchange(inside_window_, false);  // a name of its own makes it another one's input
    figure.node = engine::bind(*figure.expression, scope, figure.origin, figure.problems);
    inside_window_ = inside;
    figure.state = State::done;
  } else {
    figure.node->shared = true;
  }
  for (const Problem& p : figure.problems) {
    // A circle is met again from each of its figures; one mention is enough.
    const bool circle = p.code == Code::circular;
    if (circle ? !circle_said_ : report) add(p);
    circle_said_ = circle_said_ || circle;
  }
  // A null takes its type from where it is used, so each use has a node of its own.
  if (figure.node->op == Op::null) return std::make_shared<Node>(*figure.node);
  return figure.node;
}

bool Resolver::mentions_overall(const Node& node) {
  bool found = false;
  each_node_below(node, [&](const Node& at) { found = found || at.overall >= 0; });
  return found;
}

void Resolver::bind_where() {
  if (ladder_.where.empty()) return;
  const auto origin = std::make_shared<Origin>(Origin{"rows.where", ladder_.where});
  ExpressionPtr whole;
  try {
    whole = parse_expression(ladder_.where);
  } catch (const Error& error) {
    return add(error, "rows.where");
  }
  without_windows_ = "rows.where";
  // The top-level terms, in their order.
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
          "rows.where needs a condition; " + quoted(node->source()) + " is " + kind_name(node->type.kind), e, origin));
    for (Problem& p : found) add(std::move(p));
    question_.slots = finish(*node, question_.slots);
    (mentions_overall(*node) || mentions_period(e) ? question_.where_last : question_.where_first)
        .push_back(std::move(node));
  };
  walk(*whole);
  without_windows_.clear();
}

std::size_t Resolver::add_entry_column(EntryColumn column) {
  if (column.node && column.from != EntryColumn::From::total && column.from != EntryColumn::From::windowed)
    question_.slots = finish(*column.node, question_.slots);
  question_.entry_columns.push_back(std::move(column));
  return question_.entry_columns.size() - 1;
}

NodePtr Resolver::entry_node(std::size_t index, const Expression& e, const std::shared_ptr<const Origin>& origin) {
  return make_column(static_cast<int>(index), question_.entry_columns[index].type, e, origin);
}

NodePtr Resolver::entry_name(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places,
                             const std::string& stage, bool windows) {
  if (Parsed* const window = find_named(windows_, e); window != nullptr) {
    if (!windows) fail_if_windowed(e, origin, stage);
    return windowed(*window, e, origin);
  }
  if (Parsed* total = find_named(totals_, e); total != nullptr && !question_.row_level()) {
    if (total->state == State::open)
      throw Error(problem_at(Code::circular, "the total " + quoted(e.text) + " needs itself", e, origin));
    if (total->state == State::fresh) bind_total(*total);
    return entry_node(total->column, e, origin);
  }
  if (question_.row_level() && level_ > 0 && find_named(totals_, e) != nullptr)
    throw Error(problem_at(Code::wrong_stage,
                           quoted(e.text) + " is a total, and the entries of this level are single rows", e, origin, {},
                           "a column or a figure"));
  const auto names = place_names();
  for (std::size_t i = 0; i < names.size() && e.qualifier.empty(); ++i) {
    if (!equal_folded(names[i], e.text)) continue;
    if (!places)
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                             origin));
    // Place columns stand behind the entries' columns, whose number is not yet final: a negative number for now.
    NodePtr node = make_column(-2 - static_cast<int>(i), place_type(i), e, origin);
    return node;
  }
  NodePtr row;
  try {
    row = row_name(e, origin);
  } catch (const Error& error) {
    if (error.code() == Code::unknown_column && e.qualifier.empty())
      throw Error(no_column(e, origin, tables_.size(), true, places));
    throw;
  }
  const std::string name = e.qualifier.empty() ? canonical_name(*row, e) : e.qualifier + "." + e.text;
  for (std::size_t i = 0; i < question_.entry_columns.size(); ++i) {
    const EntryColumn& column = question_.entry_columns[i];
    if (column.name == name && (column.from == EntryColumn::From::key || column.from == EntryColumn::From::carried ||
                                column.from == EntryColumn::From::row))
      return entry_node(i, e, origin);
  }
  EntryColumn column;
  column.from = question_.row_level() ? EntryColumn::From::row : EntryColumn::From::carried;
  column.name = name;
  column.type = row->type;
  column.determined = is_determined(*row) && !may_be_let_in(*row);
  column.node = std::move(row);
  return entry_node(add_entry_column(std::move(column)), e, origin);
}

bool Resolver::may_be_let_in(const Node& row) const {
  const std::size_t table = question_.row_columns[static_cast<std::size_t>(row.column)].table;
  return std::any_of(question_.joins.begin(), question_.joins.end(), [&](const JoinUse& join) {
    return join.table == table && (join.kind == JoinKind::right || join.kind == JoinKind::full);
  });
}

bool Resolver::is_determined(const Node& row) const {
  if (row.op != Op::name || row.column < 0) return false;
  const RowColumn& at = question_.row_columns[static_cast<std::size_t>(row.column)];
  if (at.of_window()) return false;
  for (const JoinUse& join : question_.joins) {
    if (join.table != at.table || join.on.empty()) continue;
    std::vector<std::size_t> keys = question_.each;  // an entry has one value of each of these
    keys.insert(keys.end(), question_.within.begin(), question_.within.end());
    return std::all_of(join.on.begin(), join.on.end(), [&](const JoinUse::Pair& pair) {
      return std::any_of(keys.begin(), keys.end(), [&](std::size_t key) {
        if (key >= question_.entry_columns.size()) return false;
        const Node& node = *question_.entry_columns[key].node;
        return node.op == Op::name && node.column >= 0 &&
               question_.row_columns[static_cast<std::size_t>(node.column)] ==
                   RowColumn{pair.left_table, pair.left_column};
      });
    });
  }
  return false;
}

Type Resolver::place_type(std::size_t index) const {
  if (index > question_.level->also.size()) index = 0;  // was and moved are places, and differences of them
  if (index > 0) {
    const Also& also = question_.level->also[index - 1];
    if (also.measure == Measure::percent_rank || also.measure == Measure::cumulative_distribution)
      return {.kind = Kind::decimal, .scale = 6};  // a division of counts
    if (also.measure == Measure::share || also.measure == Measure::running_share) {
      if (index > question_.also.size() || question_.also[index - 1].of < 0) return {};
      const Type of = question_.entry_columns[static_cast<std::size_t>(question_.also[index - 1].of)].type;
      return of.exact() ? Type{.kind = Kind::decimal, .scale = std::min(of.scale + 6, Decimal::max_digits)} : of;
    }
    if (also.measure == Measure::tiers) return {.kind = Kind::integer};
  }
  const Ties ties = index == 0 ? question_.level->ties : question_.level->also[index - 1].ties;
  return ties == Ties::fractional ? Type{.kind = Kind::decimal, .scale = 1} : Type{.kind = Kind::integer};
}

NodePtr Resolver::aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  auto made = std::make_unique<Aggregate>();
  const bool percentile = e.text == "percentile_cont" || e.text == "percentile_disc";
  const bool ends = e.text == "first" || e.text == "last";
  if (!e.within_group.empty() && !percentile && !ends)
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes no order", e, origin));
  if ((percentile && e.within_group.size() != 1) || (ends && e.within_group.empty()))
    throw Error(problem_at(
        Code::wrong_arguments, quoted(e.text) + (ends ? " needs an order: first by what?" : " orders by one key"), e,
        origin, {},
        ends ? e.text + "(unit_price order by ordered_on)" : e.text + "(0.9) within group (order by amount)"));
  if (e.nulls != NullTreatment::unwritten || e.from_last)
    throw Error(
        problem_at(Code::wrong_arguments, "`ignore nulls` and `from last` go with window functions only", e, origin));
  if (e.args.size() != 1)
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument", e, origin, {},
                           e.text == "count" ? "count(*)" : e.text + "(amount)"));
  RowScope scope(*this, true, "the inside of " + e.text + "(...)");
  const bool star = e.args[0]->op == Op::star;
  if (star && e.text != "count")
    throw Error(problem_at(Code::wrong_arguments, "`*` stands only in count(*)", *e.args[0], origin));
  if (e.distinct && e.text != "count")
    throw Error(problem_at(Code::not_in_this_version, "`distinct` goes with count only in this version", e, origin));
  const Expression& argued = percentile ? *e.within_group.front().expression : *e.args[0];
  if (!star) made->argument = bound(argued, scope, origin);
  if (percentile) {
    made->fraction = fraction_of(*e.args[0], scope, origin);
    made->descending = e.within_group.front().descending;
  }
  if (ends)
    for (const SortItem& item : e.within_group) {
      std::vector<Problem> found;
      made->order.push_back(sort_key(item, origin->text, scope, origin, found));
      for (Problem& p : found) add(std::move(p));
    }
  if (e.filter) {
    made->filter = bound(*e.filter, scope, origin);
    if (made->filter->type.kind != Kind::boolean && made->filter->type.kind != Kind::unknown)
      throw Error(problem_at(Code::wrong_type, "the filter is not a condition", *e.filter, origin));
    question_.slots = finish(*made->filter, question_.slots);
  }
  const Type type = made->argument ? made->argument->type : Type{.kind = Kind::integer};
  const bool known = type.kind != Kind::unknown;
  const auto need_number = [&] {
    if (known && !type.numeric())
      throw Error(problem_at(
          Code::wrong_type,
          quoted(e.text) + " takes numbers; " + quoted(made->argument->source()) + " is " + kind_name(type.kind),
          argued, origin));
  };
  made->type = type;
  if (e.text == "count") {
    made->kind = star ? AggregateKind::count_rows : e.distinct ? AggregateKind::count_distinct : AggregateKind::count;
    made->type = {.kind = Kind::integer};
  } else if (e.text == "sum") {
    need_number();
    made->kind = AggregateKind::sum;
  } else if (e.text == "avg") {
    need_number();
    made->kind = AggregateKind::average;
    if (type.exact()) made->type = {.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)};
  } else if (e.text == "median" || e.text == "percentile_cont") {
    need_number();
    made->kind = AggregateKind::percentile_cont;
    if (!percentile) made->fraction = Decimal(5, 1);
    if (type.exact()) made->type = {.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)};
  } else if (percentile) {
    made->kind = AggregateKind::percentile_disc;
  } else if (ends) {
    made->kind = e.text == "first" ? AggregateKind::first : AggregateKind::last;
  } else {
    made->kind = e.text == "min" ? AggregateKind::least : AggregateKind::greatest;
  }
  if (made->argument) question_.slots = finish(*made->argument, question_.slots);
  made->text = origin->text.substr(e.begin, e.end - e.begin);
  EntryColumn column;
  column.from = EntryColumn::From::aggregate;
  column.name = made->text;
  column.type = made->type;
  for (std::size_t i = 0; i < question_.entry_columns.size(); ++i)  // written twice, worked out once
    if (question_.entry_columns[i].from == EntryColumn::From::aggregate &&
        question_.entry_columns[i].name == made->text)
      return entry_node(i, e, origin);
  column.index = question_.aggregates.size();
  question_.aggregates.push_back(std::move(made));
  return entry_node(add_entry_column(std::move(column)), e, origin);
}

Decimal Resolver::fraction_of(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
  const NodePtr node = bound(e, scope, origin);
  const auto* const number = node->op == Op::literal ? std::get_if<Decimal>(&node->value) : nullptr;
  if (number != nullptr && number->coefficient() >= 0 && *number <= Decimal(1, 0) && number->scale() <= 15)
    return *number;
  throw Error(problem_at(Code::bad_value, "the fraction is a number between 0 and 1, with 15 decimals at most", e,
                         origin, {}, "0.9, or a choice such as :part"));
}

void Resolver::bind_total(Parsed& total) {
  total.state = State::open;
  EntryColumn column;
  column.from = EntryColumn::From::total;
  column.name = total.formula->name;
  total.column = add_entry_column(std::move(column));
  if (total.expression) {
    std::vector<Problem> found;
    EntryScope scope(*this, true, false, "totals", false);
    NodePtr node = engine::bind(*total.expression, scope, total.origin, found);
    for (Problem& p : found) add(std::move(p));
    question_.slots = finish(*node, question_.slots);
    question_.entry_columns[total.column].type = node->type;
    question_.entry_columns[total.column].node = std::move(node);
    question_.totals.push_back(total.column);
  }
  total.state = State::done;
}

}  // namespace lofty::engine
