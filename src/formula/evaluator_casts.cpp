// Casts.
#include "formula/evaluator_call.hpp"

#include <charconv>
#include <cmath>
#include <optional>

#include "table/infer.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

void Evaluator::Call::cast() const {
  if (is_null_literal(0)) return all_null();
  const Vector& v = arg(0);
  const Kind from = v.type.kind, to = node.type.kind;
  if (to == Kind::text) {
    out.set_text(count);
    for (std::size_t i = 0; i < count; ++i)
      if (!v.is_null(i) && is_active(active, i)) out.texts[i] = keep(cut(to_text(v.value(i), v.type)));
    return;
  }
  start_picking();
  for (std::size_t i = 0; i < count; ++i) {
    if (v.is_null(i) || !is_active(active, i)) continue;
    const Value value = from == Kind::text ? from_text(v.text(i), i) : v.value(i);
    put(converted(value, v.type, i, from == Kind::text), i);
  }
}

// The first so many characters of varchar(n).
std::string Evaluator::Call::cut(std::string text) const {
  if (node.size.characters == 0) return text;
  int characters = 0;
  for (std::size_t at = 0; at < text.size(); ++at) {
    if ((static_cast<unsigned char>(text[at]) & 0xc0) == 0x80) continue;  // inside a character
    if (characters++ == node.size.characters) {
      text.resize(at);
      break;
    }
  }
  return text;
}

// decimal(12,2) has ten digits before the point.
bool Evaluator::Call::in_size(const Decimal& value) const {
  const int128 number = value.coefficient() < 0 ? -value.coefficient() : value.coefficient();
  if (node.size.digits > 0 && node.size.digits < Decimal::max_digits && number >= power_of_ten(node.size.digits))
    return false;
  if (node.size.bits == 0) return true;
  const int128 limit = int128{1} << (node.size.bits - 1);
  return value.coefficient() >= -limit && value.coefficient() < limit;
}

Value Evaluator::Call::from_text(std::string_view text, std::size_t i) const {
  const Reading reading = read_text(text);
  switch (node.type.kind) {
    case Kind::integer:
    case Kind::decimal:
    case Kind::floating:
      if (reading.look == Look::integer || reading.look == Look::padded || reading.look == Look::decimal)
        return Decimal(reading.coefficient, reading.scale);
      if (reading.look == Look::exponent) return reading.number;
      break;
    case Kind::date:
      if (reading.look == Look::date) return Date{static_cast<std::int32_t>(reading.instant)};
      break;
    case Kind::timestamp:
      if (reading.look == Look::timestamp || reading.look == Look::zoned) return Timestamp{reading.instant};
      if (reading.look == Look::date) return Date{static_cast<std::int32_t>(reading.instant)};
      break;
    default:
      if (reading.look == Look::boolean) return reading.instant != 0;
  }
  bad_cast("'" + std::string(text) + "'", i);
}

void Evaluator::Call::bad_cast(const std::string& value, std::size_t i) const {
  fail(Code::bad_cast,
       value + " cannot become " + (node.type.kind == Kind::integer ? "an " : "a ") + to_string(node.type.kind), i,
       "shield it: case when ... then cast(...) end");
}

Value Evaluator::Call::converted(const Value& value, const Type& from, std::size_t i, bool was_text) const {
  const Type& type = node.type;
  if (type.kind == Kind::floating) {
    if (const auto* exact = std::get_if<Decimal>(&value)) return exact->to_double();
  } else if (type.exact()) {
    std::optional<Decimal> lifted;
    if (const auto* exact = std::get_if<Decimal>(&value)) {
      if (was_text && type.kind == Kind::integer && exact->scale() > 0) bad_cast("'" + exact->text() + "'", i);
      lifted = exact->rescaled(type.scale);
    } else if (const auto* number = std::get_if<double>(&value); number != nullptr && std::fabs(*number) < 1e37) {
      char buffer[512];
      // The exact binary value, rounded half to even.
      const auto digits = std::to_chars(buffer, buffer + sizeof buffer, *number, std::chars_format::fixed, type.scale);
      lifted = Decimal::parse(std::string_view(buffer, digits.ptr));
      if (lifted) lifted = lifted->rescaled(type.scale);
    }
    if (!lifted) fail(Code::overflow, to_text(value) + " has more than 38 digits as a " + to_string(type.kind), i);
    if (!in_size(*lifted))
      fail(Code::overflow, to_text(value) + " is out of range for `" + node.source() + "`", i,
           "a larger type, or case when ... then cast(...) end");
    return *lifted;
  }

  // Days and moments.
  if (type.kind == Kind::timestamp) {
    if (const auto* day = std::get_if<Date>(&value)) return Timestamp{day->days * day_length};
  } else if (type.kind == Kind::date) {
    if (const auto* moment = std::get_if<Timestamp>(&value))
      return Date{static_cast<std::int32_t>(day_at(from, moment->microseconds))};
  }
  return value;
}

void Evaluator::Call::put(const Value& value, std::size_t i) const {
  if (const auto* number = std::get_if<double>(&value)) {
    out.doubles[i] = *number;
    return;
  }
  int128 stored = 0;
  if (const auto* exact = std::get_if<Decimal>(&value)) stored = exact->coefficient();
  if (const auto* day = std::get_if<Date>(&value)) stored = day->days;
  if (const auto* moment = std::get_if<Timestamp>(&value)) stored = moment->microseconds;
  if (const auto* truth = std::get_if<bool>(&value)) stored = *truth;
  if (out.lane == Vector::Lane::int64 && (!fits_int64(stored) || stored == int64_null)) {
    out.wide.resize(count);
    for (std::size_t k = 0; k < count; ++k) out.wide[k] = out.ints[k] == int64_null ? int128_min : int128{out.ints[k]};
    out.lane = Vector::Lane::int128;
  }
  if (out.lane == Vector::Lane::int64)
    out.ints[i] = static_cast<std::int64_t>(stored);
  else
    out.wide[i] = stored;
}

}  // namespace lofty::engine
