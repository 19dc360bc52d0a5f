#pragma once
// How an aggregate is written: count(*), percentile_cont(0.9) within group (order by amount), ...
// Covered by tests/question/check_test.cpp.

#include <memory>

#include "question/question.hpp"

namespace lofty::engine {

class AggregateForm {
 public:
  // Throws Error (wrong_arguments, not_in_this_version) where it cannot be written so.
  AggregateForm(const Expression& e, const std::shared_ptr<const Origin>& origin);

  bool star() const { return e_.args[0]->op == Op::star; }
  bool percentile() const {
    return e_.function == Function::percentile_cont || e_.function == Function::percentile_disc;
  }
  bool ends() const { return e_.function == Function::first_value || e_.function == Function::last_value; }
  bool joins_texts() const { return e_.function == Function::listagg; }
  bool ordered() const { return ends() || joins_texts(); }  // by any number of keys
  // What is taken together. Precondition: it is not star().
  const Expression& argument() const { return percentile() ? *e_.within_group.front().expression : *e_.args[0]; }
  // Sets kind and type, and the median's fraction, by the name and the bound argument. Throws Error (wrong_type).
  void set_kind(Aggregate& made) const;

 private:
  void need_number(const Aggregate& made) const;
  void need_text(const Aggregate& made) const;
  void set_spread(Aggregate& made) const;

  const Expression& e_;
  const FunctionInfo& info_;
  const std::shared_ptr<const Origin>& origin_;
};

// A percentile's fraction, bound from `e`: a number between 0 and 1, the same for all rows. Throws Error (bad_value).
Decimal fraction_of(const NodePtr& node, const Expression& e, const std::shared_ptr<const Origin>& origin);

}  // namespace lofty::engine
