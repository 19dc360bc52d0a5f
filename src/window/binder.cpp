// Binding a window call: first what follows `over`, then the function, which may need its order.
// Covered by tests/window/windows_test.cpp.

#include "window/binder.hpp"

#include "window/binding.hpp"

namespace lofty::engine {

std::unique_ptr<WindowCall> bind_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                                        const std::vector<NamedWindow>& named, std::vector<Problem>& problems) {
  auto call = std::make_unique<WindowCall>();
  call->name = e.text;
  call->text = origin->text.substr(e.begin, e.end - e.begin);
  bind_clause(e, scope, origin, named, problems, *call);
  bind_function(e, scope, origin, problems, *call);
  return call;
}

}  // namespace lofty::engine
