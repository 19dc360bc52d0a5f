#include "window/call.hpp"

#include <algorithm>
#include <functional>
#include <map>
#include <set>
#include <unordered_map>

#include "formula/evaluator.hpp"
#include "formula/lexer.hpp"
#include "table/nearest.hpp"

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

class NothingSource : public RowSource {
 public:
  std::size_t rows() const override { return 1; }
  void load(int, std::size_t, std::size_t, Vector&) const override {}
  const Dictionary* dictionary(int) const override { return nullptr; }
};

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

class Binder {
 public:
  Binder(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
         const std::vector<NamedWindow>& named, std::vector<Problem>& problems)
      : e_(e), scope_(scope), origin_(origin), named_(named), problems_(problems) {}

  std::unique_ptr<WindowCall> bind() {
    auto call = std::make_unique<WindowCall>();
    call->name = e_.text;
    call->text = origin_->text.substr(e_.begin, e_.end - e_.begin);
    bind_clause(*e_.over, origin_, *call, 0);
    bind_function(*call);
    check_frame(*call);
    return call;
  }

 private:
  [[noreturn]] void fail(Code code, std::string sentence, const Expression& at,
                         const std::shared_ptr<const Origin>& origin, std::string advice = {},
                         std::string nearest = {}) const {
    throw Error(problem_at(code, std::move(sentence), at, origin, std::move(nearest), std::move(advice)));
  }
  [[noreturn]] void fail(Code code, std::string sentence, std::string advice = {}) const {
    fail(code, std::move(sentence), e_, origin_, std::move(advice));
  }
  static Expression stretch(std::size_t begin, std::size_t end) {
    Expression at;
    at.begin = begin;
    at.end = end;
    return at;
  }
  NodePtr bound(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    NodePtr node = engine::bind(e, scope_, origin, problems_);
    complete(*node);  // for `constant`; its slots are given by the caller of bind_window()
    return node;
  }
  static bool known(const Type& type) { return type.kind != Kind::unknown; }
  std::string shown(const Expression& e, const std::shared_ptr<const Origin>& origin) const {
    return "`" + origin->text.substr(e.begin, e.end - e.begin) + "`";
  }

  // ---- what follows `over`

  const NamedWindow& find(const WindowClause& clause, const std::shared_ptr<const Origin>& origin) const {
    std::vector<std::string> names;
    for (const NamedWindow& one : named_) {
      if (equal_folded(one.name, clause.base)) return one;
      names.push_back(one.name);
    }
    const std::string nearest = nearest_word(clause.base, names);
    fail(Code::unknown_word, "no window is called `" + clause.base + "`", stretch(clause.base_begin, clause.base_end),
         origin,
         names.empty() ? clause.base + " = \"partition by ... order by ...\" under [window_defs] makes one" : "",
         nearest);
  }

  // ISO/IEC 9075-2, 7.15: a window that builds on another takes its partition; it may order where that one does not,
  // and add a frame where that one has none.
  void bind_clause(const WindowClause& clause, const std::shared_ptr<const Origin>& origin, WindowCall& call,
                   int depth) {
    if (!clause.base.empty()) {
      const NamedWindow& base = find(clause, origin);
      const Expression at = stretch(clause.base_begin, clause.base_end);
      if (depth > 20) fail(Code::circular, "the window `" + clause.base + "` builds on itself", at, origin);
      bind_clause(base.clause, base.origin, call, depth + 1);
      if (!clause.partition.empty())
        fail(Code::wrong_arguments, "`" + clause.base + "` has said the partition already", *clause.partition.front(),
             origin, "leave out `partition by`, or the name");
      if (!clause.order.empty() && !call.order.empty())
        fail(Code::wrong_arguments, "`" + clause.base + "` has an order already", *clause.order.front().expression,
             origin, "leave out `order by`, or take it from " + clause.base);
      if (call.frame_written && !clause.bare)
        fail(Code::wrong_arguments, "`" + clause.base + "` has a frame, so nothing can build on it", at, origin,
             "over " + clause.base + ", without brackets, uses it as it is");
    }

    // Its own clauses.
    for (const ExpressionPtr& part : clause.partition)
      call.partition.push_back({bound(*part, origin), false, Nulls::last, text_of(*part, origin)});
    for (const SortItem& item : clause.order)
      call.order.push_back({bound(*item.expression, origin), item.descending,
                            item.nulls_written && item.nulls_first ? Nulls::first : Nulls::last,
                            text_of(*item.expression, origin)});
    if (clause.frame) bind_frame(*clause.frame, clause, origin, call);

    // The order's only key is needed again for a range's ends.
    if (clause.order.size() == 1) {
      range_key_ = clause.order.front().expression.get();
      range_origin_ = origin;
    }
  }
  static std::string text_of(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    return origin->text.substr(e.begin, e.end - e.begin);
  }

  void bind_frame(const FrameClause& frame, const WindowClause& clause, const std::shared_ptr<const Origin>& origin,
                  WindowCall& call) {
    call.frame_written = true;
    call.frame.unit = frame.unit;
    call.frame.excluded = frame.excluded;
    if (clause.order.size() == 1) {
      range_key_ = clause.order.front().expression.get();
      range_origin_ = origin;
    }
    if (frame.unit == FrameUnit::groups && call.order.empty())
      fail(Code::wrong_arguments, "`groups` counts peers, and without `order by` all rows are peers",
           stretch(frame.begin, frame.end), origin, "order by ... in front of it");
    call.frame.from = bind_end(frame, frame.from, true, origin, call);
    call.frame.to = bind_end(frame, frame.to, false, origin, call);
  }

  Bound bind_end(const FrameClause& frame, const FrameClause::End& end, bool from,
                 const std::shared_ptr<const Origin>& origin, WindowCall& call) {
    Bound bound_at{end.edge, 0, 0};
    if (!end.distance) return bound_at;
    NodePtr distance = bound(*end.distance, origin);
    if (!distance->constant)
      fail(Code::wrong_arguments,
           "the distance of a frame is a number that is the same for all rows; " + shown(*end.distance, origin) +
               " is not",
           *end.distance, origin, "6 preceding, or :days preceding");
    if (frame.unit == FrameUnit::range) {
      range_end(end, from, origin, call);
      check_sign(*distance, *end.distance, origin);
      return bound_at;
    }
    if (known(distance->type) && distance->type.kind != Kind::integer)
      fail(Code::wrong_type,
           std::string("`") + (frame.unit == FrameUnit::rows ? "rows" : "groups") + "` counts in whole numbers; " +
               shown(*end.distance, origin) + " is " + kind_name(distance->type.kind),
           *end.distance, origin,
           distance->type.kind == Kind::interval ? "range between ... goes by the order's key" : "");
    bound_at.distance = whole_number(*distance, *end.distance, origin, 0, "a distance");
    return bound_at;
  }

  // What the order's key is at the end of a frame: key - distance where the order ascends and the end precedes.
  void range_end(const FrameClause::End& end, bool from, const std::shared_ptr<const Origin>& origin,
                 WindowCall& call) {
    if (call.order.size() != 1)
      fail(Code::wrong_arguments,
           call.order.empty() ? "a range needs an order to measure its distance in"
                              : "a range with a distance goes by one key; this window orders by several",
           stretch(end.begin, end.end), origin,
           call.order.empty() ? "order by ordered_on" : "rows, or groups, count along any number of keys");
    const bool minus = (end.edge == Edge::preceding) != call.order.front().descending;
    Expression moved;
    moved.op = minus ? Op::subtract : Op::add;
    moved.begin = end.begin;
    moved.end = end.end;
    moved.args.push_back(copy(*range_key_));
    moved.args.push_back(copy(*end.distance));

    // Its parts may be in two texts; a problem is shown in the frame's.
    NodePtr key = bound(*range_key_, range_origin_);
    if (known(key->type) && !key->type.numeric() && key->type.kind != Kind::date && key->type.kind != Kind::timestamp)
      fail(Code::wrong_type,
           "a range measures distances between numbers, dates or timestamps; " + shown(*range_key_, range_origin_) +
               " is " + kind_name(key->type.kind),
           stretch(end.begin, end.end), origin, "rows, or groups, count along any key");

    // A distance that fits the key.
    const NodePtr distance = bound(*end.distance, origin);
    if ((key->type.kind == Kind::date || key->type.kind == Kind::timestamp) && distance->type.numeric())
      fail(Code::wrong_type, "a range over " + std::string(kind_name(key->type.kind)) + "s is measured in intervals",
           *end.distance, origin,
           "interval '" + origin->text.substr(end.distance->begin, end.distance->end - end.distance->begin) +
               "' day, or :days * interval '1' day");

    // The end is the key, moved by the distance.
    std::vector<Problem> found;
    NodePtr node;
    if (range_origin_ == origin) {
      node = engine::bind(moved, scope_, origin, found);
    } else {
      node = engine::bind(moved, scope_, merged_origin(moved, origin), found);
    }
    for (Problem& p : found) problems_.push_back(std::move(p));
    (from ? call.range_from : call.range_to) = std::move(node);
  }

  // Where the key is in a named window and the frame does not, both are written into one text for messages.
  std::shared_ptr<const Origin> merged_origin(Expression& moved, const std::shared_ptr<const Origin>& origin) const {
    const std::string left = text_of(*range_key_, range_origin_), right = text_of(*moved.args[1], origin);
    const std::string sign = moved.op == Op::subtract ? " - " : " + ";
    auto made = std::make_shared<Origin>(Origin{origin->key, left + sign + right});
    shift(*moved.args[0], -static_cast<std::ptrdiff_t>(range_key_->begin));
    shift(*moved.args[1],
          static_cast<std::ptrdiff_t>(left.size() + sign.size()) - static_cast<std::ptrdiff_t>(moved.args[1]->begin));
    moved.begin = 0;
    moved.end = made->text.size();
    return made;
  }
  static void shift(Expression& e, std::ptrdiff_t by) {
    e.begin = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(e.begin) + by);
    e.end = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(e.end) + by);
    for (const ExpressionPtr& arg : e.args) shift(*arg, by);
  }

  Value constant_value(const Node& node) const {
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
      throw Error(Problem{failure.code, failure.sentence, {}, {}, failure.advice});
    }
  }

  // Intervals and numbers alike: a frame's distance is not negative.
  void check_sign(const Node& distance, const Expression& at, const std::shared_ptr<const Origin>& origin) const {
    const Node* number = &distance;
    if (distance.op == Op::multiply && distance.type.kind == Kind::interval) {
      check_sign(*distance.args[0], at, origin);
      number = distance.args[1].get();
    }
    if (!number->type.numeric() && number->op != Op::interval) return;
    const Value value = constant_value(*number);
    const auto* exact = std::get_if<Decimal>(&value);
    const auto* floating = std::get_if<double>(&value);
    if (is_null(value) || (exact != nullptr && exact->coefficient() < 0) || (floating != nullptr && !(*floating >= 0)))
      fail(Code::bad_value, "a distance is not negative, and not null", at, origin,
           "`preceding` and `following` say the direction");
  }

  std::int64_t whole_number(const Node& node, const Expression& at, const std::shared_ptr<const Origin>& origin,
                            std::int64_t least, const std::string& what) const {
    if (!known(node.type) && node.op != Op::null) return least;
    const Value value = constant_value(node);
    const auto* number = std::get_if<Decimal>(&value);
    if (number == nullptr || number->scale() != 0 || number->coefficient() < least ||
        number->coefficient() > 1'000'000'000'000)
      fail(Code::bad_value,
           what + " is a whole number from " + std::to_string(least) + " on; " + shown(at, origin) + " is " +
               (is_null(value) ? "null" : to_text(value)),
           at, origin);
    return static_cast<std::int64_t>(number->coefficient());
  }

  // ---- the function

  void arguments(std::size_t least, std::size_t most, const char* example) const {
    if (e_.args.size() >= least && e_.args.size() <= most) return;
    fail(Code::wrong_arguments,
         "`" + e_.text + "` takes " +
             (most == 0
                  ? std::string("no argument")
                  : (least == most ? std::to_string(least) : std::to_string(least) + " to " + std::to_string(most)) +
                        (most == 1 ? " argument" : " arguments")) +
             ", not " + std::to_string(e_.args.size()),
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
           "`" + e_.text + "` takes numbers; " + shown(at, origin_) + " is " + kind_name(node->type.kind), at, origin_);
  }
  static Type mean_type(const Type& type) {
    return type.exact() ? Type{.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)} : type;
  }

  bool is(std::initializer_list<const char*> names) const {
    return std::any_of(names.begin(), names.end(), [&](const char* one) { return e_.text == one; });
  }

  void bind_function(WindowCall& call) {
    const bool picks = is({"lag", "lead", "first_value", "last_value", "nth_value"});
    const bool percentile = is({"percentile_cont", "percentile_disc"});
    check_clauses(picks, percentile);
    call.ignore_nulls = e_.nulls == NullTreatment::ignore;
    call.from_last = e_.from_last;
    call.type = {.kind = Kind::integer};
    if (e_.filter) {
      call.filter = bound(*e_.filter, origin_);
      if (known(call.filter->type) && call.filter->type.kind != Kind::boolean)
        fail(Code::wrong_type, "the filter is not a condition", *e_.filter, origin_);
    }
    if (is({"row_number", "rank", "dense_rank", "percent_rank", "cume_dist"})) return bind_place(call);
    if (is({"ntile"})) {
      arguments(1, 1, "ntile(4) over (order by spend desc)");
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
    const bool total = is({"sum", "count", "avg", "min", "max", "median"}) || percentile;
    if (e_.filter && !total) fail(Code::wrong_arguments, "`filter` goes with totals only");
    if (e_.distinct && !is({"count"})) fail(Code::wrong_arguments, "`distinct` goes with count only");
    if (e_.nulls != NullTreatment::unwritten && !picks)
      fail(Code::wrong_arguments, "`ignore nulls` goes with lag, lead, first_value, last_value and nth_value");
    if (e_.from_last && !is({"nth_value"})) fail(Code::wrong_arguments, "`from last` goes with nth_value only");
    if (!e_.within_group.empty() && !percentile)
      fail(Code::wrong_arguments, "an order of its own goes with percentile_cont and percentile_disc",
           "the window's order stands behind `over`");
  }

  void bind_place(WindowCall& call) {
    const std::string& name = e_.text;
    arguments(0, 0, (name + "() over (order by spend desc)").c_str());
    if (name != "row_number") need_order(call);
    call.function = name == "row_number"     ? WindowFunction::row_number
                    : name == "rank"         ? WindowFunction::rank
                    : name == "dense_rank"   ? WindowFunction::dense_rank
                    : name == "percent_rank" ? WindowFunction::percent_rank
                                             : WindowFunction::cume_dist;
    if (is({"percent_rank", "cume_dist"})) call.type = {.kind = Kind::decimal, .scale = 6};
  }

  void bind_total(WindowCall& call) {
    const std::string& name = e_.text;
    arguments(1, 1,
              name == "count" ? "count(*) over (partition by shop_no)" : "sum(amount) over (partition by shop_no)");
    const bool star = e_.args[0]->op == Op::star;
    if (star && name != "count") fail(Code::wrong_arguments, "`*` stands only in count(*)", *e_.args[0], origin_);
    if (!star) call.value = bound(*e_.args[0], origin_);

    // What it adds up.
    if (name == "count") {
      call.function = star          ? WindowFunction::count_rows
                      : e_.distinct ? WindowFunction::count_distinct
                                    : WindowFunction::count;
      return;
    }
    call.type = call.value->type;
    if (is({"min", "max"})) {
      call.function = name == "min" ? WindowFunction::least : WindowFunction::greatest;
      return;
    }
    need_number(call.value, *e_.args[0]);
    if (name == "sum") {
      call.function = WindowFunction::sum;
      return;
    }
    call.function = name == "avg" ? WindowFunction::average : WindowFunction::percentile_cont;
    if (name == "median") call.fraction = Decimal(5, 1);
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
    const std::string& name = e_.text;
    const bool shifts = name == "lag" || name == "lead", nth = name == "nth_value";
    arguments(nth ? 2 : 1,
              shifts ? 3
              : nth  ? 2
                     : 1,
              shifts ? "lag(amount, 1, 0) over (partition by shop_no order by ordered_on)"
              : nth  ? "nth_value(amount, 2) over (partition by shop_no order by ordered_on)"
                     : "first_value(amount) over (partition by shop_no order by ordered_on)");
    if (shifts) need_order(call);

    // Whose value it is.
    call.value = bound(*e_.args[0], origin_);
    call.type = call.value->type;
    call.function = name == "lag"           ? WindowFunction::lag
                    : name == "lead"        ? WindowFunction::lead
                    : name == "first_value" ? WindowFunction::first_value
                    : name == "last_value"  ? WindowFunction::last_value
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
               "what stands in for a missing row is " + std::string(kind_name(other.kind)) + ", and " +
                   shown(*e_.args[0], origin_) + " is " + kind_name(call.type.kind),
               *e_.args[2], origin_);
        }
      }
    }
  }

  void bind_percentile(WindowCall& call) {
    arguments(1, 1, "percentile_cont(0.9) within group (order by amount) over (partition by shop_no)");
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
      fail(Code::bad_value, "the fraction lies between 0 and 1, with 15 decimals at most", *e_.args[0], origin_, "0.9");
    call.fraction = *number;
    const SortItem& item = e_.within_group.front();
    call.value = bound(*item.expression, origin_);
    call.descending = item.descending;
    call.type = call.value->type;
    call.function = WindowFunction::percentile_disc;
    if (e_.text == "percentile_cont") {
      need_number(call.value, *item.expression);
      call.function = WindowFunction::percentile_cont;
      call.type = mean_type(call.type);
    }
  }

  void check_frame(const WindowCall& call) const {
    if (call.uses_frame() || !call.frame_written) return;
    fail(Code::wrong_arguments, "`" + e_.text + "` goes by the partition and its order; a frame says nothing to it",
         "leave out `" +
             std::string(call.frame.unit == FrameUnit::rows    ? "rows"
                         : call.frame.unit == FrameUnit::range ? "range"
                                                               : "groups") +
             " ...`");
  }

  const Expression& e_;
  Scope& scope_;
  const std::shared_ptr<const Origin>& origin_;
  const std::vector<NamedWindow>& named_;
  std::vector<Problem>& problems_;
  const Expression* range_key_ = nullptr;
  std::shared_ptr<const Origin> range_origin_;
};

}  // namespace

std::unique_ptr<WindowCall> bind_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                                        const std::vector<NamedWindow>& named, std::vector<Problem>& problems) {
  return Binder(e, scope, origin, named, problems).bind();
}

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
