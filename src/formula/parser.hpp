#pragma once
// The ISO SQL subset in which formulas, conditions and sort lists are written.
//
//   or; and; not; = <> < <= > >=, between, in, like, is null; + - ||; * /; unary -; literals, names, calls, case, cast
//
// Errors are thrown as Error(Code::syntax) whose place holds the text, the offending bytes and no key: the caller
// knows which key of the ladder the text came from. Linear time; nesting is limited to 200 levels.

#include <string_view>
#include <vector>

#include "formula/expression.hpp"

namespace lofty::engine {

ExpressionPtr parse_expression(std::string_view text);
// "spend desc, shop asc nulls first"
std::vector<SortItem> parse_sort_list(std::string_view text);
// "partition by shop_no order by ordered_on rows between 6 preceding and current row", or a part of it
WindowClause parse_window(std::string_view text);

}  // namespace lofty::engine
