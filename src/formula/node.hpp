#pragma once
// A formula whose names are resolved and whose types are known.

#include <memory>
#include <string>
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

struct Node {
  Op op = Op::null;
  Type type;
  std::vector<std::unique_ptr<Node>> args;
  std::shared_ptr<const Origin> origin;
  std::size_t begin = 0, end = 0;
  Value value;          // Op::literal
  int column = -1;      // Op::name: of the relation that the formula is evaluated over
  Function function{};  // Op::call
  std::string text;     // interval unit, extract field, is true/false/unknown
  bool negated = false;
  bool constant = false;      // the same for every row
  int only_text_column = -1;  // the one column, of text, that this depends on: evaluated once per distinct text
  int overall = -1;           // Op::literal: filled in with this overall_max or overall_min
  int slot = -1;              // its place in an evaluator's scratch memory

  std::string source() const { return origin ? origin->text.substr(begin, end - begin) : std::string(); }
};

using NodePtr = std::unique_ptr<Node>;

}  // namespace lofty::engine
