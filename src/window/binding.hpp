#pragma once
// What the two halves of binding a window call share: the call and its text, and the values of its constants.

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "formula/binder.hpp"
#include "window/call.hpp"

namespace lofty::engine {

// A call that is being bound. A window that builds on a named one has parts in two texts, so every part of it is named
// with the text that it is in.
class CallBinding {
 public:
  using OriginPtr = std::shared_ptr<const Origin>;

  CallBinding(const Expression& e, Scope& scope, const OriginPtr& origin, std::vector<Problem>& problems)
      : e_(e), scope_(scope), origin_(origin), problems_(problems) {}

 protected:
  [[noreturn]] static void fail(Code code, std::string sentence, const Expression& at, const OriginPtr& origin,
                                std::string advice = {}, std::string nearest = {});
  [[noreturn]] void fail(Code code, std::string sentence, std::string advice = {}) const;  // at the whole call

  NodePtr bound(const Expression& e, const OriginPtr& origin) const;
  static std::string text_of(const Expression& e, const OriginPtr& origin);
  static std::string shown(const Expression& e, const OriginPtr& origin) { return "`" + text_of(e, origin) + "`"; }
  static bool known(const Type& type) { return type.kind != Kind::unknown; }

  // The value of a node that is the same for all rows. Throws what computing it finds wrong.
  static Value constant_value(const Node& node);
  // The same, as a whole number from `least` on; `what` begins the sentence where it is none.
  static std::int64_t whole_number(const Node& node, const Expression& at, const OriginPtr& origin, std::int64_t least,
                                   const std::string& what);

  const Expression& e_;
  Scope& scope_;
  const OriginPtr& origin_;
  std::vector<Problem>& problems_;
};

// What follows `over`: partition, order and frame, and the named windows that it builds on.
void bind_clause(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                 const std::vector<NamedWindow>& named, std::vector<Problem>& problems, WindowCall& out);

// The function, its arguments and the type of its result; after bind_clause(), because some need an order.
void bind_function(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                   std::vector<Problem>& problems, WindowCall& out);

}  // namespace lofty::engine
