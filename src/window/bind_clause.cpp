// What follows `over`: the windows it builds on, its partition, its order, and its frame with the distances.
// Covered by tests/window/windows_test.cpp.

#include "base/folded.hpp"
#include "formula/lexer.hpp"
#include "window/binding.hpp"

namespace lofty::engine {
namespace {

// A part of the text, for a message.
Expression stretch(std::size_t begin, std::size_t end) {
  Expression at;
  at.begin = begin;
  at.end = end;
  return at;
}

class ClauseBinder : CallBinding {
 public:
  ClauseBinder(const CallBinding& call, const std::vector<NamedWindow>& named) : CallBinding(call), named_(named) {}

  void bind(WindowCall& out) { bind_clause(*e_.over, origin_, out, 0); }

 private:
  const NamedWindow& find(const WindowClause& clause, const OriginPtr& origin) const {
    std::vector<std::string> names;
    for (const NamedWindow& one : named_) {
      if (equal_folded(one.name, clause.base)) return one;
      names.push_back(one.name);
    }
    const std::string nearest = nearest_word(clause.base, names);
    fail(Code::unknown_word, "no window is called `" + clause.base + "`", stretch(clause.base_begin, clause.base_end),
         origin,
         names.empty() ? clause.base + " = \"partition by ... order by ...\" under [named_windows] makes one" : "",
         nearest);
  }

  // ISO/IEC 9075-2, 7.15: a window that builds on another takes its partition; it may order where that one does not,
  // and add a frame where that one has none.
  void bind_clause(const WindowClause& clause, const OriginPtr& origin, WindowCall& call, int depth) {
    if (!clause.base.empty()) {
      const NamedWindow& base = find(clause, origin);
      const Expression at = stretch(clause.base_begin, clause.base_end);
      if (depth > 20) fail(Code::circular, "the window `" + clause.base + "` builds on itself", at, origin);
      bind_clause(base.clause, base.origin, call, depth + 1);
      if (!clause.partition.empty())
        fail(Code::wrong_arguments, "`" + clause.base + "` already has a partition", *clause.partition.front(), origin,
             "leave out `partition by`, or the name");
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

  void bind_frame(const FrameClause& frame, const WindowClause& clause, const OriginPtr& origin, WindowCall& call) {
    call.frame_written = true;
    call.frame.unit = frame.unit;
    call.frame.excluded = frame.excluded;
    if (clause.order.size() == 1) {
      range_key_ = clause.order.front().expression.get();
      range_origin_ = origin;
    }
    if (frame.unit == FrameUnit::groups && call.order.empty())
      fail(Code::wrong_arguments, "`groups` counts peers, and without `order by` all rows are peers",
           stretch(frame.begin, frame.end), origin, "order by ... before it");
    call.frame.from = bind_end(frame, frame.from, true, origin, call);
    call.frame.to = bind_end(frame, frame.to, false, origin, call);
  }

  Bound bind_end(const FrameClause& frame, const FrameClause::End& end, bool from, const OriginPtr& origin,
                 WindowCall& call) {
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
               shown(*end.distance, origin) + " is " + to_string(distance->type.kind),
           *end.distance, origin,
           distance->type.kind == Kind::interval ? "range between ... goes by the order's key" : "");
    bound_at.distance = whole_number(*distance, *end.distance, origin, 0, "a distance");
    return bound_at;
  }

  // What the order's key is at the end of a frame: key - distance where the order ascends and the end precedes.
  void range_end(const FrameClause::End& end, bool from, const OriginPtr& origin, WindowCall& call) {
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
               " is " + to_string(key->type.kind),
           stretch(end.begin, end.end), origin, "rows, or groups, count along any key");

    // A distance that fits the key.
    const NodePtr distance = bound(*end.distance, origin);
    if ((key->type.kind == Kind::date || key->type.kind == Kind::timestamp) && distance->type.numeric())
      fail(Code::wrong_type, "a range over " + std::string(to_string(key->type.kind)) + "s is measured in intervals",
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
  std::shared_ptr<const Origin> merged_origin(Expression& moved, const OriginPtr& origin) const {
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

  // Intervals and numbers alike: a frame's distance is not negative.
  void check_sign(const Node& distance, const Expression& at, const OriginPtr& origin) const {
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

  const std::vector<NamedWindow>& named_;
  const Expression* range_key_ = nullptr;  // the order's only key, and the text it is in
  OriginPtr range_origin_;
};

}  // namespace

void bind_clause(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                 const std::vector<NamedWindow>& named, std::vector<Problem>& problems, WindowCall& out) {
  ClauseBinder(CallBinding(e, scope, origin, problems), named).bind(out);
}

}  // namespace lofty::engine
