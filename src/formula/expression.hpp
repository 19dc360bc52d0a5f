#pragma once
// What a formula says, before anybody knows the tables: the parser's result.
// Covered by tests/formula/parser_test.cpp.

#include <memory>
#include <string>
#include <vector>

#include "lofty/value.hpp"

namespace lofty::engine {

enum class Op : std::uint8_t {
  literal,   // value
  null,      // the word null
  interval,  // text = unit, value = count
  name,      // qualifier, text, quoted
  choice,    // :text
  star,      // the * of count(*)
  negate,
  add,
  subtract,
  multiply,
  divide,
  concatenate,
  equal,
  unequal,
  less,
  less_equal,
  greater,
  greater_equal,
  logical_and,
  logical_or,
  logical_not,
  between,    // args: value, low, high; `negated`
  in_list,    // args: value, candidates...; `negated`
  like,       // args: value, pattern[, escape]; `negated`
  is_null,    // args: value; `negated`
  is_truth,   // args: value; text = "true" | "false" | "unknown"; `negated`
  case_when,  // args: (condition, result)..., [otherwise]
  cast,       // args: value; type
  extract,    // args: value; text = field
  call,       // text = function (folded), args; `distinct`, `filter`
  days_of,    // (a - b) day
};

struct Expression {
  Op op = Op::null;
  std::size_t begin = 0, end = 0;  // bytes of the formula's text
  std::string text;                // folded for words and functions, as written for names
  std::string qualifier;
  bool quoted = false, negated = false, distinct = false;
  Value value;
  Type type;
  std::vector<std::unique_ptr<Expression>> args;
  std::unique_ptr<Expression> filter;  // of an aggregate
};

using ExpressionPtr = std::unique_ptr<Expression>;

// One key of a sort list.
struct SortItem {
  ExpressionPtr expression;
  bool direction_written = false;
  bool descending = false;
  bool nulls_written = false;
  bool nulls_first = false;
};

ExpressionPtr copy(const Expression& expression);

}  // namespace lofty::engine
