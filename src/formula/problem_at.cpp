// A problem with its place in a formula.
// Covered by tests/formula/evaluator_test.cpp.

#include "formula/problem_at.hpp"

#include "formula/lexer.hpp"

namespace lofty::engine {

Problem problem_at(Code code, std::string sentence, const Expression& at, const std::shared_ptr<const Origin>& origin,
                   std::string nearest, Remedy advice) {
  Problem problem = formula_problem(code, std::move(sentence), {origin->text, at.begin, at.end}, std::move(nearest),
                                    std::move(advice.words));
  problem.advice_key = std::move(advice.key);
  problem.location.key = origin->key;
  return problem;
}

Error placed(const Error& error, const Node& node) {
  std::vector<Problem> problems = error.problems();
  for (Problem& p : problems) {
    if (!p.location.key.empty() || !p.location.text.empty() || p.location.line > 0 || !node.origin) continue;
    p.location.key = node.origin->key;
    p.location.text = node.origin->text;
    p.location.offset = node.begin;
    p.location.length = node.end - node.begin;
  }
  return Error(std::move(problems));
}

}  // namespace lofty::engine
