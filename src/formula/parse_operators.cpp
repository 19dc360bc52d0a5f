// The operators of the grammar: or, and, not, comparisons, sums, products, signs; and the items of a sort list.
// Covered by tests/formula/parser_test.cpp.

#include <array>

#include "base/folded.hpp"
#include "formula/grammar.hpp"

namespace lofty::engine::grammar {

ExpressionPtr make(Op op, std::size_t begin) {
  auto expression = std::make_unique<Expression>();
  expression->op = op;
  expression->begin = begin;
  return expression;
}

ExpressionPtr close(const LexemeReader& in, ExpressionPtr expression) {
  expression->end = in.last_end();
  return expression;
}

namespace {

ExpressionPtr factor(LexemeReader& in) {
  const LexemeReader::Nesting nesting(in);
  const std::size_t begin = in.here().begin;
  if (in.accept_sign("-")) return make(in, Op::negate, begin, factor(in));
  if (in.accept_sign("+")) return factor(in);
  return primary(in);
}

ExpressionPtr product(LexemeReader& in) {
  const std::size_t begin = in.here().begin;
  ExpressionPtr left = factor(in);
  for (;;) {
    if (in.accept_sign("*"))
      left = make(in, Op::multiply, begin, std::move(left), factor(in));
    else if (in.accept_sign("/"))
      left = make(in, Op::divide, begin, std::move(left), factor(in));
    else
      return left;
  }
}

}  // namespace

ExpressionPtr sum(LexemeReader& in) {
  const std::size_t begin = in.here().begin;
  ExpressionPtr left = product(in);
  for (;;) {
    if (in.accept_sign("+"))
      left = make(in, Op::add, begin, std::move(left), product(in));
    else if (in.accept_sign("-"))
      left = make(in, Op::subtract, begin, std::move(left), product(in));
    else if (in.accept_sign("||"))
      left = make(in, Op::concatenate, begin, std::move(left), product(in));
    else
      return left;
  }
}

namespace {

ExpressionPtr truth_test(LexemeReader& in, std::size_t begin, ExpressionPtr left) {
  const bool negated = in.accept_word("not");
  ExpressionPtr test;
  if (in.at_word("distinct") && in.word_ahead("from")) {
    in.skip(2);
    ExpressionPtr right = sum(in);
    test = is_distinct_from(in, begin, std::move(left), std::move(right));
    return negated ? make(in, Op::logical_not, begin, std::move(test)) : std::move(test);
  }
  if (in.accept_word("null")) {
    test = make(in, Op::is_null, begin, std::move(left));
  } else if (in.at_word("true") || in.at_word("false") || in.at_word("unknown")) {
    const std::string word = in.take().folded;
    test = make(in, Op::is_truth, begin, std::move(left));
    test->text = word;
  } else {
    in.fail("expected `null`, `true`, `false`, `unknown` or `distinct from` after `is`, " + in.found());
  }
  test->negated = negated;
  return test;
}

ExpressionPtr in_list(LexemeReader& in, std::size_t begin, ExpressionPtr left) {
  in.expect_sign("(");
  ExpressionPtr list = make(Op::in_list, begin);
  list->args.push_back(std::move(left));
  if (in.at_sign(")")) in.fail("the list is empty", "in ('paid', 'open')");
  do {
    list->args.push_back(disjunction(in));
  } while (in.accept_sign(","));
  in.expect_sign(")");
  return close(in, std::move(list));
}

ExpressionPtr predicate(LexemeReader& in) {
  const std::size_t begin = in.here().begin;
  ExpressionPtr left = sum(in);
  for (;;) {
    static constexpr std::array<std::pair<std::string_view, Op>, 6> comparisons = {{{"=", Op::equal},
                                                                                    {"<>", Op::unequal},
                                                                                    {"<=", Op::less_equal},
                                                                                    {">=", Op::greater_equal},
                                                                                    {"<", Op::less},
                                                                                    {">", Op::greater}}};
    bool compared = false;
    for (const auto& [sign, op] : comparisons) {
      if (!in.accept_sign(sign)) continue;
      left = make(in, op, begin, std::move(left), sum(in));
      compared = true;
      break;
    }
    if (compared) continue;

    // What follows `is`, and what may have `not` before it.
    if (in.accept_word("is")) {
      left = truth_test(in, begin, std::move(left));
      continue;
    }
    const bool negated = in.at_word("not") && in.ahead(1).token == Token::word;
    if (negated) in.take();
    if (in.accept_word("between")) {
      const bool symmetric = in.accept_word("symmetric");
      if (!symmetric) in.accept_word("asymmetric");
      ExpressionPtr low = sum(in);
      in.expect_word("and");
      ExpressionPtr high = sum(in);
      if (symmetric) {
        left = between_symmetric(in, begin, std::move(left), std::move(low), std::move(high));
        if (negated) left = make(in, Op::logical_not, begin, std::move(left));
        continue;
      }
      left = make(in, Op::between, begin, std::move(left), std::move(low), std::move(high));
    } else if (in.accept_word("in")) {
      left = in_list(in, begin, std::move(left));
    } else if (in.accept_word("like")) {
      left = make(in, Op::like, begin, std::move(left), sum(in));
      if (in.accept_word("escape")) left->args.push_back(sum(in));
    } else if (negated) {
      in.fail("expected `between`, `in` or `like` after `not`, " + in.found());
    } else {
      return left;
    }
    left->negated = negated;
    left = close(in, std::move(left));
  }
}

ExpressionPtr negation(LexemeReader& in) {
  const std::size_t begin = in.here().begin;
  std::size_t nots = 0;
  while (in.accept_word("not")) ++nots;
  ExpressionPtr inside = predicate(in);
  for (; nots > 0; --nots) inside = make(in, Op::logical_not, begin, std::move(inside));
  return inside;
}

ExpressionPtr conjunction(LexemeReader& in) {
  const std::size_t begin = in.here().begin;
  ExpressionPtr left = negation(in);
  while (in.accept_word("and")) left = make(in, Op::logical_and, begin, std::move(left), negation(in));
  return left;
}

}  // namespace

ExpressionPtr disjunction(LexemeReader& in) {
  const LexemeReader::Nesting nesting(in);
  const std::size_t begin = in.here().begin;
  ExpressionPtr left = conjunction(in);
  while (in.accept_word("or")) left = make(in, Op::logical_or, begin, std::move(left), conjunction(in));
  return left;
}

SortItem sort_item(LexemeReader& in) {
  SortItem item;
  item.expression = disjunction(in);
  if (in.at_word("asc") || in.at_word("desc")) {
    item.direction_written = true;
    item.descending = in.take().folded == "desc";
  } else if (in.here().token == Token::word && !in.at_word("nulls") && !at_unit(in)) {
    static const std::vector<std::string> words = {"asc", "desc", "nulls", "ascending", "descending"};
    std::string nearest = nearest_word(in.here().folded, words);
    if (nearest.size() > 5) nearest.resize(nearest[0] == 'a' ? 3 : 4);
    in.fail("expected a direction, " + in.found(), "asc or desc", nearest);
  }
  if (in.accept_word("nulls")) {
    item.nulls_written = true;
    if (!in.at_word("first") && !in.at_word("last")) in.fail("expected `first` or `last` after `nulls`, " + in.found());
    item.nulls_first = in.take().folded == "first";
  }
  return item;
}

}  // namespace lofty::engine::grammar
