#pragma once
// A formula whose names are resolved and whose types are known.

#include <memory>
#include <string>
#include <unordered_set>
#include <vector>

#include "formula/expression.hpp"
#include "formula/functions.hpp"
#include "lofty/value.hpp"

namespace lofty::engine {

// Where a formula came from, for messages: nodes of a figure keep theirs wherever the figure is used.
struct Origin {
  std::string key;   // "figures.amount"
  std::string text;  // the whole formula
};

// Nodes form a graph without circles rather than a tree: a figure is bound once, and every formula that names it shares
// its node. So code that visits all nodes below one has to visit each once (each_node_below).
struct Node {
  Op op = Op::null;
  Type type;
  std::vector<std::shared_ptr<Node>> args;
  std::shared_ptr<const Origin> origin;
  std::size_t begin = 0, end = 0;
  Value value;          // Op::literal
  int column = -1;      // Op::name: of the relation that the formula is evaluated over
  Function function{};  // Op::call
  std::string text;     // interval unit, extract field, is true/false/unknown
  bool negated = false;
  bool completed = false;  // is what follows known? see complete()
  bool constant = false;   // the same for every row
  static constexpr int no_column = -2, other_columns = -1;
  int text_column = no_column;  // the one column that this depends on, if it is of text
  int only_text_column = -1;    // the one column, of text, that this depends on: evaluated once per distinct text
  int overall = -1;             // Op::literal: its value is FormulaContext::overalls[overall], not `value`
  CastSize size;                // Op::cast
  int first_month = 1;          // of start_of and quarter: the month that years begin in
  int slot = -1;                // its place in an evaluator's scratch memory
  int depth = 1;                // of the longest path down from it
  bool blank = false;           // Op::name: a column without any value, which may be of any type: take_type()
  bool shared = false;          // used in several places: evaluated once a batch

  std::string source() const { return origin ? origin->text.substr(begin, end - begin) : std::string(); }
};

using NodePtr = std::shared_ptr<Node>;

// A blank column becomes null of the type that its formula needs; false, and nothing changes, for all others.
inline bool take_type(const NodePtr& node, const Type& type) {
  if (!node->blank) return false;
  auto nothing = std::make_shared<Node>();
  nothing->origin = node->origin;
  nothing->begin = node->begin;
  nothing->end = node->end;
  node->op = Op::cast;
  node->args = {std::move(nothing)};
  node->type = type;
  node->column = -1;
  node->blank = false;
  return true;
}

// Calls `see` once for `node` and for each node below it.
template <class See>
void each_node_below(const Node& node, const See& see) {
  std::unordered_set<const Node*> seen;
  const auto go = [&](const auto& self, const Node& at) -> void {
    if (!seen.insert(&at).second) return;
    see(at);
    for (const NodePtr& arg : at.args) self(self, *arg);
  };
  go(go, node);
}

}  // namespace lofty::engine
