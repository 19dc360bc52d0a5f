// The function of a window call: which clauses it may have, its arguments, and the type of its result.
// Covered by tests/window/windows_test.cpp.

#include <algorithm>

#include "window/binding.hpp"
#include "window/spreads.hpp"

namespace lofty::engine {
namespace {

using F = Function;

class FunctionBinder : CallBinding {
 public:
  explicit FunctionBinder(const CallBinding& call) : CallBinding(call) {}

  void bind(WindowCall& out) {
    bind_function(out);
    check_frame(out);
  }

 private:
  // Throws where there are more or fewer arguments than the registry says.
  void check_arguments(const std::string& example) const {
    const FunctionInfo* const window = function_in(e_.function, CalledIn::windows);
    const FunctionInfo& info = window != nullptr ? *window : *function_in(e_.function, CalledIn::totals);
    const auto count = static_cast<int>(e_.args.size());
    if (count < info.least_args || count > info.most_args)
      fail(Code::wrong_arguments, "`" + e_.text + "` takes " + arguments_text(info) + ", not " + std::to_string(count),
           example);
  }

  void need_order(const WindowCall& call) const {
    if (call.order.empty())
      fail(Code::wrong_arguments, "`" + e_.text + "` goes by an order, and this window has none",
           "over (order by ordered_on)");
  }
  void need_number(const NodePtr& node, const Expression& at) const {
    if (known(node->type) && !node->type.numeric())
      fail(Code::wrong_type,
           "`" + e_.text + "` takes numbers; " + shown(at, origin_) + " is " + to_string(node->type.kind), at, origin_);
  }
  static Type mean_type(const Type& type) {
    return type.exact() ? Type{.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)} : type;
  }

  bool is(std::initializer_list<Function> functions) const {
    return std::find(functions.begin(), functions.end(), e_.function) != functions.end();
  }

  void bind_function(WindowCall& call) {
    const bool picks = is({F::lag, F::lead, F::first_value, F::last_value, F::nth_value});
    const bool percentile = is({F::percentile_cont, F::percentile_disc});
    check_clauses(picks, percentile);
    call.ignore_nulls = e_.nulls == NullTreatment::ignore;
    call.from_last = e_.from_last;
    call.type = {.kind = Kind::integer};
    if (e_.filter) {
      call.filter = bound(*e_.filter, origin_);
      if (known(call.filter->type) && call.filter->type.kind != Kind::boolean)
        fail(Code::wrong_type, "the filter is not a condition", *e_.filter, origin_);
    }
    if (is({F::row_number, F::rank, F::dense_rank, F::percent_rank, F::cume_dist})) return bind_place(call);
    if (is({F::ntile})) {
      check_arguments("ntile(4) over (order by spend desc)");
      need_order(call);
      call.function = WindowFunction::ntile;
      call.count = count_argument(0, 1, "the number of tiers");
      return;
    }
    if (picks) return bind_pick(call);
    if (percentile) return bind_percentile(call);
    bind_total(call);
  }

  // Clauses that only some functions have.
  void check_clauses(bool picks, bool percentile) {
    const bool total =
        is({F::sum, F::count, F::average, F::minimum, F::maximum, F::median}) || is_spread(e_.function) || percentile;
    if (e_.filter && !total) fail(Code::wrong_arguments, "`filter` goes with totals only");
    if (e_.distinct && !is({F::count})) fail(Code::wrong_arguments, "`distinct` goes with count only");
    if (e_.nulls != NullTreatment::unwritten && !picks)
      fail(Code::wrong_arguments, "`ignore nulls` goes with lag, lead, first_value, last_value and nth_value");
    if (e_.from_last && !is({F::nth_value})) fail(Code::wrong_arguments, "`from last` goes with nth_value only");
    if (!e_.within_group.empty() && !percentile)
      fail(Code::wrong_arguments, "`within group` goes with percentile_cont and percentile_disc",
           "write the order of the window after `over`");
  }

  void bind_place(WindowCall& call) {
    check_arguments(e_.text + "() over (order by spend desc)");
    if (!is({F::row_number})) need_order(call);
    call.function = is({F::row_number})     ? WindowFunction::row_number
                    : is({F::rank})         ? WindowFunction::rank
                    : is({F::dense_rank})   ? WindowFunction::dense_rank
                    : is({F::percent_rank}) ? WindowFunction::percent_rank
                                            : WindowFunction::cume_dist;
    if (is({F::percent_rank, F::cume_dist})) call.type = {.kind = Kind::decimal, .scale = 6};
  }

  void bind_total(WindowCall& call) {
    const bool counts = is({F::count});
    check_arguments(counts ? "count(*) over (partition by shop_no)" : "sum(amount) over (partition by shop_no)");
    const bool star = e_.args[0]->op == Op::star;
    if (star && !counts) fail(Code::wrong_arguments, "`*` is allowed in count(*) only", *e_.args[0], origin_);
    if (!star) call.value = bound(*e_.args[0], origin_);

    // What it adds up.
    if (counts) {
      call.function = star          ? WindowFunction::count_rows
                      : e_.distinct ? WindowFunction::count_distinct
                                    : WindowFunction::count;
      return;
    }
    call.type = call.value->type;
    if (is({F::minimum, F::maximum})) {
      call.function = is({F::minimum}) ? WindowFunction::least : WindowFunction::greatest;
      return;
    }
    need_number(call.value, *e_.args[0]);
    if (is({F::sum})) {
      call.function = WindowFunction::sum;
      return;
    }
    if (is_spread(e_.function)) {
      const Spread spread = spread_of(e_.function);
      const auto type = type_of(spread, call.type);
      if (!type)
        fail(Code::wrong_type, "the squares of " + shown(*e_.args[0], origin_) + " have more than 38 decimals",
             *e_.args[0], origin_, "cast(... as float)");
      call.function = spread.root ? WindowFunction::deviation : WindowFunction::variance;
      call.count = spread.less;
      call.type = *type;
      return;
    }
    call.function = is({F::average}) ? WindowFunction::average : WindowFunction::percentile_cont;
    if (is({F::median})) call.fraction = Decimal(5, 1);
    call.type = mean_type(call.type);
  }

  std::int64_t count_argument(std::size_t at, std::int64_t least, const std::string& what) {
    const NodePtr node = bound(*e_.args[at], origin_);
    if (!node->constant)
      fail(Code::wrong_arguments, what + " is the same for all rows", *e_.args[at], origin_,
           "a number, or a choice such as :n");
    if (known(node->type) && node->type.kind != Kind::integer)
      fail(Code::wrong_type, what + " is a whole number", *e_.args[at], origin_);
    return whole_number(*node, *e_.args[at], origin_, least, what);
  }

  void bind_pick(WindowCall& call) {
    const bool shifts = is({F::lag, F::lead}), nth = is({F::nth_value});
    check_arguments(shifts ? "lag(amount, 1, 0) over (partition by shop_no order by ordered_on)"
                    : nth  ? "nth_value(amount, 2) over (partition by shop_no order by ordered_on)"
                           : "first_value(amount) over (partition by shop_no order by ordered_on)");
    if (shifts) need_order(call);

    // Whose value it is.
    call.value = bound(*e_.args[0], origin_);
    call.type = call.value->type;
    call.function = is({F::lag})           ? WindowFunction::lag
                    : is({F::lead})        ? WindowFunction::lead
                    : is({F::first_value}) ? WindowFunction::first_value
                    : is({F::last_value})  ? WindowFunction::last_value
                                           : WindowFunction::nth_value;
    if (e_.args.size() > 1) call.count = count_argument(1, nth ? 1 : 0, nth ? "which one it is" : "the distance");

    // What is there instead of a missing row.
    if (e_.args.size() > 2) {
      call.otherwise = bound(*e_.args[2], origin_);
      const Type other = call.otherwise->type;
      if (known(other) && known(call.type)) {
        if (call.type.numeric() && other.numeric()) {
          if (call.type.kind == Kind::floating || other.kind == Kind::floating)
            call.type = {.kind = Kind::floating};
          else if (other.scale > call.type.scale)
            call.type = other;
        } else if (call.type.kind != other.kind) {
          fail(Code::wrong_type,
               "the value for a missing row is " + std::string(to_string(other.kind)) + ", and " +
                   shown(*e_.args[0], origin_) + " is " + to_string(call.type.kind),
               *e_.args[2], origin_);
        }
      }
    }
  }

  void bind_percentile(WindowCall& call) {
    check_arguments("percentile_cont(0.9) within group (order by amount) over (partition by shop_no)");
    if (e_.within_group.size() != 1)
      fail(Code::wrong_arguments, "`" + e_.text + "` orders by one key",
           "percentile_cont(0.9) within group (order by amount)");
    const NodePtr fraction = bound(*e_.args[0], origin_);
    if (!fraction->constant || (known(fraction->type) && !fraction->type.exact()))
      fail(Code::wrong_arguments, "the fraction is an exact number that is the same for all rows", *e_.args[0], origin_,
           "0.9");
    const Value value = known(fraction->type) ? constant_value(*fraction) : Value(Decimal(5, 1));
    const auto* number = std::get_if<Decimal>(&value);
    if (number == nullptr || number->coefficient() < 0 || *number > Decimal(1, 0) || number->scale() > 15)
      fail(Code::bad_value, "the fraction is between 0 and 1, with 15 decimals at most", *e_.args[0], origin_, "0.9");
    call.fraction = *number;
    const SortItem& item = e_.within_group.front();
    call.value = bound(*item.expression, origin_);
    call.descending = item.descending;
    call.type = call.value->type;
    call.function = WindowFunction::percentile_disc;
    if (is({F::percentile_cont})) {
      need_number(call.value, *item.expression);
      call.function = WindowFunction::percentile_cont;
      call.type = mean_type(call.type);
    }
  }

  void check_frame(const WindowCall& call) const {
    if (call.uses_frame() || !call.frame_written) return;
    fail(Code::wrong_arguments, "`" + e_.text + "` depends on the partition and its order; it takes no frame",
         "leave out `" +
             std::string(call.frame.unit == FrameUnit::rows    ? "rows"
                         : call.frame.unit == FrameUnit::range ? "range"
                                                               : "groups") +
             " ...`");
  }
};

}  // namespace

void bind_function(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                   std::vector<Problem>& problems, WindowCall& out) {
  FunctionBinder(CallBinding(e, scope, origin, problems)).bind(out);
}

}  // namespace lofty::engine
