#pragma once
// Resolving names and checking types: from Expression to Node.

#include <optional>
#include <string>
#include <vector>

#include "formula/node.hpp"
#include "formula/problem_at.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {

// What the names of a formula mean at its place. The ladder has one scope per stage.
class Scope {
 public:
  virtual ~Scope() = default;
  // A node for a (qualified) name; or a thrown Problem-carrying Error that says why there is none.
  virtual NodePtr name(const Expression& expression, const std::shared_ptr<const Origin>& origin) = 0;
  // A node for sum(...), overall_max(...) and their like.
  virtual NodePtr aggregate(const Expression& expression, const std::shared_ptr<const Origin>& origin) = 0;
  // A node for a call with `over`.
  virtual NodePtr window(const Expression& expression, const std::shared_ptr<const Origin>& origin) = 0;
  // The value of `:name`.
  virtual NodePtr choice(const Expression& expression, const std::shared_ptr<const Origin>& origin) = 0;
  // Where moments with an offset are shown; null: in UTC.
  virtual const Zone* zone() const { return nullptr; }
  // The month that years, and quarters with them, begin in.
  virtual int first_month() const { return 1; }
};

// A formula's Node tree. Problems are appended to `problems`, each with its place and `origin`'s key; the node that
// could not be bound has Kind::unknown, which no further check complains about. Columns of unknown type (tables not
// yet read) likewise silence the type checks.
NodePtr bind(const Expression& expression, Scope& scope, const std::shared_ptr<const Origin>& origin,
             std::vector<Problem>& problems);

// Tells which nodes are constant, and which depend on one column of text only.
void complete(Node& root);

// Completes a formula for evaluation: complete(), and a slot for every node that has none yet. Slots are unique among
// all formulas of a question, which share nodes. Returns the first slot that is free, counting from `first_slot`.
int finish(Node& root, int first_slot = 0);

NodePtr make_literal(Value value, Type type, const Expression& at, const std::shared_ptr<const Origin>& origin);
NodePtr make_column(int column, Type type, const Expression& at, const std::shared_ptr<const Origin>& origin);
NodePtr make_unknown(const Expression& at, const std::shared_ptr<const Origin>& origin);

}  // namespace lofty::engine
