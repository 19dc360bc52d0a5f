#pragma once
// A problem at a part of a formula.

#include <memory>
#include <string>

#include "formula/node.hpp"
#include "formula/remedy.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {

// `origin` is the text that `at` is a part of, and the key of the ladder where it is.
Problem problem_at(Code code, std::string sentence, const Expression& at, const std::shared_ptr<const Origin>& origin,
                   std::string nearest = {}, Remedy advice = {});

// The same error, at a formula that is bound, where it says no place itself.
Error placed(const Error& error, const Node& node);

}  // namespace lofty::engine
