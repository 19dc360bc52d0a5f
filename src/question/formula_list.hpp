#pragma once
// The named formulas of a section, [figures], [totals] or [windows]: parsed, and bound when they are first named.
// Covered by tests/question/check_test.cpp.

#include <memory>
#include <string>
#include <vector>

#include "formula/parser.hpp"
#include "question/problem_list.hpp"
#include "question/question.hpp"

namespace lofty::engine {

struct ParsedFormula {
  enum class State : unsigned char { fresh, open, done };

  const NamedFormula* formula = nullptr;
  std::shared_ptr<const Origin> origin;
  ExpressionPtr expression;  // null: does not parse
  State state = State::fresh;
  std::size_t column = 0;              // totals and windows: entry column
  NodePtr node = nullptr;              // figures: bound once, and shared by all formulas that name them
  std::vector<Problem> problems = {};  // figures: found in binding it
};

class FormulaList {
 public:
  // `prefix`, "figures." and so on, makes the formulas' keys.
  FormulaList(const std::vector<NamedFormula>& formulas, const std::string& prefix, ProblemList& problems);

  // Null where no formula has this name.
  ParsedFormula* find(const Expression& name);
  auto begin() { return all_.begin(); }
  auto end() { return all_.end(); }

 private:
  std::vector<ParsedFormula> all_;
};

// A name as a formula would write it.
Expression name_expression(const std::string& name);

}  // namespace lofty::engine
