#pragma once
// What a formula says, before the tables are known: the parser's result.
// Covered by tests/formula/parser_test.cpp.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "formula/functions.hpp"
#include "lofty/frame.hpp"
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

// The size of a type that a value is cast to; zeros: any.
struct CastSize {
  int characters = 0;  // of a text, which is cut
  int digits = 0;      // of a decimal, all of them
  int bits = 0;        // of an integer, its sign included
};

struct Expression;
using ExpressionPtr = std::unique_ptr<Expression>;

// One key of a sort list.
struct SortItem {
  ExpressionPtr expression;
  bool direction_written = false;
  bool descending = false;
  bool nulls_written = false;
  bool nulls_first = false;
};

// rows between 6 preceding and current row exclude ties
struct FrameClause {
  struct End {
    Edge edge = Edge::current_row;
    ExpressionPtr distance;  // for `preceding` and `following`
    std::size_t begin = 0, end = 0;
  };
  FrameUnit unit = FrameUnit::range;
  End from, to;
  Excluded excluded = Excluded::no_others;
  std::size_t begin = 0, end = 0;
};

// What follows `over`, or in [named_windows].
struct WindowClause {
  std::string base;                          // the named window that this one builds on; empty: none
  std::size_t base_begin = 0, base_end = 0;  // of its name
  bool bare = false;                         // over NAME, without brackets
  std::vector<ExpressionPtr> partition;
  std::vector<SortItem> order;
  std::optional<FrameClause> frame;
  std::size_t begin = 0, end = 0;
};

enum class NullTreatment : std::uint8_t { unwritten, respect, ignore };

struct Expression {
  Op op = Op::null;
  std::size_t begin = 0, end = 0;      // bytes of the formula's text
  std::string text;                    // folded for words and functions, as written for names
  Function function = Function::none;  // of Op::call
  std::string qualifier;
  bool quoted = false, negated = false, distinct = false;
  Value value;
  Type type;
  CastSize size;  // Op::cast
  std::vector<std::unique_ptr<Expression>> args;
  ExpressionPtr filter;                // of an aggregate
  std::vector<SortItem> within_group;  // of percentile_cont and percentile_disc; of first and last: their order
  std::unique_ptr<WindowClause> over;
  NullTreatment nulls = NullTreatment::unwritten;
  bool from_last = false;  // nth_value
};

ExpressionPtr copy(const Expression& expression);
SortItem copy(const SortItem& item);
WindowClause copy(const WindowClause& clause);

}  // namespace lofty::engine
