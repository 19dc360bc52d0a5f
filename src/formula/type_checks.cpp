// Checks of types, and the types of calls.
// Covered by tests/formula/evaluator_test.cpp.

#include "formula/type_checks.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "formula/problem_at.hpp"

namespace lofty::engine {
namespace {

bool comparable(const Type& a, const Type& b) {
  const auto moment = [](const Type& type) { return type.kind == Kind::date || type.kind == Kind::timestamp; };
  return a.kind == b.kind || (a.numeric() && b.numeric()) || (moment(a) && moment(b));
}

std::string describe(const NodePtr& node) {
  const std::string name = to_string(node->type.kind);
  return node->type.kind == Kind::text ? name : (name[0] == 'i' ? "an " : "a ") + name;
}

}  // namespace

std::string spoken(const Type& type) {
  switch (type.kind) {
    case Kind::integer:
    case Kind::decimal:
    case Kind::floating: return "a number";
    case Kind::text: return "text";
    case Kind::boolean: return "a condition";
    case Kind::interval: return "an interval";
    default: return std::string("a ") + to_string(type.kind);
  }
}

void TypeChecks::fail(Code code, std::string sentence, const Expression& at, std::string advice,
                      std::string nearest) const {
  throw Error(problem_at(code, std::move(sentence), at, origin_, std::move(nearest), std::move(advice)));
}

void TypeChecks::require_condition(const Expression& e, const NodePtr& node) const {
  if (unknown(node) || is_null(node) || node->type.kind == Kind::boolean || take_type(node, {.kind = Kind::boolean}))
    return;
  fail(Code::wrong_type, text_of(e) + " is " + spoken(node->type) + ", not a condition", e);
}

void TypeChecks::require_number(const Expression& e, const NodePtr& node) const {
  if (unknown(node) || is_null(node) || node->type.numeric() || take_type(node, {.kind = Kind::integer})) return;
  fail(Code::wrong_type, text_of(e) + " is " + spoken(node->type) + ", not a number", e);
}

void TypeChecks::require_moment(const Expression& e, const NodePtr& node, const std::string& what) const {
  if (unknown(node) || is_null(node) || node->type.kind == Kind::date || node->type.kind == Kind::timestamp ||
      take_type(node, {.kind = Kind::date}))
    return;
  fail(Code::wrong_type, what + " a date or timestamp; " + text_of(e) + " is " + spoken(node->type), e);
}

void TypeChecks::require_kind(const Expression& e, const NodePtr& node, Kind kind, const std::string& what) const {
  if (unknown(node) || is_null(node) || node->type.kind == kind || take_type(node, {.kind = kind})) return;
  fail(Code::wrong_type, what + "; " + text_of(e) + " is " + spoken(node->type), e);
}

void TypeChecks::require_comparable(const Expression& ea, const NodePtr& a, const Expression& eb,
                                    const NodePtr& b) const {
  if (unknown(a) || unknown(b) || is_null(a) || is_null(b) || comparable(a->type, b->type)) return;
  if (take_type(a, b->type) || take_type(b, a->type)) return;
  // Advice turns the literal into the other's type where that is likely what was meant.
  std::string advice;
  const Expression& literal = eb.op == Op::literal ? eb : ea;
  const NodePtr& other = eb.op == Op::literal ? a : b;
  const std::string written = origin_->text.substr(literal.begin, literal.end - literal.begin);
  if (literal.op == Op::literal && literal.type.kind == Kind::text) {
    if (other->type.kind == Kind::date || other->type.kind == Kind::timestamp)
      advice = std::string(to_string(other->type.kind)) + " " + written;
    else if (other->type.numeric())
      advice = "write the number without quotes";
  } else if (literal.op == Op::literal && other->type.kind == Kind::text) {
    advice = "'" + written + "'";
  }
  const Expression& at = literal.op == Op::literal ? literal : eb;
  fail(Code::wrong_type,
       spoken(a->type) + " compared with " + spoken(b->type) + ": " + text_of(ea) + " is " + describe(a) + ", " +
           text_of(eb) + " is " + describe(b),
       at, advice);
}

Type TypeChecks::common_type(const Expression& e, const Node& node, const std::vector<std::size_t>& picks) const {
  // Blank columns are of the type of the others.
  for (const std::size_t i : picks)
    for (const std::size_t other : picks)
      if (node.args[other]->type.kind != Kind::text && node.args[other]->type.kind != Kind::unknown &&
          !node.args[other]->blank)
        take_type(node.args[i], node.args[other]->type);

  Type type{.kind = Kind::unknown};
  const Expression* first = nullptr;
  for (const std::size_t i : picks) {
    const Type& one = node.args[i]->type;
    if (one.kind == Kind::unknown) continue;
    if (first == nullptr) {
      first = e.args[i].get();
      type = one;
    } else if (type.numeric() && one.numeric()) {
      if (type.kind == Kind::floating || one.kind == Kind::floating)
        type = {.kind = Kind::floating};
      else if (one.scale > type.scale)
        type = one;
    } else if (type.kind != one.kind) {
      fail(Code::wrong_type,
           "the results have different types: " + text_of(*first) + " is " + spoken(type) + ", " + text_of(*e.args[i]) +
               " is " + spoken(one),
           *e.args[i]);
    }
  }
  return type;
}

// Of round(x, n): as many decimals as are written.
Type TypeChecks::round_type(const Expression& e, const Node& node) const {
  require_number(*e.args[0], node.args[0]);
  const Type first = node.args[0]->type;
  if (node.args.size() == 1) return first.exact() ? Type{.kind = Kind::integer} : first;
  const auto* const decimals = node.args[1]->op == Op::literal ? std::get_if<Decimal>(&node.args[1]->value) : nullptr;
  if (decimals == nullptr || decimals->scale() != 0 || *decimals > Decimal(Decimal::max_digits, 0) ||
      *decimals < Decimal(-Decimal::max_digits, 0))
    fail(Code::bad_value, "`round` takes a number of decimals that is the same for every row", *e.args[1],
         "round(amount, 2)");
  const int scale = static_cast<int>(decimals->coefficient());
  if (!first.exact()) return first;
  return scale > 0 ? Type{.kind = Kind::decimal, .scale = scale} : Type{.kind = Kind::integer};
}

Type TypeChecks::call_type(const Expression& e, const FunctionInfo& info, Node& node) const {
  const Type first = node.args.empty() ? Type{} : node.args[0]->type;
  const auto each_number = [&] {
    for (std::size_t i = 0; i < node.args.size(); ++i) require_number(*e.args[i], node.args[i]);
  };
  const auto each_text = [&](std::size_t count) {
    for (std::size_t i = 0; i < std::min(count, node.args.size()); ++i)
      require_kind(*e.args[i], node.args[i], Kind::text, "`" + e.text + "` takes text");
  };
  const auto all = [&] {
    std::vector<std::size_t> picks;
    for (std::size_t i = 0; i < node.args.size(); ++i) picks.push_back(i);
    return picks;
  };
  switch (info.function) {
    case Function::absolute: each_number(); return first;
    case Function::modulo: {
      each_number();
      const Type second = node.args[1]->type;
      if (first.kind == Kind::floating || second.kind == Kind::floating) return {.kind = Kind::floating};
      return first.scale > second.scale ? first : second;
    }
    case Function::ceiling:
    case Function::floor: each_number(); return first.kind == Kind::floating ? first : Type{.kind = Kind::integer};
    case Function::round: return round_type(e, node);
    case Function::width_bucket: each_number(); return {.kind = Kind::integer};
    case Function::log_to_base:
    case Function::log_to_ten:
    case Function::square_root:
    case Function::logarithm:
    case Function::exponential:
    case Function::power: each_number(); return {.kind = Kind::floating};
    case Function::coalesce:
    case Function::greatest:
    case Function::least: return common_type(e, node, all());
    case Function::nullif: require_comparable(*e.args[0], node.args[0], *e.args[1], node.args[1]); return first;
    case Function::upper:
    case Function::lower:
    case Function::trim:
    case Function::trim_leading:
    case Function::trim_trailing: each_text(2); return {.kind = Kind::text};
    case Function::char_length: each_text(1); return {.kind = Kind::integer};
    case Function::substring:
      each_text(1);
      for (std::size_t i = 1; i < node.args.size(); ++i)
        require_kind(*e.args[i], node.args[i], Kind::integer, "substring counts in whole numbers");
      return {.kind = Kind::text};
    case Function::position: each_text(2); return {.kind = Kind::integer};
    case Function::iso_week:
    case Function::weekday:
    case Function::quarter:
      require_moment(*e.args[0], node.args[0], "`" + e.text + "` takes");
      return {.kind = Kind::integer};
    case Function::start_of: {
      require_moment(*e.args[1], node.args[1], "`start_of` takes");
      static const std::vector<std::string> units = {"year", "quarter", "month", "week", "day"};
      const auto* unit = std::get_if<std::string>(&e.args[0]->value);
      if (e.args[0]->op != Op::literal || unit == nullptr ||
          std::find(units.begin(), units.end(), *unit) == units.end())
        fail(Code::unknown_word, "`start_of` takes 'year', 'quarter', 'month', 'week' or 'day'", *e.args[0], {},
             unit == nullptr ? "" : nearest_word(*unit, units));
      node.text = *unit;
      return {.kind = Kind::date};
    }
    default: break;  // not of one row
  }
  return {};
}

}  // namespace lofty::engine
