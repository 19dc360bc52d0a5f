// Numbers.
#include "formula/evaluator_call.hpp"

#include <algorithm>

namespace lofty::engine {

const std::vector<double>& Evaluator::Call::doubles(const Vector& from, Vector& scratch_vector) const {
  if (from.lane == Vector::Lane::float64) return from.doubles;
  scratch_vector.doubles.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    if (from.is_null(i))
      scratch_vector.doubles[i] = std::nan("");
    else if (from.type.scale == 0 && from.lane == Vector::Lane::int64)
      scratch_vector.doubles[i] = static_cast<double>(from.ints[i]);
    else
      scratch_vector.doubles[i] = Decimal(from.exact(i), from.type.scale).to_double();
  }
  return scratch_vector.doubles;
}

bool Evaluator::Call::combine(Op op, std::int64_t a, std::int64_t b, std::int64_t& r) {
  switch (op) {
    case Op::add: return __builtin_add_overflow(a, b, &r);
    case Op::subtract: return __builtin_sub_overflow(a, b, &r);
    default: return __builtin_mul_overflow(a, b, &r);
  }
}

template <Op op>
bool Evaluator::Call::exact_int64(const std::int64_t* a, const std::int64_t* b, std::int64_t lift_a,
                                  std::int64_t lift_b, std::int64_t* r) const {
  bool overflow = false;
  for (std::size_t i = 0; i < count; ++i) {
    if (a[i] == int64_null || b[i] == int64_null) {
      r[i] = int64_null;
      continue;
    }
    std::int64_t x = a[i], y = b[i];
    if (lift_a != 1) overflow |= __builtin_mul_overflow(x, lift_a, &x);
    if (lift_b != 1) overflow |= __builtin_mul_overflow(y, lift_b, &y);
    overflow |= combine(op, x, y, r[i]);
    overflow |= r[i] == int64_null;
  }
  return !overflow;
}

void Evaluator::Call::exact_binary(const Vector& a, const Vector& b) const {
  const bool aligned = node.op != Op::multiply;
  const int lift_a = aligned ? node.type.scale - a.type.scale : 0,
            lift_b = aligned ? node.type.scale - b.type.scale : 0;
  if (a.lane == Vector::Lane::int64 && b.lane == Vector::Lane::int64 && lift_a <= 18 && lift_b <= 18) {
    out.set_int64(count);
    const auto fa = static_cast<std::int64_t>(power_of_ten(lift_a)),
               fb = static_cast<std::int64_t>(power_of_ten(lift_b));
    bool fits = false;
    if (node.op == Op::add) fits = exact_int64<Op::add>(a.ints.data(), b.ints.data(), fa, fb, out.ints.data());
    if (node.op == Op::subtract)
      fits = exact_int64<Op::subtract>(a.ints.data(), b.ints.data(), fa, fb, out.ints.data());
    if (node.op == Op::multiply)
      fits = exact_int64<Op::multiply>(a.ints.data(), b.ints.data(), fa, fb, out.ints.data());
    if (fits) return;
  }

  // On 128 bits, row by row, where an overflow is an error.
  out.lane = Vector::Lane::int128;
  out.wide.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    out.wide[i] = int128_min;
    if (a.is_null(i) || b.is_null(i)) continue;
    int128 x = 0, y = 0, r = 0;
    bool ok = scale_up(a.exact(i), lift_a, x) && scale_up(b.exact(i), lift_b, y);
    if (ok && node.op == Op::add) ok = !__builtin_add_overflow(x, y, &r);
    if (ok && node.op == Op::subtract) ok = !__builtin_sub_overflow(x, y, &r);
    if (ok && node.op == Op::multiply) ok = !__builtin_mul_overflow(x, y, &r);
    if (ok && fits_decimal(r)) {
      out.wide[i] = r;
    } else if (is_active(active, i)) {
      static constexpr const char* signs[] = {"+", "-", "*"};
      fail(Code::overflow,
           shown(a, i) + " " + signs[static_cast<int>(node.op) - static_cast<int>(Op::add)] + " " + shown(b, i) +
               " has more than 38 digits",
           i, "cast one side as float, or as a decimal with fewer decimals");
    }
  }
}

void Evaluator::Call::arithmetic() const {
  if (node.args[0]->type.kind == Kind::date || node.args[0]->type.kind == Kind::timestamp) return move_moment();
  if (is_null_literal(0) || is_null_literal(1)) return all_null();
  const Vector &a = arg(0), &b = arg(1);

  // Floats.
  if (node.type.kind == Kind::floating) {
    const auto &x = doubles(a, scratch.left), &y = doubles(b, scratch.right);
    out.lane = Vector::Lane::float64;
    out.doubles.resize(count);
    for (std::size_t i = 0; i < count; ++i) {
      if (node.op == Op::divide && y[i] == 0 && !std::isnan(x[i]) && is_active(active, i)) zero_division(b, i);
      double r = node.op == Op::add        ? x[i] + y[i]
                 : node.op == Op::subtract ? x[i] - y[i]
                 : node.op == Op::multiply ? x[i] * y[i]
                                           : x[i] / y[i];
      if (!std::isfinite(r) && !std::isnan(x[i]) && !std::isnan(y[i])) {
        if (is_active(active, i)) fail(Code::overflow, "the result is beyond the range of floats", i);
        r = std::nan("");
      }
      out.doubles[i] = r == 0 ? 0.0 : r;
    }
    return;
  }

  if (node.op != Op::divide)
    exact_binary(a, b);
  else
    exact_quotient(a, b);
}

// A quotient has its own decimals.
void Evaluator::Call::exact_quotient(const Vector& a, const Vector& b) const {
  out.lane = Vector::Lane::int128;
  out.wide.resize(count);
  // 64 bits, lifted by 18 digits at most, fit 128 bits and 38 digits.
  constexpr int most_lift = 18;
  const int lift = node.type.scale - a.type.scale + b.type.scale;
  const bool fits = a.lane == Vector::Lane::int64 && b.lane == Vector::Lane::int64 && lift >= 0 && lift <= most_lift;
  const int128 factor = fits ? power_of_ten(lift) : 1;

  // Row by row; division by zero, and more than 38 digits, are errors.
  for (std::size_t i = 0; i < count; ++i) {
    out.wide[i] = int128_min;
    if (a.is_null(i) || b.is_null(i)) continue;
    if (b.exact(i) == 0) {
      if (is_active(active, i)) zero_division(b, i);
      continue;
    }
    if (fits) {
      out.wide[i] = divide_half_even(a.ints[i] * factor, b.ints[i]);
      continue;
    }
    int128 r;
    if (divide_decimals(a.exact(i), a.type.scale, b.exact(i), b.type.scale, node.type.scale, r))
      out.wide[i] = r;
    else if (is_active(active, i))
      fail(Code::overflow, shown(a, i) + " / " + shown(b, i) + " has more than 38 digits", i, "cast one side as float");
  }
  narrow();
}

void Evaluator::Call::negate() const {
  if (is_null_literal(0)) return all_null();
  const Vector& v = arg(0);
  if (v.lane == Vector::Lane::float64) {
    out.lane = Vector::Lane::float64;
    out.doubles.resize(count);
    for (std::size_t i = 0; i < count; ++i) out.doubles[i] = 0.0 - v.doubles[i];
    return;
  }
  exact_each([&](std::size_t i) { return v.is_null(i) ? int128_min : -v.exact(i); });
}

void Evaluator::Call::zero_division(const Vector&, std::size_t i) const {
  const std::string divisor = node.args[1]->source();
  fail(Code::division_by_zero, "division by zero: `" + divisor + "` is 0", i,
       "nullif(" + divisor + ", 0) makes the result null there");
}

void Evaluator::Call::narrow() const {
  if (!std::all_of(out.wide.begin(), out.wide.end(),
                   [](int128 v) { return v == int128_min || (fits_int64(v) && v != int64_null); }))
    return;
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i)
    out.ints[i] = out.wide[i] == int128_min ? int64_null : static_cast<std::int64_t>(out.wide[i]);
}

namespace {

// As its shortest digits say, so that 1.005 is rounded as it is read.
double round_float(double value, double decimals) {
  const auto exact = Decimal::parse(to_text(value));
  const int digits = static_cast<int>(decimals);
  if (!exact || digits >= exact->scale()) return value;
  const int dropped = exact->scale() - digits;
  if (dropped > Decimal::max_digits) return 0;
  const int128 unit = power_of_ten(dropped), rest = exact->coefficient() % unit;
  int128 whole = exact->coefficient() / unit;
  if ((rest < 0 ? -rest : rest) >= unit - (rest < 0 ? -rest : rest)) whole += exact->coefficient() < 0 ? -1 : 1;
  return digits >= 0 ? Decimal(whole, digits).to_double() : Decimal(whole * power_of_ten(-digits), 0).to_double();
}

}  // namespace

void Evaluator::Call::number_function() const {
  if (is_null_literal(0)) return all_null();
  const Vector& a = arg(0);
  if (node.function == Function::width_bucket) return width_bucket(a);
  if (node.type.kind == Kind::floating) return float_function(a);
  if (node.function == Function::round) return round_exact(a);

  // The rest of a division.
  if (node.function == Function::modulo) {
    if (is_null_literal(1)) return all_null();
    const Vector& b = arg(1);
    exact_each([&](std::size_t i) -> int128 {
      if (a.is_null(i) || b.is_null(i)) return int128_min;
      int128 x = 0, y = 0;
      if (!scale_up(a.exact(i), node.type.scale - a.type.scale, x) ||
          !scale_up(b.exact(i), node.type.scale - b.type.scale, y)) {
        if (is_active(active, i)) fail(Code::overflow, "more than 38 digits", i);
        return int128_min;
      }
      if (y == 0) {
        if (is_active(active, i)) zero_division(b, i);
        return int128_min;
      }
      return x % y;
    });
    return;
  }

  // Without a sign, down or up to a whole number.
  exact_each([&](std::size_t i) -> int128 {
    if (a.is_null(i)) return int128_min;
    const int128 value = a.exact(i);
    if (node.function == Function::absolute) return value < 0 ? -value : value;
    const int128 unit = power_of_ten(a.type.scale), whole = value / unit;
    const bool rest = value % unit != 0;
    return node.function == Function::floor ? whole - (rest && value < 0) : whole + (rest && value > 0);
  });
}

// Halves away from zero.
void Evaluator::Call::round_exact(const Vector& a) const {
  const int decimals =
      node.args.size() < 2 ? 0 : static_cast<int>(std::get<Decimal>(node.args[1]->value).coefficient());
  exact_each([&](std::size_t i) -> int128 {
    if (a.is_null(i)) return int128_min;
    const int128 value = a.exact(i);
    int128 rounded = 0;
    if (decimals >= a.type.scale) {
      if (scale_up(value, decimals - a.type.scale, rounded)) return rounded;
      if (is_active(active, i)) fail(Code::overflow, "more than 38 digits", i);
      return int128_min;
    }
    const int dropped = a.type.scale - decimals;
    if (dropped > Decimal::max_digits) return 0;
    const int128 unit = power_of_ten(dropped), rest = value % unit, whole = value / unit;
    const int128 beyond = rest < 0 ? -rest : rest;
    rounded = whole + (beyond >= unit - beyond ? (value < 0 ? -1 : 1) : 0);
    return decimals < 0 ? rounded * power_of_ten(-decimals) : rounded;  // no more digits than there were, and one
  });
}

// Exactly for exact numbers; low may be above high, and parts then count down from it.
void Evaluator::Call::width_bucket(const Vector& x) const {
  for (std::size_t k = 1; k < 4; ++k)
    if (is_null_literal(k)) return all_null();
  const Vector &low = arg(1), &high = arg(2), &parts = arg(3);
  out.set_int64(count);
  const bool floats = std::any_of(node.args.begin(), node.args.begin() + 3,
                                  [](const NodePtr& one) { return one->type.kind == Kind::floating; });
  const int scale = std::max({x.type.scale, low.type.scale, high.type.scale});

  // Row by row.
  for (std::size_t i = 0; i < count; ++i) {
    out.ints[i] = int64_null;
    if (x.is_null(i) || low.is_null(i) || high.is_null(i) || parts.is_null(i)) continue;
    const int128 unit = power_of_ten(parts.type.scale), number = parts.exact(i) / unit;
    if (number < 1 || number > 1'000'000'000 || compare(low, high, i) == 0) {
      if (is_active(active, i))
        fail(Code::bad_value, "`" + node.source() + "` has no parts: it needs one at least, and different ends", i);
      continue;
    }
    const bool down = compare(low, high, i) > 0;
    const int below = compare(x, low, i), above = compare(x, high, i);
    if (down ? below > 0 : below < 0) {
      out.ints[i] = 0;
    } else if (down ? above <= 0 : above >= 0) {
      out.ints[i] = static_cast<std::int64_t>(number) + 1;
    } else if (floats) {
      const auto at = [i](const Vector& v) {
        return v.lane == Vector::Lane::float64 ? v.doubles[i] : Decimal(v.exact(i), v.type.scale).to_double();
      };
      const double part = (at(x) - at(low)) / (at(high) - at(low)) * static_cast<double>(number);
      out.ints[i] = std::min(static_cast<std::int64_t>(part), static_cast<std::int64_t>(number) - 1) + 1;
    } else {
      int128 own = 0, from = 0, to = 0, way = 0;
      const bool fits =
          scale_up(x.exact(i), scale - x.type.scale, own) && scale_up(low.exact(i), scale - low.type.scale, from) &&
          scale_up(high.exact(i), scale - high.type.scale, to) && !__builtin_mul_overflow(own - from, number, &way);
      if (!fits) {
        if (is_active(active, i)) fail(Code::overflow, "more than 38 digits", i);
        continue;
      }
      out.ints[i] = static_cast<std::int64_t>(way / (to - from)) + 1;
    }
  }
}

void Evaluator::Call::float_function(const Vector& a) const {
  const std::vector<double>& x = doubles(a, scratch.left);
  const std::vector<double>* y = nullptr;
  if (node.args.size() > 1) {
    if (is_null_literal(1)) return all_null();
    y = &doubles(arg(1), scratch.right);
  }

  // Row by row; what is no number any more is an error.
  out.lane = Vector::Lane::float64;
  out.doubles.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    double r = x[i];
    switch (node.function) {
      case Function::absolute: r = std::fabs(r); break;
      case Function::ceiling: r = std::ceil(r); break;
      case Function::floor: r = std::floor(r); break;
      case Function::square_root: r = std::sqrt(r); break;
      case Function::logarithm: r = std::log(r); break;
      case Function::log_to_ten: r = std::log10(r); break;
      case Function::log_to_base: r = std::log((*y)[i]) / std::log(r); break;
      case Function::round: r = round_float(r, y == nullptr ? 0 : (*y)[i]); break;
      case Function::exponential: r = std::exp(r); break;
      case Function::power: r = std::isnan((*y)[i]) || std::isnan(r) ? std::nan("") : std::pow(r, (*y)[i]); break;
      default: r = (*y)[i] == 0 ? std::nan("") : std::fmod(r, (*y)[i]); break;
    }
    const bool known = !std::isnan(x[i]) && (y == nullptr || !std::isnan((*y)[i]));
    if (known && !std::isfinite(r)) {
      if (is_active(active, i)) fail(Code::overflow, "`" + node.source() + "` has no value for " + to_text(x[i]), i);
      r = std::nan("");
    }
    out.doubles[i] = r == 0 ? 0.0 : r;
  }
}

}  // namespace lofty::engine
