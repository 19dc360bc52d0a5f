// Calls, with the clauses that may follow their brackets.
// Covered by tests/formula/parser_test.cpp.

#include "formula/functions.hpp"
#include "formula/grammar.hpp"
#include "lofty/retired_names.hpp"

namespace lofty::engine::grammar {

namespace {

// An order is written after the brackets, in `within group (...)`. An earlier version had it inside for two functions.
[[noreturn]] void refuse_order_inside(const LexemeReader& in, const Expression& call) {
  if (const auto now = current_name(call.text + "()"))
    in.fail("`" + call.text + "(x order by ...)` is now `" + std::string(*now) + "`");
  in.fail("the order of `" + call.text + "` is written after its brackets",
          call.text + "(...) within group (order by ...)");
}

// Arguments with words between them have no commas.
void refuse_comma(const LexemeReader& in, const std::string& function) {
  if (!in.at_sign(",")) return;
  in.fail("`" + function + "` has words between its arguments, as ISO SQL writes it",
          std::string(find_row_function(function)->signature));
}

// [both | leading | trailing] [characters] from
void trim_arguments(LexemeReader& in, Expression& trim) {
  if (!in.at_word("both") && !in.at_word("leading") && !in.at_word("trailing")) {
    trim.args.push_back(sum(in));
    return;
  }
  const std::string side = in.take().folded;
  if (side != "both") set_function(trim, "trim_" + side);
  ExpressionPtr characters;
  if (!in.at_word("from")) characters = sum(in);
  in.expect_word("from");
  trim.args.push_back(sum(in));
  if (characters) trim.args.push_back(std::move(characters));
}

}  // namespace

// substring(x from 2 for 3), position('a' in x), trim(both ' ' from x)
ExpressionPtr worded_call(LexemeReader& in) {
  ExpressionPtr expression = make(Op::call, in.here().begin);
  const std::string function = in.take().folded;
  set_function(*expression, function);
  in.expect_sign("(");
  if (function == "trim") {
    trim_arguments(in, *expression);
  } else {
    const bool position = function == "position";
    expression->args.push_back(sum(in));
    refuse_comma(in, function);
    if (!in.accept_word(position ? "in" : "from"))
      in.fail(std::string("expected `") + (position ? "in" : "from") + "`, " + in.found(),
              std::string(find_row_function(function)->signature));
    expression->args.push_back(sum(in));
    refuse_comma(in, function);
    if (!position && in.accept_word("for")) expression->args.push_back(sum(in));
  }
  refuse_comma(in, function);
  in.expect_sign(")");
  return close(in, std::move(expression));
}

ExpressionPtr call(LexemeReader& in) {
  ExpressionPtr expression = make(Op::call, in.here().begin);
  set_function(*expression, in.take().folded);
  in.expect_sign("(");

  // The arguments.
  if (in.at_sign("*")) {
    ExpressionPtr star = make(Op::star, in.take().begin);
    expression->args.push_back(close(in, std::move(star)));
  } else if (!in.at_sign(")")) {
    expression->distinct = in.accept_word("distinct");
    do {
      expression->args.push_back(disjunction(in));
    } while (in.accept_sign(","));
    if (in.at_word("order") && in.word_ahead("by")) refuse_order_inside(in, *expression);
  }
  in.expect_sign(")");

  // Clauses after the brackets, in the standard's order.
  if (in.at_word("within") && in.word_ahead("group")) {
    in.skip(2);
    in.expect_sign("(");
    in.expect_word("order");
    in.expect_word("by");
    do expression->within_group.push_back(sort_item(in));
    while (in.accept_sign(","));
    in.expect_sign(")");
  }
  if (in.at_word("filter") && in.ahead(1).token == Token::sign && in.ahead(1).text == "(") {
    in.take();
    in.expect_sign("(");
    in.expect_word("where");
    expression->filter = disjunction(in);
    in.expect_sign(")");
  }
  if (in.at_word("from") && (in.word_ahead("first") || in.word_ahead("last"))) {
    in.take();
    expression->from_last = in.take().folded == "last";
  }
  if ((in.at_word("ignore") || in.at_word("respect")) && in.word_ahead("nulls")) {
    expression->nulls = in.take().folded == "ignore" ? NullTreatment::ignore : NullTreatment::respect;
    in.take();
  }

  // The window.
  if (in.at_word("over")) {
    const std::size_t begin = in.take().begin;
    if (in.accept_sign("(")) {
      expression->over = std::make_unique<WindowClause>(window_clause(in));
      in.expect_sign(")");
    } else {
      if (in.here().token != Token::word && in.here().token != Token::quoted_name)
        in.fail("expected a window after `over`, " + in.found(), "over (partition by shop_no order by ordered_on)");
      expression->over = std::make_unique<WindowClause>(base_window(in));
      expression->over->bare = true;
    }
    expression->over->begin = begin;
    expression->over->end = in.last_end();
  }
  return standard_form(in, close(in, std::move(expression)));
}

}  // namespace lofty::engine::grammar
