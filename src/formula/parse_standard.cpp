// Calls and conditions of the standard that say in a word what others say at length: they are parsed into these others,
// so that nothing after the parser knows of them.
// Covered by tests/tool/standard_forms_test.cpp.

#include <algorithm>

#include "formula/functions.hpp"
#include "formula/grammar.hpp"

namespace lofty::engine::grammar {
namespace {

// Builds expressions that all have the text of the one that they stand for.
class Form {
 public:
  explicit Form(const Expression& whole) : begin_(whole.begin), end_(whole.end), whole_(whole) {}

  template <class... Args>
  ExpressionPtr op(Op op, Args... args) const {
    ExpressionPtr out = make(op, begin_);
    (out->args.push_back(std::move(args)), ...);
    out->end = end_;
    return out;
  }
  ExpressionPtr number(int value) const {
    ExpressionPtr out = op(Op::literal);
    out->value = Decimal(value, 0);
    out->type = {.kind = Kind::integer};
    return out;
  }
  ExpressionPtr row_call(const char* function, std::vector<ExpressionPtr> args) const {
    ExpressionPtr out = op(Op::call);
    set_function(*out, function);
    out->args = std::move(args);
    return out;
  }
  // An aggregate, with the filter and the window of the call.
  ExpressionPtr aggregate(const char* function, ExpressionPtr argument, ExpressionPtr filter = nullptr) const {
    ExpressionPtr out = op(Op::call, argument ? std::move(argument) : op(Op::star));
    set_function(*out, function);
    out->filter = filter ? std::move(filter) : whole_.filter ? copy(*whole_.filter) : nullptr;
    if (whole_.over) out->over = std::make_unique<WindowClause>(copy(*whole_.over));
    return out;
  }
  ExpressionPtr argument(std::size_t i = 0) const { return copy(*whole_.args[i]); }
  const Expression& whole() const { return whole_; }

 private:
  std::size_t begin_, end_;
  const Expression& whole_;
};

// every(c): the least truth. min(case when c then 1 when not c then 0 end) = 1
ExpressionPtr every(const Form& form) {
  ExpressionPtr truth = form.op(Op::case_when, form.argument(), form.number(1),
                                form.op(Op::logical_not, form.argument()), form.number(0));
  return form.op(Op::equal, form.aggregate("min", std::move(truth)), form.number(1));
}

// rank(v) within group (order by k): the place that v would have among the rows.
ExpressionPtr hypothetical(const LexemeReader& in, const Form& form) {
  const Expression& whole = form.whole();
  const std::string& function = whole.text;
  if (whole.args.size() != 1 || whole.within_group.size() != 1)
    in.fail("`" + function + "` within a group compares one value with one key",
            function + "(500) within group (order by amount desc)");
  const SortItem& key = whole.within_group.front();
  // Rows before it (and, for cume_dist, its peers). Nulls are last, so that they are before nothing.
  const auto before = [&](bool peers) {
    const Op op = key.descending ? (peers ? Op::greater_equal : Op::greater) : (peers ? Op::less_equal : Op::less);
    ExpressionPtr condition = form.op(op, copy(*key.expression), form.argument());
    if (whole.filter) condition = form.op(Op::logical_and, copy(*whole.filter), std::move(condition));
    return condition;
  };
  const auto rows_before = [&](bool peers) { return form.aggregate("count", nullptr, before(peers)); };

  // Function by function.
  if (whole.function == Function::percent_rank) {  // over no row the place is the first: 0 / 1
    std::vector<ExpressionPtr> args;
    args.push_back(form.aggregate("count", nullptr));
    args.push_back(form.number(1));
    return form.op(Op::divide, rows_before(false), form.row_call("greatest", std::move(args)));
  }
  if (whole.function == Function::cume_dist)
    return form.op(Op::divide, form.op(Op::add, rows_before(true), form.number(1)),
                   form.op(Op::add, form.aggregate("count", nullptr), form.number(1)));
  ExpressionPtr count = rows_before(false);
  if (whole.function == Function::dense_rank) {
    count = form.aggregate("count", copy(*key.expression), before(false));
    count->distinct = true;
  }
  return form.op(Op::add, std::move(count), form.number(1));
}

void need_one_argument(const LexemeReader& in, const Expression& call, const char* example) {
  if (call.args.size() != 1 || call.args[0]->op == Op::star || call.distinct || !call.within_group.empty())
    in.fail("`" + call.text + "` takes one argument", example);
}

}  // namespace

ExpressionPtr standard_form(const LexemeReader& in, ExpressionPtr call) {
  const Form form(*call);
  switch (call->function) {
    case Function::rank:
    case Function::dense_rank:
    case Function::percent_rank:
    case Function::cume_dist:
      return call->within_group.empty() || call->over ? std::move(call) : hypothetical(in, form);
    case Function::every: need_one_argument(in, *call, "every(quantity > 0)"); return every(form);
    case Function::any_value:
      need_one_argument(in, *call, "any_value(amount)");
      return form.aggregate("min", form.argument());
    default: return call;
  }
}

// a is distinct from b: never unknown. (a <> b or a is null or b is null) and not (a is null and b is null)
ExpressionPtr is_distinct_from(const LexemeReader& in, std::size_t begin, ExpressionPtr left, ExpressionPtr right) {
  ExpressionPtr whole = make(in, Op::logical_and, begin);
  const Form form(*whole);
  const auto null = [&](const ExpressionPtr& of) { return form.op(Op::is_null, copy(*of)); };
  ExpressionPtr differ = form.op(Op::unequal, copy(*left), copy(*right));
  differ = form.op(Op::logical_or, form.op(Op::logical_or, std::move(differ), null(left)), null(right));
  whole->args.push_back(std::move(differ));
  whole->args.push_back(form.op(Op::logical_not, form.op(Op::logical_and, null(left), null(right))));
  return whole;
}

// x between symmetric a and b: between them in either order.
ExpressionPtr between_symmetric(const LexemeReader& in, std::size_t begin, ExpressionPtr value, ExpressionPtr low,
                                ExpressionPtr high) {
  ExpressionPtr whole = make(in, Op::logical_or, begin);
  const Form form(*whole);
  whole->args.push_back(form.op(Op::between, copy(*value), copy(*low), copy(*high)));
  whole->args.push_back(form.op(Op::between, std::move(value), std::move(high), std::move(low)));
  return whole;
}

}  // namespace lofty::engine::grammar
