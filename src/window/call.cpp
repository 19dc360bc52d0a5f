// A bound window call: what it looks at, and when two calls mean the same.
// Covered by tests/window/windows_test.cpp.

#include "window/call.hpp"
#include "base/name_table.hpp"
#include "lofty/window.hpp"

#include <map>
#include <unordered_map>

namespace lofty::engine {

bool WindowCall::sees_peers_order() const {
  switch (function) {
    case WindowFunction::rank:
    case WindowFunction::dense_rank:
    case WindowFunction::percent_rank:
    case WindowFunction::cume_dist: return false;
    case WindowFunction::row_number:
    case WindowFunction::ntile:
    case WindowFunction::lag:
    case WindowFunction::lead:
    case WindowFunction::first_value:
    case WindowFunction::last_value:
    case WindowFunction::nth_value: return true;
    default: break;  // aggregates: exact, so only what their frame holds matters
  }
  return frame.unit == FrameUnit::rows && !whole_partition();
}

bool WindowCall::whole_partition() const {
  if (frame.excluded != Excluded::no_others) return false;
  if (order.empty() && frame.unit == FrameUnit::range) return true;
  return frame.from.edge == Edge::unbounded_preceding && frame.to.edge == Edge::unbounded_following;
}

namespace {

// Appends a node's meaning, so that equal ones read equal. Every part is written once, when it is first met, and is a
// number from then on: parts that are shared would grow without end.
class Describing {
 public:
  explicit Describing(std::string& out) : out_(out) {}
  std::size_t part(const Node& node) {
    if (const auto known = numbers_.find(&node); known != numbers_.end()) return known->second;
    std::string text = own(node);
    for (const NodePtr& arg : node.args) text += std::to_string(part(*arg)) + ",";
    const auto [at, fresh] = parts_.try_emplace(std::move(text), parts_.size());
    if (fresh) out_ += '(' + at->first + ')';
    numbers_.emplace(&node, at->second);
    return at->second;
  }

 private:
  static std::string own(const Node& node);
  std::string& out_;
  std::unordered_map<const Node*, std::size_t> numbers_;
  std::map<std::string, std::size_t> parts_;
};

std::string Describing::own(const Node& node) {
  std::string out = std::to_string(static_cast<int>(node.op)) + ',' + std::to_string(node.column) + ',' +
                    std::to_string(static_cast<int>(node.function)) + ',' + std::to_string(node.overall) + ',' +
                    std::to_string(static_cast<int>(node.type.kind)) + '.' + std::to_string(node.type.scale) + ',' +
                    (node.negated ? "n," : ",") + std::to_string(node.text.size()) + ':' + node.text + ',';
  if (!is_null(node.value)) {
    const std::string value = to_text(node.value);
    out += std::to_string(value.size()) + ':' + value;
  }
  return out + ',';
}

}  // namespace

std::string signature(const Node& node) {
  std::string out;
  Describing(out).part(node);
  return out;
}

std::string signature(const WindowCall& call) {
  std::string out = std::to_string(static_cast<int>(call.function)) + '|' + std::to_string(call.count) + '|' +
                    call.fraction.text() + (call.descending ? "d" : "a") + (call.ignore_nulls ? "i" : "r") +
                    (call.from_last ? "l" : "f");
  for (const NodePtr* node : {&call.value, &call.filter, &call.otherwise})
    out += '|' + (*node ? signature(**node) : std::string());
  return out + frame_signature(call);
}

std::string frame_signature(const WindowCall& call) {
  std::string out = call.frame_written ? "w" : "u";
  for (const NodePtr* node : {&call.range_from, &call.range_to})
    out += '|' + (*node ? signature(**node) : std::string());
  for (const auto* keys : {&call.partition, &call.order}) {
    out += '/';
    for (const WindowKey& key : *keys)
      out += signature(*key.node) + (key.descending ? "d" : "a") + (key.nulls == Nulls::first ? "f" : "l");
  }
  const auto bound_text = [](const Bound& bound) {
    return std::to_string(static_cast<int>(bound.edge)) + ':' + std::to_string(bound.distance);
  };
  return out + '/' + std::to_string(static_cast<int>(call.frame.unit)) + bound_text(call.frame.from) + '-' +
         bound_text(call.frame.to) + 'x' + std::to_string(static_cast<int>(call.frame.excluded));
}

}  // namespace lofty::engine

namespace lofty {

LOFTY_ENUM_NAMES(From, {From::first, "first"}, {From::last, "last"})

}  // namespace lofty
