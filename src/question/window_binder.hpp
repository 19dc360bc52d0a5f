#pragma once
// Window functions in formulas, over rows or over entries.
// Covered by tests/question/check_test.cpp.

#include <memory>
#include <utility>
#include <vector>

#include "question/level_binding.hpp"
#include "window/call.hpp"

namespace lofty::engine {

// Calls work(node) for every formula that a call is made of.
template <class Work>
void each_part(WindowCall& call, const Work& work) {
  for (NodePtr* node : {&call.value, &call.filter, &call.otherwise, &call.range_from, &call.range_to})
    if (*node) work(*node);
  for (auto* keys : {&call.partition, &call.order})
    for (WindowKey& key : *keys) work(key.node);
}

class WindowBinder : private LevelBinding {
 public:
  // Parses [named_windows].
  explicit WindowBinder(const LevelBinding& parts);

  // Bound in `scope`, with every part ready for evaluation. Throws Error.
  std::unique_ptr<WindowCall> call(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin);
  // Calls work() for a formula with its own name: its windows are inputs of the one that is being bound, if any,
  // rather than inside it.
  template <class Work>
  auto apart(const Work& work) {
    const bool inside = std::exchange(inside_, false);
    auto result = work();
    inside_ = inside;
    return result;
  }

 private:
  std::vector<NamedWindow> named_;
  bool inside_ = false;  // a window's own formulas are being bound
};

}  // namespace lofty::engine
