#pragma once
// From a parsed call with `over` to a WindowCall.

#include <memory>
#include <vector>

#include "window/call.hpp"

namespace lofty::engine {

// A call with `over`, in a scope that knows the relation's names. Problems are thrown as Error, or appended where they
// are in a part of it.
std::unique_ptr<WindowCall> bind_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                                        const std::vector<NamedWindow>& named, std::vector<Problem>& problems);

}  // namespace lofty::engine
