// Conditions, whose truth may be unknown.
#include "formula/evaluator_call.hpp"

#include <algorithm>
#include <cstdlib>
#include <functional>

#include "value/zone.hpp"

namespace lofty::engine {

bool Evaluator::Call::holds(Op op, int order) {
  switch (op) {
    case Op::equal: return order == 0;
    case Op::unequal: return order != 0;
    case Op::less: return order < 0;
    case Op::less_equal: return order <= 0;
    case Op::greater: return order > 0;
    default: return order >= 0;
  }
}

std::int64_t Evaluator::Call::instant(const Vector& v, const Vector& other, std::size_t i) {
  const bool wall = v.type.kind == Kind::timestamp && !v.type.zoned && other.type.zone != nullptr;
  return wall ? other.type.zone->to_instant(v.ints[i]) : v.ints[i];
}

int Evaluator::Call::compare(const Vector& a, const Vector& b, std::size_t i) {
  if (a.type.kind == Kind::text) {
    if (a.lane == Vector::Lane::code && b.lane == Vector::Lane::code && a.dictionary == b.dictionary &&
        a.codes[i] == b.codes[i])
      return 0;
    return a.text(i).compare(b.text(i));
  }
  if (a.lane == Vector::Lane::float64 || b.lane == Vector::Lane::float64) {
    const auto number = [i](const Vector& v) {
      return v.lane == Vector::Lane::float64 ? v.doubles[i] : Decimal(v.exact(i), v.type.scale).to_double();
    };
    const double x = number(a), y = number(b);
    return x < y ? -1 : x > y;
  }
  if (a.type.kind == b.type.kind && !a.type.exact()) {
    const std::int64_t x = instant(a, b, i), y = instant(b, a, i);
    return x < y ? -1 : x > y;
  }
  if (!a.type.exact()) {  // a date against a timestamp: by days
    const std::int64_t x = day_at(a.type, a.ints[i]), y = day_at(b.type, b.ints[i]);
    return x < y ? -1 : x > y;
  }
  return compare_decimals(a.exact(i), a.type.scale, b.exact(i), b.type.scale);
}

namespace {

// truth(x, y) of each pair, which is null where either is.
template <class Truth>
void compare_int64(const std::vector<std::int64_t>& a, const std::vector<std::int64_t>& b,
                   std::vector<std::int64_t>& out, const Truth& truth) {
  for (std::size_t i = 0; i < out.size(); ++i) {
    const std::int64_t x = a[i], y = b[i];
    out[i] = x == int64_null || y == int64_null ? int64_null : std::int64_t{truth(x, y)};
  }
}

// Calls work(comparison) with what the operator does, so that a loop does not look at it again and again.
template <class Work>
void with_comparison(Op op, const Work& work) {
  switch (op) {
    case Op::equal: return work(std::equal_to<>());
    case Op::unequal: return work(std::not_equal_to<>());
    case Op::less: return work(std::less<>());
    case Op::less_equal: return work(std::less_equal<>());
    case Op::greater: return work(std::greater<>());
    default: return work(std::greater_equal<>());
  }
}

}  // namespace

void Evaluator::Call::comparison() const {
  if (is_null_literal(0) || is_null_literal(1)) return all_null();
  const Vector &a = arg(0), &b = arg(1);
  out.set_int64(count);
  const bool whole = a.lane == Vector::Lane::int64 && b.lane == Vector::Lane::int64,
             exact = a.type.exact() && b.type.exact();

  // Integers of one meaning.
  if (whole && a.type.scale == b.type.scale && a.type.kind != Kind::text && a.type.zoned == b.type.zoned &&
      (a.type.kind == b.type.kind || exact))
    return with_comparison(node.op, [&](const auto& compares) { compare_int64(a.ints, b.ints, out.ints, compares); });

  // Decimals of two scales: as many decimals for both need no more than 128 bits.
  constexpr int most_lift = 18;
  const int lift = b.type.scale - a.type.scale;
  if (whole && exact && std::abs(lift) <= most_lift) {
    const int128 lift_a = power_of_ten(std::max(lift, 0)), lift_b = power_of_ten(std::max(-lift, 0));
    return with_comparison(node.op, [&](const auto& compares) {
      compare_int64(a.ints, b.ints, out.ints,
                    [&](std::int64_t x, std::int64_t y) { return compares(x * lift_a, y * lift_b); });
    });
  }

  for (std::size_t i = 0; i < count; ++i)
    out.ints[i] = a.is_null(i) || b.is_null(i) ? int64_null : std::int64_t{holds(node.op, compare(a, b, i))};
}

void Evaluator::Call::between() const {
  if (is_null_literal(0) || is_null_literal(1) || is_null_literal(2)) return all_null();
  const Vector &v = arg(0), &low = arg(1), &high = arg(2);
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) {
    std::int64_t truth = int64_null;
    if (!v.is_null(i)) {
      const bool low_known = !low.is_null(i), high_known = !high.is_null(i);
      const bool above = low_known && compare(v, low, i) >= 0, below = high_known && compare(v, high, i) <= 0;
      if ((low_known && !above) || (high_known && !below))
        truth = 0;
      else if (low_known && high_known)
        truth = 1;
    }
    out.ints[i] = node.negated ? tri_not(truth) : truth;
  }
}

void Evaluator::Call::in_list() const {
  if (is_null_literal(0)) return all_null();
  const Vector& v = arg(0);
  out.set_int64(count);
  std::fill(out.ints.begin(), out.ints.end(), 0);
  for (std::size_t k = 1; k < node.args.size(); ++k) {
    if (is_null_literal(k)) {
      for (std::int64_t& truth : out.ints) truth = truth == 1 ? 1 : int64_null;
      continue;
    }
    const Vector& candidate = arg(k);
    for (std::size_t i = 0; i < count; ++i) {
      if (out.ints[i] == 1) continue;
      if (candidate.is_null(i))
        out.ints[i] = int64_null;
      else if (!v.is_null(i) && compare(v, candidate, i) == 0)
        out.ints[i] = 1;
    }
  }
  for (std::size_t i = 0; i < count; ++i) {
    if (v.is_null(i)) out.ints[i] = int64_null;
    if (node.negated) out.ints[i] = tri_not(out.ints[i]);
  }
}

void Evaluator::Call::logical() const {
  const bool conjunction = node.op == Op::logical_and;
  const std::int64_t decided = conjunction ? 0 : 1;  // the value that needs no right side
  std::vector<unsigned char>& mask = scratch.mask;
  mask.resize(count);
  scratch.left.ints.assign(count, int64_null);
  if (!is_null_literal(0)) scratch.left.ints = arg(0).ints;
  for (std::size_t i = 0; i < count; ++i) mask[i] = is_active(active, i) && scratch.left.ints[i] != decided;
  scratch.right.ints.assign(count, int64_null);
  if (!is_null_literal(1)) scratch.right.ints = arg(1, mask.data()).ints;
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) {
    const std::int64_t a = scratch.left.ints[i], b = scratch.right.ints[i];
    if (a == decided || b == decided)
      out.ints[i] = decided;
    else
      out.ints[i] = a == int64_null || b == int64_null ? int64_null : 1 - decided;
  }
}

void Evaluator::Call::logical_not() const {
  if (is_null_literal(0)) return all_null();
  const Vector& v = arg(0);
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) out.ints[i] = tri_not(v.ints[i]);
}

void Evaluator::Call::test() const {
  out.set_int64(count);
  if (is_null_literal(0)) {
    const bool unknown = node.op == Op::is_null || node.text == "unknown";
    std::fill(out.ints.begin(), out.ints.end(), std::int64_t{unknown != node.negated});
    return;
  }
  const Vector& v = arg(0);
  for (std::size_t i = 0; i < count; ++i) {
    bool truth = v.is_null(i);
    if (node.op == Op::is_truth && node.text != "unknown") truth = !truth && v.ints[i] == (node.text == "true");
    out.ints[i] = truth != node.negated;
  }
}

}  // namespace lofty::engine
