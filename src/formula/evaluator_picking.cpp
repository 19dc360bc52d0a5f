// One of several values.
#include "formula/evaluator_call.hpp"

#include <algorithm>

namespace lofty::engine {

void Evaluator::Call::start_picking() const {
  out.type = node.type;
  all_null();
  if (node.type.kind == Kind::text) out.set_text(count);
}

void Evaluator::Call::pick(const Vector& from, std::size_t i) const {
  if (from.is_null(i)) return;
  switch (out.lane) {
    case Vector::Lane::float64:
      out.doubles[i] =
          from.lane == Vector::Lane::float64 ? from.doubles[i] : Decimal(from.exact(i), from.type.scale).to_double();
      return;
    case Vector::Lane::text: out.texts[i] = from.text(i); return;
    case Vector::Lane::code: return;
    default: break;
  }

  // An exact number, in the scale of the result; all results get wider where it does not fit.
  int128 value = from.exact(i);
  if (from.type.exact() && !scale_up(value, node.type.scale - from.type.scale, value)) {
    if (is_active(active, i))
      fail(Code::overflow,
           shown(from, i) + " with " + std::to_string(node.type.scale) + " decimals has more than 38 digits", i);
    return;
  }
  if (out.lane == Vector::Lane::int64 && fits_int64(value) && value != int64_null) {
    out.ints[i] = static_cast<std::int64_t>(value);
    return;
  }
  if (out.lane == Vector::Lane::int64) {
    out.wide.resize(count);
    for (std::size_t k = 0; k < count; ++k) out.wide[k] = out.ints[k] == int64_null ? int128_min : int128{out.ints[k]};
    out.lane = Vector::Lane::int128;
  }
  out.wide[i] = value;
}

void Evaluator::Call::case_when() const {
  start_picking();
  std::vector<unsigned char> rest(count), now(count);
  for (std::size_t i = 0; i < count; ++i) rest[i] = is_active(active, i);
  for (std::size_t k = 0; k < node.args.size(); k += 2) {
    const bool otherwise = k + 1 == node.args.size();
    now = rest;
    if (!otherwise) {
      if (is_null_literal(k)) continue;
      const Vector& condition = arg(k, rest.data());
      for (std::size_t i = 0; i < count; ++i) {
        now[i] = rest[i] && condition.ints[i] == 1;
        rest[i] = rest[i] && !now[i];
      }
    }
    const std::size_t result = otherwise ? k : k + 1;
    if (is_null_literal(result) || std::find(now.begin(), now.end(), 1) == now.end()) continue;
    const Vector& value = arg(result, now.data());
    for (std::size_t i = 0; i < count; ++i)
      if (now[i]) pick(value, i);
  }
}

void Evaluator::Call::coalesce() const {
  start_picking();
  std::vector<unsigned char> rest(count);
  for (std::size_t i = 0; i < count; ++i) rest[i] = is_active(active, i);
  for (std::size_t k = 0; k < node.args.size(); ++k) {
    if (is_null_literal(k) || std::find(rest.begin(), rest.end(), 1) == rest.end()) continue;
    const Vector& value = arg(k, rest.data());
    for (std::size_t i = 0; i < count; ++i) {
      if (!rest[i] || value.is_null(i)) continue;
      pick(value, i);
      rest[i] = 0;
    }
  }
}

void Evaluator::Call::nullif() const {
  start_picking();
  if (is_null_literal(0)) return;
  const Vector& a = arg(0);
  const Vector* const b = is_null_literal(1) ? nullptr : &arg(1);
  for (std::size_t i = 0; i < count; ++i)
    if (!a.is_null(i) && (b == nullptr || b->is_null(i) || compare(a, *b, i) != 0)) pick(a, i);
}

void Evaluator::Call::extreme() const {
  start_picking();
  for (std::size_t k = 0; k < node.args.size(); ++k)
    if (is_null_literal(k)) return;
  std::vector<const Vector*> values;
  for (std::size_t k = 0; k < node.args.size(); ++k) values.push_back(&arg(k));
  for (std::size_t i = 0; i < count; ++i) {
    const Vector* best = values[0];
    bool null = false;
    for (const Vector* v : values) {
      null = null || v->is_null(i);
      if (null) break;
      const int order = compare(*v, *best, i);
      if (node.function == Function::greatest ? order > 0 : order < 0) best = v;
    }
    if (!null) pick(*best, i);
  }
}

}  // namespace lofty::engine
