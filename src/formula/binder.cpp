// Binding: names to columns, operators to types.
// Covered by tests/formula/evaluator_test.cpp.

#include "formula/binder.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "formula/functions.hpp"
#include "formula/lexer.hpp"
#include "formula/type_checks.hpp"
#include "lofty/retired_names.hpp"

namespace lofty::engine {

namespace {

// What evaluating and binding recurse: far more than people nest, and far less than a thread's stack holds.
constexpr int most_depth = 1000;  // docs/limits.md

NodePtr make_node(Op op, Type type, const Expression& at, const std::shared_ptr<const Origin>& origin) {
  auto node = std::make_shared<Node>();
  node->op = op;
  node->type = type;
  node->begin = at.begin;
  node->end = at.end;
  node->origin = origin;
  node->text = at.text;
  node->negated = at.negated;
  return node;
}

// "f" of f(x), for a message.
Expression name_only(const Expression& e) {
  Expression at;
  at.begin = e.begin;
  at.end = e.begin + e.text.size();
  return at;
}

class Binding : TypeChecks {
 public:
  Binding(Scope& scope, const std::shared_ptr<const Origin>& origin, std::vector<Problem>& problems)
      : TypeChecks(origin), scope_(scope), problems_(problems) {}

  NodePtr bind(const Expression& e) {
    try {
      NodePtr node = bind_one(e);
      for (const NodePtr& arg : node->args) node->depth = std::max(node->depth, arg->depth + 1);
      if (node->depth > most_depth)
        fail(Code::bad_value, "figures build on one another more than 1,000 operators deep", e,
             "make a separate ladder of the first ones, and use it as a table here");
      return node;
    } catch (const Error& error) {
      problems_.insert(problems_.end(), error.problems().begin(), error.problems().end());
      return make_unknown(e, origin_);
    }
  }

 private:
  NodePtr with_args(const Expression& e, Op op) {
    NodePtr node = make_node(op, {}, e, origin_);
    for (const ExpressionPtr& arg : e.args) node->args.push_back(bind(*arg));
    return node;
  }

  static bool any_unknown(const Node& node) { return std::any_of(node.args.begin(), node.args.end(), unknown); }

  NodePtr bind_one(const Expression& e) {
    switch (e.op) {
      case Op::literal: {
        Type type = e.type;
        if (type.zoned) type.zone = scope_.zone();
        return make_literal(e.value, type, e, origin_);
      }
      case Op::null: return make_node(Op::null, {}, e, origin_);
      case Op::interval: {
        NodePtr node = make_node(Op::interval, {.kind = Kind::interval}, e, origin_);
        node->value = e.value;
        return node;
      }
      case Op::name: return scope_.name(e, origin_);
      case Op::choice: return scope_.choice(e, origin_);
      case Op::star: fail(Code::wrong_arguments, "`*` is allowed in count(*) only", e);
      case Op::negate: return negate(e);
      case Op::add:
      case Op::subtract:
      case Op::multiply:
      case Op::divide: return arithmetic(e);
      case Op::concatenate: return concatenate(e);
      case Op::equal:
      case Op::unequal:
      case Op::less:
      case Op::less_equal:
      case Op::greater:
      case Op::greater_equal:
      case Op::between:
      case Op::in_list: return comparison(e);
      case Op::logical_and:
      case Op::logical_or:
      case Op::logical_not: return logical(e);
      case Op::like: return like(e);
      case Op::is_null: {
        NodePtr node = with_args(e, e.op);
        node->type.kind = Kind::boolean;
        return node;
      }
      case Op::is_truth: {
        NodePtr node = with_args(e, e.op);
        require_condition(*e.args[0], node->args[0]);
        node->type.kind = Kind::boolean;
        return node;
      }
      case Op::case_when: return case_when(e);
      case Op::cast: return cast(e);
      case Op::extract: return extract(e);
      case Op::call: return call(e);
      case Op::days_of: return days_of(e);
    }
    return make_unknown(e, origin_);
  }

  NodePtr negate(const Expression& e) {
    NodePtr node = with_args(e, Op::negate);
    if (any_unknown(*node) || is_null(node->args[0])) return node;
    if (!node->args[0]->type.numeric())
      fail(Code::wrong_type, "only numbers have a sign; " + text_of(*e.args[0]) + " is " + spoken(node->args[0]->type),
           *e.args[0]);
    node->type = node->args[0]->type;
    if (node->args[0]->op == Op::literal && node->type.exact()) {  // a negative number is a literal too
      const Decimal& value = std::get<Decimal>(node->args[0]->value);
      return make_literal(Decimal(-value.coefficient(), value.scale()), node->type, e, origin_);
    }
    return node;
  }

  // date ± interval, integer * interval
  NodePtr calendar(const Expression& e, NodePtr node) {
    const Type left = node->args[0]->type, right = node->args[1]->type;
    const auto moment = [](const Type& type) { return type.kind == Kind::date || type.kind == Kind::timestamp; };
    if (e.op == Op::multiply && (left.kind == Kind::interval) != (right.kind == Kind::interval)) {
      const std::size_t count = left.kind == Kind::interval ? 1 : 0;
      if (node->args[count]->type.kind != Kind::integer)
        fail(Code::wrong_type, "an interval is multiplied by whole numbers only", *e.args[count]);
      if (node->args[1 - count]->op != Op::interval)
        fail(Code::wrong_type, "this interval cannot be multiplied", *e.args[1 - count]);
      if (count == 1) std::swap(node->args[0], node->args[1]);  // count first, interval second
      node->type.kind = Kind::interval;
      node->text = node->args[1]->text;
      return node;
    }

    // A moment and an interval, in either order where they are added.
    if (e.op == Op::add && left.kind == Kind::interval && moment(right)) {
      std::swap(node->args[0], node->args[1]);
      const std::string& unit = node->args[1]->text;
      if (right.kind == Kind::date && unit != "year" && unit != "month" && unit != "day")
        fail(Code::wrong_type, "a date has no " + unit + "s", *e.args[0]);
      node->type = right;
      return node;
    }
    if ((e.op == Op::add || e.op == Op::subtract) && moment(left) && right.kind == Kind::interval) {
      const std::string& unit = node->args[1]->text;
      if (left.kind == Kind::date && unit != "year" && unit != "month" && unit != "day")
        fail(Code::wrong_type, "a date has no " + unit + "s", *e.args[1],
             "cast(" + text_of(*e.args[0]).substr(1, text_of(*e.args[0]).size() - 2) + " as timestamp) has them");
      node->type = left;
      return node;
    }

    // What else may be meant.
    if ((e.op == Op::add || e.op == Op::subtract) && moment(left) && right.numeric())
      fail(Code::wrong_type, "a number cannot be added to a " + std::string(to_string(left.kind)) + ": it has no unit",
           *e.args[1],
           std::string(e.op == Op::add ? "+ " : "- ") +
               origin_->text.substr(e.args[1]->begin, e.args[1]->end - e.args[1]->begin) + " * interval '1' day");
    if (e.op == Op::subtract && moment(left) && moment(right))
      fail(Code::wrong_type, "the difference of two dates needs its unit", e,
           "extract(day from (" + origin_->text.substr(e.begin, e.end - e.begin) + ") day)");
    const std::size_t culprit = left.numeric() ? 1 : 0;
    static constexpr const char* verbs[] = {"added", "subtracted", "multiplied", "divided"};
    fail(Code::wrong_type,
         text_of(*e.args[culprit]) + " is " + spoken(node->args[culprit]->type) + " and cannot be " +
             verbs[static_cast<int>(e.op) - static_cast<int>(Op::add)],
         *e.args[culprit], e.op == Op::add && left.kind == Kind::text ? "texts are joined with ||" : "");
  }

  NodePtr arithmetic(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    for (const std::size_t i : {0u, 1u}) {  // a blank column is what its other side needs
      const Type& other = node->args[1 - i]->type;
      take_type(node->args[i], other.kind == Kind::interval ? Type{.kind = Kind::date}
                               : other.numeric()            ? other
                                                            : Type{.kind = Kind::integer});
    }

    // Null is of the type of the other side.
    if (any_unknown(*node)) return node;
    if (is_null(node->args[0]) && is_null(node->args[1])) {
      node->type.kind = Kind::integer;
      return node;
    }
    for (std::size_t i : {std::size_t{0}, std::size_t{1}})
      if (is_null(node->args[i])) node->args[i]->type = node->args[1 - i]->type;
    const Type left = node->args[0]->type, right = node->args[1]->type;
    if (!left.numeric() || !right.numeric()) return calendar(e, std::move(node));
    if (left.kind == Kind::floating || right.kind == Kind::floating) {
      node->type.kind = Kind::floating;
      return node;
    }
    int scale = std::max(left.scale, right.scale);
    if (e.op == Op::multiply) scale = left.scale + right.scale;
    if (e.op == Op::divide) scale = std::min(left.scale + 6, Decimal::max_digits);
    if (scale > Decimal::max_digits)
      fail(Code::overflow, "the product would have " + std::to_string(scale) + " decimals; at most 38 can be held", e,
           "cast(... as decimal(18,4)) shortens one of them");
    node->type = {.kind = scale > 0 ? Kind::decimal : Kind::integer, .scale = scale};
    return node;
  }

  NodePtr concatenate(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type.kind = Kind::text;
    for (std::size_t i = 0; i < node->args.size(); ++i)
      if (!unknown(node->args[i]) && !is_null(node->args[i]) && node->args[i]->type.kind != Kind::text)
        fail(Code::wrong_type, "|| joins texts; " + text_of(*e.args[i]) + " is " + spoken(node->args[i]->type),
             *e.args[i],
             "cast(" + origin_->text.substr(e.args[i]->begin, e.args[i]->end - e.args[i]->begin) + " as varchar)");
    return node;
  }

  NodePtr comparison(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type.kind = Kind::boolean;
    for (std::size_t i = 1; i < node->args.size(); ++i)
      require_comparable(*e.args[0], node->args[0], *e.args[i], node->args[i]);
    for (std::size_t i = 0; i < node->args.size(); ++i)
      if (node->args[i]->type.kind == Kind::interval)
        fail(Code::wrong_type, "intervals cannot be compared", *e.args[i]);
    return node;
  }

  NodePtr logical(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type.kind = Kind::boolean;
    for (std::size_t i = 0; i < node->args.size(); ++i) require_condition(*e.args[i], node->args[i]);
    return node;
  }

  NodePtr like(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type.kind = Kind::boolean;
    for (std::size_t i = 0; i < node->args.size(); ++i)
      require_kind(*e.args[i], node->args[i], Kind::text, "like compares texts");
    return node;
  }

  NodePtr case_when(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    std::vector<std::size_t> results;
    for (std::size_t i = 0; i + 1 < node->args.size(); i += 2) {
      require_condition(*e.args[i], node->args[i]);
      results.push_back(i + 1);
    }
    if (node->args.size() % 2 == 1) results.push_back(node->args.size() - 1);
    node->type = common_type(e, *node, results);
    return node;
  }

  NodePtr cast(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type = e.type;
    node->size = e.size;
    // Two casts to types of different sizes are two.
    node->text =
        std::to_string(e.size.characters) + "," + std::to_string(e.size.digits) + "," + std::to_string(e.size.bits);
    if (any_unknown(*node) || is_null(node->args[0])) return node;
    const Type& from = node->args[0]->type;
    const Kind to = e.type.kind;
    const auto moment = [](Kind kind) { return kind == Kind::date || kind == Kind::timestamp; };
    const bool possible = from.kind == to || from.kind == Kind::text || to == Kind::text ||
                          (from.numeric() && e.type.numeric()) || (moment(from.kind) && moment(to));
    if (!possible || from.kind == Kind::interval)
      fail(Code::wrong_type, text_of(*e.args[0]) + " is " + spoken(from) + " and cannot become " + spoken(e.type), e);
    if (to == Kind::timestamp) {
      node->type.zoned = from.zoned;
      node->type.zone = from.zone;
    }
    return node;
  }

  NodePtr extract(const Expression& e) {
    NodePtr node = with_args(e, e.op);
    node->type.kind = Kind::integer;
    const Kind from = node->args[0]->type.kind;
    if (from == Kind::interval) {
      if (node->args[0]->op != Op::days_of || e.text != node->args[0]->text)
        fail(Code::wrong_type, "from a difference its own unit is extracted", e,
             "extract(day from (shipped_on - ordered_on) day), extract(hour from (until_at - from_at) hour)");
      return node;
    }
    require_moment(*e.args[0], node->args[0], "extract takes");
    if (from == Kind::date && (e.text == "hour" || e.text == "minute" || e.text == "second"))
      fail(Code::wrong_type, "a date has no " + e.text, *e.args[0]);
    if (e.text == "second") node->type = {.kind = Kind::decimal, .scale = 6};
    return node;
  }

  NodePtr days_of(const Expression& e) {
    if (e.args[0]->op != Op::subtract)
      fail(Code::wrong_type, "`(...) " + e.text + "` takes the difference of two dates", e,
           "(shipped_on - ordered_on) " + e.text);
    NodePtr node = make_node(Op::days_of, {.kind = Kind::interval}, e, origin_);
    for (const ExpressionPtr& arg : e.args[0]->args) {
      node->args.push_back(bind(*arg));
      require_moment(*arg, node->args.back(), "`(a - b) " + e.text + "` takes");
    }
    node->text = e.text;
    return node;
  }

  NodePtr call(const Expression& e) {
    if (e.over) {
      if (is_total(e.function) || is_window_function(e.function)) return scope_.window(e, origin_);
      if (e.function != Function::none)
        fail(Code::wrong_arguments, "`" + e.text + "` has no window; leave out `over`", e);
    }
    const bool total = is_total(e.function) && (!is_window_function(e.function) || !e.within_group.empty());
    if (is_window_function(e.function) && !total)
      fail(Code::wrong_arguments, "`" + e.text + "` goes with a window: which rows does it see?", e,
           e.text + "(...) over (partition by shop_no order by ordered_on)" +
               (is_total(e.function) ? ", or as a total " + e.text + "(...) within group (order by ordered_on)" : ""));
    if (total || is_constant(e.function)) return scope_.aggregate(e, origin_);

    // A function of one row.
    const FunctionInfo* const info = find_row_function(e.text);
    if (info == nullptr) {
      if (const auto now = current_name(e.text + "()"))
        fail(Code::retired_name, "`" + e.text + "` is now `" + std::string(*now) + "`", name_only(e));
      const std::string ours = near_function(e.text);
      fail(Code::unknown_function, "no function `" + e.text + "`", name_only(e), ours,
           ours.empty() ? nearest_word(e.text, function_names()) : std::string());
    }
    if (e.filter) fail(Code::wrong_arguments, "`filter` goes with totals only", *e.filter);
    if (!e.within_group.empty()) fail(Code::wrong_arguments, "`" + e.text + "` takes no order", e);
    if (e.nulls != NullTreatment::unwritten || e.from_last)
      fail(Code::wrong_arguments, "`ignore nulls` and `from last` go with window functions only", e);
    if (e.distinct) fail(Code::wrong_arguments, "`distinct` goes with count, sum and avg", e);
    const auto count = static_cast<int>(e.args.size());
    if (count < info->least_args || count > info->most_args)
      fail(Code::wrong_arguments, "`" + e.text + "` takes " + arguments_text(*info) + ", not " + std::to_string(count),
           e, std::string(info->signature));

    // Its arguments and its type.
    NodePtr node = with_args(e, Op::call);
    node->function = info->function;
    node->first_month = scope_.first_month();
    node->type = call_type(e, *info, *node);
    return node;
  }

  Scope& scope_;
  std::vector<Problem>& problems_;
};

}  // namespace

NodePtr make_literal(Value value, Type type, const Expression& at, const std::shared_ptr<const Origin>& origin) {
  NodePtr node = make_node(Op::literal, type, at, origin);
  node->value = std::move(value);
  return node;
}

NodePtr make_column(int column, Type type, const Expression& at, const std::shared_ptr<const Origin>& origin) {
  NodePtr node = make_node(Op::name, type, at, origin);
  node->column = column;
  return node;
}

NodePtr make_unknown(const Expression& at, const std::shared_ptr<const Origin>& origin) {
  NodePtr node = make_node(Op::name, {}, at, origin);
  return node;
}

NodePtr bind(const Expression& expression, Scope& scope, const std::shared_ptr<const Origin>& origin,
             std::vector<Problem>& problems) {
  return Binding(scope, origin, problems).bind(expression);
}

void complete(Node& node) {
  if (node.completed) return;
  node.completed = true;
  node.constant = node.op != Op::name;
  if (node.op == Op::name) node.text_column = node.type.kind == Kind::text ? node.column : Node::other_columns;
  for (const NodePtr& arg : node.args) {
    complete(*arg);
    node.constant = node.constant && arg->constant;
    if (arg->text_column == Node::no_column || node.text_column == arg->text_column) continue;
    node.text_column = node.text_column == Node::no_column ? arg->text_column : Node::other_columns;
  }
  if (node.op != Op::name && node.text_column >= 0 && node.type.kind != Kind::interval)
    node.only_text_column = node.text_column;
}

int finish(Node& root, int first_slot) {
  complete(root);
  int slot = first_slot;
  const auto number = [&](const auto& self, Node& node) -> void {
    if (node.slot >= 0) return;
    node.slot = slot++;
    for (const NodePtr& arg : node.args) self(self, *arg);
  };
  number(number, root);
  return slot;
}

}  // namespace lofty::engine
