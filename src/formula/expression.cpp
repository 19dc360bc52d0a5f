// Copies of parsed formulas.
// Covered by tests/formula/parser_test.cpp.

#include "formula/expression.hpp"

namespace lofty::engine {

ExpressionPtr copy(const Expression& from) {
  auto to = std::make_unique<Expression>();
  to->op = from.op;
  to->begin = from.begin;
  to->end = from.end;
  to->text = from.text;
  to->function = from.function;
  to->qualifier = from.qualifier;
  to->quoted = from.quoted;
  to->negated = from.negated;
  to->distinct = from.distinct;
  to->value = from.value;
  to->type = from.type;
  for (const ExpressionPtr& arg : from.args) to->args.push_back(copy(*arg));
  if (from.filter) to->filter = copy(*from.filter);
  for (const SortItem& item : from.within_group) to->within_group.push_back(copy(item));
  if (from.over) to->over = std::make_unique<WindowClause>(copy(*from.over));
  to->nulls = from.nulls;
  to->from_last = from.from_last;
  return to;
}

SortItem copy(const SortItem& from) {
  return {copy(*from.expression), from.direction_written, from.descending, from.nulls_written, from.nulls_first};
}

WindowClause copy(const WindowClause& from) {
  WindowClause to;
  to.base = from.base;
  to.base_begin = from.base_begin;
  to.base_end = from.base_end;
  to.bare = from.bare;
  for (const ExpressionPtr& part : from.partition) to.partition.push_back(copy(*part));
  for (const SortItem& item : from.order) to.order.push_back(copy(item));
  if (from.frame) {
    const auto end = [](const FrameClause::End& e) {
      return FrameClause::End{e.edge, e.distance ? copy(*e.distance) : nullptr, e.begin, e.end};
    };
    to.frame = FrameClause{from.frame->unit,     end(from.frame->from), end(from.frame->to),
                           from.frame->excluded, from.frame->begin,     from.frame->end};
  }
  to.begin = from.begin;
  to.end = from.end;
  return to;
}

}  // namespace lofty::engine
