// The rules for writing an aggregate.

#include "question/aggregate_form.hpp"

#include "question/prose.hpp"
#include "rank/moments.hpp"

namespace lofty::engine {

AggregateForm::AggregateForm(const Expression& e, const std::shared_ptr<const Origin>& origin)
    : e_(e), origin_(origin) {
  if (!e.within_group.empty() && !percentile() && !ordered())
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes no order", e, origin));
  if ((percentile() && e.within_group.size() != 1) || (ordered() && e.within_group.empty()))
    throw Error(problem_at(Code::wrong_arguments,
                           quoted(e.text) + (ordered() ? " needs an order: first by what?" : " orders by one key"), e,
                           origin, {},
                           ends()          ? e.text + "(unit_price) within group (order by ordered_on)"
                           : joins_texts() ? "listagg(product, ', ') within group (order by product)"
                                           : e.text + "(0.9) within group (order by amount)"));
  if (e.nulls != NullTreatment::unwritten || e.from_last)
    throw Error(
        problem_at(Code::wrong_arguments, "`ignore nulls` and `from last` go with window functions only", e, origin));
  if (e.args.size() != 1 && !(joins_texts() && e.args.size() == 2))
    throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument", e, origin, {},
                           e.text == "count" ? "count(*)" : e.text + "(amount)"));
  if (star() && e.text != "count")
    throw Error(problem_at(Code::wrong_arguments, "`*` is allowed in count(*) only", *e.args[0], origin));
  if (e.distinct && e.text != "count" && e.text != "sum" && e.text != "avg")
    throw Error(problem_at(Code::wrong_arguments, "`distinct` goes with count, sum and avg", e, origin));
}

void AggregateForm::need_number(const Aggregate& made) const {
  const Kind kind = made.type.kind;
  if (kind == Kind::unknown || made.type.numeric()) return;
  throw Error(
      problem_at(Code::wrong_type,
                 quoted(e_.text) + " takes numbers; " + quoted(made.argument->source()) + " is " + to_string(kind),
                 argument(), origin_));
}

void AggregateForm::set_kind(Aggregate& made) const {
  const bool of_numbers =
      e_.text == "sum" || e_.text == "avg" || e_.text == "median" || e_.text == "percentile_cont" || spread_of(e_.text);
  if (made.argument && of_numbers) take_type(made.argument, {.kind = Kind::integer});
  made.type = made.argument ? made.argument->type : Type{.kind = Kind::integer};
  const Type divided = made.type.exact()
                           ? Type{.kind = Kind::decimal, .scale = std::min(made.type.scale + 6, Decimal::max_digits)}
                           : made.type;

  // The name says which.
  if (e_.text == "count") {
    made.kind = star() ? AggregateKind::count_rows : e_.distinct ? AggregateKind::count_distinct : AggregateKind::count;
    made.type = {.kind = Kind::integer};
  } else if (e_.text == "sum") {
    need_number(made);
    made.kind = e_.distinct ? AggregateKind::sum_distinct : AggregateKind::sum;
  } else if (e_.text == "avg") {
    need_number(made);
    made.kind = e_.distinct ? AggregateKind::average_distinct : AggregateKind::average;
    made.type = divided;
  } else if (e_.text == "median" || e_.text == "percentile_cont") {
    need_number(made);
    made.kind = AggregateKind::percentile_cont;
    if (e_.text == "median") made.fraction = Decimal(5, 1);
    made.type = divided;
  } else if (const auto spread = spread_of(e_.text)) {
    need_number(made);
    const auto type = type_of(*spread, made.type);
    if (!type)
      throw Error(problem_at(Code::wrong_type,
                             "the squares of " + quoted(made.argument->source()) + " have more than 38 decimals",
                             argument(), origin_, {}, "cast(" + made.argument->source() + " as float)"));
    made.kind = spread->root ? AggregateKind::deviation : AggregateKind::variance;
    made.less = spread->less;
    made.type = *type;
  } else if (percentile()) {
    made.kind = AggregateKind::percentile_disc;
  } else if (joins_texts()) {
    if (made.type.kind != Kind::text && made.type.kind != Kind::unknown)
      throw Error(
          problem_at(Code::wrong_type,
                     "`listagg` takes texts; " + quoted(made.argument->source()) + " is " + to_string(made.type.kind),
                     argument(), origin_, {}, "cast(" + made.argument->source() + " as varchar)"));
    made.kind = AggregateKind::joined_texts;
    made.type = {.kind = Kind::text};
  } else if (ends()) {
    made.kind = e_.text == "first_value" ? AggregateKind::first : AggregateKind::last;
  } else {
    made.kind = e_.text == "min" ? AggregateKind::least : AggregateKind::greatest;
  }
}

Decimal fraction_of(const NodePtr& node, const Expression& e, const std::shared_ptr<const Origin>& origin) {
  const auto* const number = node->op == Op::literal ? std::get_if<Decimal>(&node->value) : nullptr;
  if (number != nullptr && number->coefficient() >= 0 && *number <= Decimal(1, 0) && number->scale() <= 15)
    return *number;
  throw Error(problem_at(Code::bad_value, "the fraction is a number between 0 and 1, with 15 decimals at most", e,
                         origin, {}, "0.9, or a choice such as :part"));
}

}  // namespace lofty::engine
