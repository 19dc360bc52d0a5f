// The entrances of the grammar: each reads its text to the end.
// Covered by tests/formula/parser_test.cpp.

#include "formula/parser.hpp"

#include "formula/grammar.hpp"

namespace lofty::engine {

ExpressionPtr parse_expression(std::string_view text) {
  LexemeReader in(text);
  if (in.here().token == Token::end)
    in.fail("the formula is empty", "write a name or a sum of names, like quantity * unit_price");
  ExpressionPtr expression = grammar::disjunction(in);
  in.expect_end();
  return expression;
}

std::vector<SortItem> parse_sort_list(std::string_view text) {
  LexemeReader in(text);
  std::vector<SortItem> items;
  if (in.here().token == Token::end) in.fail("the sort list is empty", "write a name and a direction, like spend desc");
  do {
    items.push_back(grammar::sort_item(in));
  } while (in.accept_sign(","));
  in.expect_end();
  return items;
}

WindowClause parse_window(std::string_view text) {
  LexemeReader in(text);
  if (in.here().token == Token::end) in.fail("the window is empty", "partition by shop_no order by ordered_on");
  WindowClause clause = grammar::window_clause(in);
  in.expect_end();
  return clause;
}

}  // namespace lofty::engine
