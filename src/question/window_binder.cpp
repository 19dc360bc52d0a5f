// Binding window functions, and the named windows of [named_windows].

#include "question/window_binder.hpp"

#include "window/binder.hpp"

namespace lofty::engine {

WindowBinder::WindowBinder(const LevelBinding& parts) : LevelBinding(parts) {
  for (const NamedFormula& formula : ladder_.named_windows) {
    NamedWindow named;
    named.name = formula.name;
    named.origin = std::make_shared<Origin>(Origin{"named_windows." + formula.name, formula.formula});
    try {
      named.clause = parse_window(formula.formula);
      named_.push_back(std::move(named));
    } catch (const Error& error) {
      problems_.add(error, "named_windows." + formula.name);
    }
  }
}

std::unique_ptr<WindowCall> WindowBinder::call(const Expression& e, Scope& scope,
                                               const std::shared_ptr<const Origin>& origin) {
  if (inside_)
    throw Error(problem_at(Code::wrong_arguments, "a window is not allowed inside another one", e, origin, {},
                           "give the inner one a name"));
  inside_ = true;
  std::vector<Problem> found;
  std::unique_ptr<WindowCall> call;
  try {
    call = bind_window(e, scope, origin, named_, found);
  } catch (const Error& error) {
    found.insert(found.end(), error.problems().begin(), error.problems().end());
  }
  inside_ = false;
  if (!found.empty()) throw Error(std::move(found));
  each_part(*call, [&](NodePtr& node) { finished(*node); });
  return call;
}

}  // namespace lofty::engine
