#pragma once
// The rules of the grammar that other rules call across files, one function each. parser.hpp has the entrances.
//
// A rule reads from where the reader is, and leaves it at the first lexeme that is not its own.

#include "formula/expression.hpp"
#include "formula/lexeme_reader.hpp"

namespace lofty::engine::grammar {

// ---- operators (parse_operators.cpp), from the loosest to the tightest
ExpressionPtr disjunction(LexemeReader& in);  // a whole formula
ExpressionPtr sum(LexemeReader& in);          // without comparisons: what `between ... and ...` takes
SortItem sort_item(LexemeReader& in);         // spend desc nulls first

// ---- what operators join (parse_values.cpp)
ExpressionPtr primary(LexemeReader& in);
bool is_reserved(const std::string& word);  // no column is called so, unless it is quoted

// ---- calls (parse_calls.cpp)
ExpressionPtr call(LexemeReader& in);         // sum(amount) filter (where ...) over (...)
ExpressionPtr worded_call(LexemeReader& in);  // trim(both ' ' from x)

// ---- forms that are made of others (parse_standard.cpp)
// The call itself, or what it stands for: every(...), var_pop(...), rank(5) within group (order by ...).
ExpressionPtr standard_form(const LexemeReader& in, ExpressionPtr call);
ExpressionPtr is_distinct_from(const LexemeReader& in, std::size_t begin, ExpressionPtr left, ExpressionPtr right);
ExpressionPtr between_symmetric(const LexemeReader& in, std::size_t begin, ExpressionPtr value, ExpressionPtr low,
                                ExpressionPtr high);

// ---- windows (parse_windows.cpp)
bool at_unit(const LexemeReader& in);          // at rows, range or groups, with which a frame begins
WindowClause base_window(LexemeReader& in);    // over w
WindowClause window_clause(LexemeReader& in);  // [base] [partition by ...] [order by ...] [frame]

// ---- making nodes: a node's text ends where the lexeme taken last does
ExpressionPtr make(Op op, std::size_t begin);
ExpressionPtr close(const LexemeReader& in, ExpressionPtr expression);
inline void set_function(Expression& call, std::string name) {
  call.function = function_called(name);
  call.text = std::move(name);
}
template <class... Args>
ExpressionPtr make(const LexemeReader& in, Op op, std::size_t begin, Args... args) {
  ExpressionPtr expression = make(op, begin);
  (expression->args.push_back(std::move(args)), ...);
  return close(in, std::move(expression));
}

}  // namespace lofty::engine::grammar
