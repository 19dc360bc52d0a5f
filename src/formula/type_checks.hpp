#pragma once
// What the types of a formula's parts have to be; and what is said where they are not.
//
// A part whose type is not known yet, or could not be found out, passes every check: it has been reported already, or
// its table is not read. So does the literal null.

#include <cstddef>
#include <memory>
#include <string>
#include <vector>

#include "formula/functions.hpp"
#include "formula/node.hpp"
#include "lofty/error.hpp"

namespace lofty::engine {

class TypeChecks {
 public:
  explicit TypeChecks(std::shared_ptr<const Origin> origin) : origin_(std::move(origin)) {}

  // ---- each throws Error(Code::wrong_type) where the part is something else
  void require_condition(const Expression& e, const NodePtr& node) const;
  void require_number(const Expression& e, const NodePtr& node) const;
  void require_moment(const Expression& e, const NodePtr& node, const std::string& what) const;  // `what`: "x takes"
  void require_kind(const Expression& e, const NodePtr& node, Kind kind, const std::string& what) const;
  void require_comparable(const Expression& ea, const NodePtr& a, const Expression& eb, const NodePtr& b) const;

  // The type that holds all values of these args of a node.
  Type common_type(const Expression& e, const Node& node, const std::vector<std::size_t>& picks) const;
  Type round_type(const Expression& e, const Node& node) const;
  // Of a call of a function of one row, whose arguments are bound; notes in the node what else the function needs.
  Type call_type(const Expression& e, const FunctionInfo& info, Node& node) const;

 protected:
  [[noreturn]] void fail(Code code, std::string sentence, const Expression& at, std::string advice = {},
                         std::string nearest = {}) const;
  std::string text_of(const Expression& e) const { return "`" + origin_->text.substr(e.begin, e.end - e.begin) + "`"; }
  static bool unknown(const NodePtr& node) { return node->type.kind == Kind::unknown && node->op != Op::null; }
  static bool is_null(const NodePtr& node) { return node->op == Op::null; }

  std::shared_ptr<const Origin> origin_;
};

// "a number", "a date", "text": how a sentence speaks of a type.
std::string spoken(const Type& type);

}  // namespace lofty::engine
