// A problem with its place in a formula.
// Covered by tests/formula/evaluator_test.cpp.

#include "formula/problem_at.hpp"

#include "formula/lexer.hpp"

namespace lofty::engine {

Problem problem_at(Code code, std::string sentence, const Expression& at, const std::shared_ptr<const Origin>& origin,
                   std::string nearest, Remedy advice) {
  Problem problem = formula_problem(code, std::move(sentence), origin->text, at.begin, at.end, std::move(nearest),
                                    std::move(advice.words));
  problem.advice_key = std::move(advice.key);
  problem.location.key = origin->key;
  return problem;
}

}  // namespace lofty::engine
