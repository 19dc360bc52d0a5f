// The rules for writing an aggregate.

#include "question/aggregate_form.hpp"

#include "question/prose.hpp"
#include "window/spreads.hpp"

namespace lofty::engine {

AggregateForm::AggregateForm(const Expression& e, const std::shared_ptr<const Origin>& origin)
    : e_(e), info_(*function_in(e.function, CalledIn::totals)), origin_(origin) {
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
                           e.function == Function::count ? "count(*)" : e.text + "(amount)"));
  if (star() && e.function != Function::count)
    throw Error(problem_at(Code::wrong_arguments, "`*` is allowed in count(*) only", *e.args[0], origin));
  if (e.distinct && !info_.distinct)
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
  if (made.argument && info_.numbers) take_type(made.argument, {.kind = Kind::integer});
  made.type = made.argument ? made.argument->type : Type{.kind = Kind::integer};
  const Type divided = made.type.exact()
                           ? Type{.kind = Kind::decimal, .scale = std::min(made.type.scale + 6, Decimal::max_digits)}
                           : made.type;
  if (info_.numbers) need_number(made);
  switch (e_.function) {
    case Function::count:
      made.kind = star()        ? AggregateKind::count_rows
                  : e_.distinct ? AggregateKind::count_distinct
                                : AggregateKind::count;
      made.type = {.kind = Kind::integer};
      break;
    case Function::sum: made.kind = e_.distinct ? AggregateKind::sum_distinct : AggregateKind::sum; break;
    case Function::average:
      made.kind = e_.distinct ? AggregateKind::average_distinct : AggregateKind::average;
      made.type = divided;
      break;
    case Function::median: made.fraction = Decimal(5, 1); [[fallthrough]];
    case Function::percentile_cont:
      made.kind = AggregateKind::percentile_cont;
      made.type = divided;
      break;
    case Function::percentile_disc: made.kind = AggregateKind::percentile_disc; break;
    case Function::listagg:
      need_text(made);
      made.kind = AggregateKind::joined_texts;
      made.type = {.kind = Kind::text};
      break;
    case Function::first_value: made.kind = AggregateKind::first; break;
    case Function::last_value: made.kind = AggregateKind::last; break;
    case Function::minimum: made.kind = AggregateKind::least; break;
    case Function::maximum: made.kind = AggregateKind::greatest; break;
    default: set_spread(made);
  }
}

void AggregateForm::need_text(const Aggregate& made) const {
  if (made.type.kind == Kind::text || made.type.kind == Kind::unknown) return;
  throw Error(
      problem_at(Code::wrong_type,
                 "`listagg` takes texts; " + quoted(made.argument->source()) + " is " + to_string(made.type.kind),
                 argument(), origin_, {}, "cast(" + made.argument->source() + " as varchar)"));
}

void AggregateForm::set_spread(Aggregate& made) const {
  const Spread spread = spread_of(e_.function);
  const auto type = type_of(spread, made.type);
  if (!type)
    throw Error(problem_at(Code::wrong_type,
                           "the squares of " + quoted(made.argument->source()) + " have more than 38 decimals",
                           argument(), origin_, {}, "cast(" + made.argument->source() + " as float)"));
  made.kind = spread.root ? AggregateKind::deviation : AggregateKind::variance;
  made.less = spread.less;
  made.type = *type;
}

Decimal fraction_of(const NodePtr& node, const Expression& e, const std::shared_ptr<const Origin>& origin) {
  const auto* const number = node->op == Op::literal ? std::get_if<Decimal>(&node->value) : nullptr;
  if (number != nullptr && number->coefficient() >= 0 && *number <= Decimal(1, 0) && number->scale() <= 15)
    return *number;
  throw Error(problem_at(Code::bad_value, "the fraction is a number between 0 and 1, with 15 decimals at most", e,
                         origin, {}, "0.9, or a choice such as :part"));
}

}  // namespace lofty::engine
