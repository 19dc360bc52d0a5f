// The parts that both halves of binding a window call share.
// Covered by tests/window/windows_test.cpp.

#include "window/binding.hpp"

#include <functional>
#include <unordered_map>

#include "formula/evaluator.hpp"

namespace lofty::engine {
namespace {

// One row without columns: constants need no more.
class NothingSource : public RowSource {
 public:
  std::size_t rows() const override { return 1; }
  void load(int, std::size_t, std::size_t, Vector&) const override {}
  const Dictionary* dictionary(int) const override { return nullptr; }
};

}  // namespace

void CallBinding::fail(Code code, std::string sentence, const Expression& at, const OriginPtr& origin,
                       std::string advice, std::string nearest) {
  throw Error(problem_at(code, std::move(sentence), at, origin, std::move(nearest), std::move(advice)));
}

void CallBinding::fail(Code code, std::string sentence, std::string advice) const {
  fail(code, std::move(sentence), e_, origin_, std::move(advice));
}

NodePtr CallBinding::bound(const Expression& e, const OriginPtr& origin) const {
  NodePtr node = engine::bind(e, scope_, origin, problems_);
  complete(*node);  // for `constant`; its slots are given by the caller of bind_window()
  return node;
}

std::string CallBinding::text_of(const Expression& e, const OriginPtr& origin) {
  return origin->text.substr(e.begin, e.end - e.begin);
}

Value CallBinding::constant_value(const Node& node) {
  if (node.op == Op::literal || node.op == Op::interval) return node.value;
  // A copy, because slots are for the evaluators of the whole question, which gives them later.
  std::unordered_map<const Node*, NodePtr> copies;
  const std::function<NodePtr(const Node&)> copy = [&](const Node& of) {
    NodePtr& made = copies[&of];
    if (made) return made;
    made = std::make_shared<Node>(of);
    const NodePtr result = made;
    for (NodePtr& arg : result->args) arg = copy(*arg);
    return result;
  };
  const NodePtr constant = copy(node);
  NothingSource nothing;
  const FormulaContext context{.slots = finish(*constant)};
  Evaluator evaluator(nothing, context);
  try {
    return evaluator.evaluate(*constant, 0, 1, nullptr).value(0);
  } catch (const RowFailure& failure) {
    throw placed(Error(Problem{failure.code, failure.sentence, {}, {}, failure.advice}), node);
  }
}

std::int64_t CallBinding::whole_number(const Node& node, const Expression& at, const OriginPtr& origin,
                                       std::int64_t least, const std::string& what) {
  if (!known(node.type) && node.op != Op::null) return least;
  const Value value = constant_value(node);
  const auto* number = std::get_if<Decimal>(&value);
  constexpr std::int64_t most = std::numeric_limits<std::int64_t>::max();
  if (number == nullptr || number->scale() != 0 || number->coefficient() < least || number->coefficient() > most) {
    // What is written says it; of a choice or a formula the value is said too.
    const std::string written = shown(at, origin), text = is_null(value) ? "null" : to_text(value);
    fail(Code::bad_value,
         what + " is a whole number from " + std::to_string(least) + " to " + std::to_string(most) +
             (written == "`" + text + "`" ? ", not " + written : "; " + written + " is " + text),
         at, origin);
  }
  // A table has fewer than 2^32 rows: beyond them all distances are alike, and sums of these do not overflow.
  return static_cast<std::int64_t>(std::min<int128>(number->coefficient(), 1'000'000'000'000));
}

}  // namespace lofty::engine
