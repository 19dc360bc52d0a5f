#include "formula/evaluator.hpp"

#include <date/date.h>
#include <date/iso_week.h>
#include <unicode/locid.h>
#include <unicode/unistr.h>

#include <algorithm>
#include <cmath>

#include "table/infer.hpp"
#include "table/parallel.hpp"
#include "table/zone.hpp"

namespace lofty::engine {

bool Vector::is_null(std::size_t i) const {
  switch (lane) {
    case Lane::int64: return ints[i] == int64_null;
    case Lane::int128: return wide[i] == int128_min;
    case Lane::float64: return std::isnan(doubles[i]);
    case Lane::code: return codes[i] == Dictionary::none;
    case Lane::text: return texts[i].data() == nullptr;
  }
  return true;
}

Value Vector::value(std::size_t i) const {
  if (is_null(i)) return std::monostate{};
  switch (type.kind) {
    case Kind::integer:
    case Kind::decimal: return Decimal(exact(i), type.scale);
    case Kind::floating: return doubles[i];
    case Kind::date: return Date{static_cast<std::int32_t>(ints[i])};
    case Kind::timestamp: return Timestamp{ints[i]};
    case Kind::boolean: return ints[i] != 0;
    default: return std::string(text(i));
  }
}

void load_column(const Column& column, std::size_t begin, std::size_t count, Vector& out) {
  out.type = column.type();
  switch (column.lane()) {
    case Lane::int64: out.set_int64(count); return column.decode_int64(begin, count, out.ints.data());
    case Lane::int128:
      out.lane = Vector::Lane::int128;
      out.wide.resize(count);
      return column.decode_int128(begin, count, out.wide.data());
    case Lane::float64:
      out.lane = Vector::Lane::float64;
      out.doubles.resize(count);
      return column.decode_float64(begin, count, out.doubles.data());
    case Lane::code:
      out.lane = Vector::Lane::code;
      out.dictionary = &column.dictionary();
      out.codes.resize(count);
      return column.decode_code(begin, count, out.codes.data());
  }
}

namespace {

constexpr std::int64_t day_length = 86'400'000'000;  // microseconds

std::int64_t floor_day(std::int64_t microseconds) {
  return microseconds / day_length - (microseconds % day_length < 0);
}

// What the wall clock shows where the type's moments are shown.
std::int64_t wall_clock(const Type& type, std::int64_t moment) {
  return type.zone != nullptr ? type.zone->to_local(moment) : moment;
}

bool is_active(const unsigned char* active, std::size_t i) { return active == nullptr || active[i] != 0; }

// The texts of a distinct dictionary as rows, and one row more for null.
class DictionarySource : public RowSource {
 public:
  explicit DictionarySource(const Dictionary& dictionary) : dictionary_(dictionary) {}
  std::size_t rows() const override { return dictionary_.size() + 1; }
  void load(int, std::size_t begin, std::size_t count, Vector& out) const override {
    out.type = {.kind = Kind::text};
    out.lane = Vector::Lane::code;
    out.dictionary = &dictionary_;
    out.codes.resize(count);
    for (std::size_t i = 0; i < count; ++i)
      out.codes[i] = begin + i < dictionary_.size() ? static_cast<std::uint32_t>(begin + i) : Dictionary::none;
  }
  const Dictionary* dictionary(int) const override { return nullptr; }

 private:
  const Dictionary& dictionary_;
};

std::int64_t add_months(std::int64_t days, std::int64_t months, bool& ok) {
  using namespace date;
  const year_month_day from{sys_days{date::days{days}}};
  const std::int64_t index = static_cast<int>(from.year()) * 12LL + static_cast<unsigned>(from.month()) - 1 + months;
  const std::int64_t y = index >= 0 ? index / 12 : -1;
  ok = y >= 1 && y <= 9999;
  if (!ok) return 0;
  const year_month target{year{static_cast<int>(y)}, month{static_cast<unsigned>(index % 12 + 1)}};
  const auto last = (target / date::last).day();
  const year_month_day to = target / std::min(from.day(), last);  // the 31st becomes the month's last day
  return sys_days{to}.time_since_epoch().count();
}

std::size_t code_points(std::string_view text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xc0) != 0x80; }));
}

// The byte at which code point `index` starts; text.size() when there are fewer.
std::size_t byte_of(std::string_view text, std::int64_t index) {
  std::size_t at = 0;
  for (; index > 0 && at < text.size(); --index) {
    ++at;
    while (at < text.size() && (text[at] & 0xc0) == 0x80) ++at;
  }
  return at;
}

std::string cased(std::string_view text, bool upper) {
  icu::UnicodeString wide =
      icu::UnicodeString::fromUTF8(icu::StringPiece(text.data(), static_cast<std::int32_t>(text.size())));
  if (upper)
    wide.toUpper(icu::Locale::getRoot());
  else
    wide.toLower(icu::Locale::getRoot());
  std::string out;
  wide.toUTF8String(out);
  return out;
}

// `%` any run, `_` one character. Greedy with one point of return: linear for patterns people write.
bool matches(std::string_view text, std::string_view pattern, char escape) {
  std::size_t t = 0, p = 0, star = std::string_view::npos, resume = 0;
  while (t < text.size()) {
    const bool escaped = p + 1 < pattern.size() && escape != 0 && pattern[p] == escape;
    if (p < pattern.size() && !escaped && pattern[p] == '%') {
      star = p++;
      resume = t;
      continue;
    }
    if (p < pattern.size() && !escaped && pattern[p] == '_') {
      ++p;
      t += byte_of(text.substr(t), 1);
      continue;
    }
    if (p < pattern.size() && pattern[p + escaped] == text[t]) {
      p += 1 + escaped;
      ++t;
      continue;
    }
    if (star == std::string_view::npos) return false;
    p = star + 1;
    resume += byte_of(text.substr(resume), 1);
    t = resume;
  }
  while (p < pattern.size() && pattern[p] == '%') ++p;
  return p == pattern.size();
}

}  // namespace

struct Evaluator::Call {
  Evaluator& self;
  const Node& node;
  std::size_t begin, count;
  const unsigned char* active;
  Scratch& scratch;
  Vector& out;

  [[noreturn]] void fail(Code code, std::string sentence, std::size_t i, std::string advice = {}) const {
    throw RowFailure{code, std::move(sentence), std::move(advice), begin + i, &node};
  }

  const Vector& arg(std::size_t index) const { return self.evaluate(*node.args[index], begin, count, active); }
  const Vector& arg(std::size_t index, const unsigned char* mask) const {
    return self.evaluate(*node.args[index], begin, count, mask);
  }

  // Null literals have no lane of their own.
  bool is_null_literal(std::size_t index) const { return node.args[index]->op == Op::null; }

  void all_null() const {
    switch (lane_of(out.type)) {
      case lofty::engine::Lane::float64:
        out.lane = Vector::Lane::float64;
        out.doubles.assign(count, std::nan(""));
        break;
      case lofty::engine::Lane::code: out.set_text(count); break;
      default: out.lane = Vector::Lane::int64; out.ints.assign(count, int64_null);
    }
  }

  // ---- values that do not depend on rows

  void literal() const {
    const Value& value = node.value;
    out.type = node.type;
    if (const auto* text = std::get_if<std::string>(&value)) {
      out.lane = Vector::Lane::text;
      out.made.clear();
      out.made.push_back(*text);
      out.texts.assign(count, out.made.front());
    } else if (const auto* number = std::get_if<double>(&value)) {
      out.lane = Vector::Lane::float64;
      out.doubles.assign(count, *number);
    } else if (const auto* decimal = std::get_if<Decimal>(&value)) {
      // A choice's or literal's scale may be less than its type's.
      const auto lifted = decimal->rescaled(node.type.scale).value_or(*decimal);
      if (fits_int64(lifted.coefficient()) && lifted.coefficient() != int64_null) {
        out.lane = Vector::Lane::int64;
        out.ints.assign(count, static_cast<std::int64_t>(lifted.coefficient()));
      } else {
        out.lane = Vector::Lane::int128;
        out.wide.assign(count, lifted.coefficient());
      }
    } else {
      std::int64_t one = int64_null;
      if (const auto* day = std::get_if<Date>(&value)) one = day->days;
      if (const auto* moment = std::get_if<Timestamp>(&value)) one = moment->microseconds;
      if (const auto* truth = std::get_if<bool>(&value)) one = *truth ? 1 : 0;
      if (lofty::is_null(value)) return all_null();
      out.lane = Vector::Lane::int64;
      out.ints.assign(count, one);
    }
  }

  // ---- numbers

  // The argument as doubles.
  const std::vector<double>& doubles(const Vector& from, Vector& scratch_vector) const {
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

  static std::string shown(const Vector& v, std::size_t i) { return to_text(v.value(i)); }

  static bool combine(Op op, std::int64_t a, std::int64_t b, std::int64_t& r) {
    switch (op) {
      case Op::add: return __builtin_add_overflow(a, b, &r);
      case Op::subtract: return __builtin_sub_overflow(a, b, &r);
      default: return __builtin_mul_overflow(a, b, &r);
    }
  }

  // True when every result fits 64 bits.
  template <Op op>
  bool exact_int64(const std::int64_t* a, const std::int64_t* b, std::int64_t lift_a, std::int64_t lift_b,
                   std::int64_t* r) const {
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

  void exact_binary(const Vector& a, const Vector& b) const {
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

  void arithmetic() const {
    if (node.args[0]->type.kind == Kind::date || node.args[0]->type.kind == Kind::timestamp) return move_moment();
    if (is_null_literal(0) || is_null_literal(1)) return all_null();
    const Vector &a = arg(0), &b = arg(1);
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
    if (node.op != Op::divide) return exact_binary(a, b);
    out.lane = Vector::Lane::int128;
    out.wide.resize(count);
    for (std::size_t i = 0; i < count; ++i) {
      out.wide[i] = int128_min;
      if (a.is_null(i) || b.is_null(i)) continue;
      if (b.exact(i) == 0) {
        if (is_active(active, i)) zero_division(b, i);
        continue;
      }
      int128 r;
      if (divide_decimals(a.exact(i), a.type.scale, b.exact(i), b.type.scale, node.type.scale, r))
        out.wide[i] = r;
      else if (is_active(active, i))
        fail(Code::overflow, shown(a, i) + " / " + shown(b, i) + " has more than 38 digits", i,
             "cast one side as float");
    }
    narrow();
  }

  [[noreturn]] void zero_division(const Vector&, std::size_t i) const {
    const std::string divisor = node.args[1]->source();
    fail(Code::division_by_zero, "division by zero: `" + divisor + "` is 0", i,
         "nullif(" + divisor + ", 0) makes the result null there");
  }

  // Back to 64 bits where everything fits, so that what follows is fast.
  void narrow() const {
    if (!std::all_of(out.wide.begin(), out.wide.end(),
                     [](int128 v) { return v == int128_min || (fits_int64(v) && v != int64_null); }))
      return;
    out.set_int64(count);
    for (std::size_t i = 0; i < count; ++i)
      out.ints[i] = out.wide[i] == int128_min ? int64_null : static_cast<std::int64_t>(out.wide[i]);
  }

  // ---- dates

  void move_moment() const {
    const Vector& from = arg(0);
    const Node& interval = *node.args[1];
    const Node& unit_node = interval.op == Op::interval ? interval : *interval.args[1];
    const std::int64_t one = static_cast<std::int64_t>(std::get<Decimal>(unit_node.value).coefficient());
    const Vector* const counts =
        interval.op == Op::interval ? nullptr : &self.evaluate(*interval.args[0], begin, count, active);
    const std::string& unit = interval.text;
    const bool is_date = node.type.kind == Kind::date;
    out.set_int64(count);
    for (std::size_t i = 0; i < count; ++i) {
      out.ints[i] = int64_null;
      if (from.is_null(i) || (counts != nullptr && counts->is_null(i))) continue;
      int128 n = int128{one} * (counts == nullptr ? 1 : counts->exact(i)) * (node.op == Op::subtract ? -1 : 1);
      bool ok = n < 1'000'000'000'000 && n > -1'000'000'000'000;
      if (!ok) n = 0;
      const auto by = static_cast<std::int64_t>(n);
      // Days and months go by the wall clock, hours and less by the time that passes.
      const std::int64_t value = from.ints[i], wall = is_date ? value : wall_clock(node.type, value),
                         days = is_date ? value : floor_day(wall), rest = is_date ? 0 : wall - days * day_length;
      const auto on_the_clock = [&](std::int64_t day) {
        if (is_date) return day;
        const std::int64_t there = day * day_length + rest;
        return node.type.zone != nullptr ? node.type.zone->to_instant(there) : there;
      };
      std::int64_t to = 0;
      if (unit == "year" || unit == "month") {
        bool in_range = false;
        to = add_months(days, unit == "year" ? by * 12 : by, in_range);
        ok = ok && in_range;
        to = on_the_clock(to);
      } else if (unit == "day" && node.type.zone != nullptr) {
        ok = ok && days + by > -719163 && days + by < 2932897;
        to = ok ? on_the_clock(days + by) : 0;
      } else {
        const std::int64_t length = unit == "day" ? 24 * 3600 : unit == "hour" ? 3600 : unit == "minute" ? 60 : 1;
        const int128 moved = is_date ? int128{value} + by : int128{value} + int128{by} * length * 1'000'000;
        const int128 day = is_date ? moved : moved / day_length;
        ok = ok && day > -719163 && day < 2932897;  // years 1 to 9999
        to = ok ? static_cast<std::int64_t>(moved) : 0;
      }
      if (ok)
        out.ints[i] = to;
      else if (is_active(active, i))
        fail(Code::overflow, "the date leaves the years 1 to 9999", i);
    }
  }

  template <class Fn>
  void from_moment(const Vector& v, const Fn& fn) const {
    const bool is_date = v.type.kind == Kind::date;
    out.set_int64(count);
    for (std::size_t i = 0; i < count; ++i) {
      if (v.is_null(i)) {
        out.ints[i] = int64_null;
        continue;
      }
      const std::int64_t wall = is_date ? v.ints[i] : wall_clock(v.type, v.ints[i]);
      const std::int64_t days = is_date ? wall : floor_day(wall);
      out.ints[i] = fn(days, is_date ? 0 : wall - days * day_length);
    }
  }

  void extract() const {
    if (is_null_literal(0)) return all_null();
    if (node.args[0]->op == Op::days_of) {
      const Vector& a = self.evaluate(*node.args[0]->args[0], begin, count, active);
      const Vector& b = self.evaluate(*node.args[0]->args[1], begin, count, active);
      const auto day = [](const Vector& v, std::size_t i) { return day_at(v.type, v.ints[i]); };
      out.set_int64(count);
      for (std::size_t i = 0; i < count; ++i)
        out.ints[i] = a.is_null(i) || b.is_null(i) ? int64_null : day(a, i) - day(b, i);
      return;
    }
    const Vector& v = arg(0);
    using namespace date;
    const std::string& field = node.text;
    if (field == "hour") return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest / 3'600'000'000; });
    if (field == "minute")
      return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest / 60'000'000 % 60; });
    if (field == "second") return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest % 60'000'000; });
    from_moment(v, [&](std::int64_t day, std::int64_t) -> std::int64_t {
      const year_month_day parts{sys_days{days{day}}};
      if (field == "year") return static_cast<int>(parts.year());
      return field == "month" ? static_cast<unsigned>(parts.month()) : static_cast<unsigned>(parts.day());
    });
  }

  void date_function() const {
    using namespace date;
    const std::size_t index = node.function == Function::start_of ? 1 : 0;
    if (is_null_literal(index)) return all_null();
    const Vector& v = arg(index);
    from_moment(v, [&](std::int64_t day, std::int64_t) -> std::int64_t {
      const sys_days at{days{day}};
      const year_month_day parts{at};
      const unsigned quarter = (static_cast<unsigned>(parts.month()) - 1) / 3 + 1;
      const auto monday_based = static_cast<std::int64_t>(weekday{at}.iso_encoding());
      switch (node.function) {
        case Function::iso_week: return static_cast<unsigned>(iso_week::year_weeknum_weekday{at}.weeknum());
        case Function::weekday: return monday_based;
        case Function::quarter: return quarter;
        default: break;
      }
      if (node.text == "day") return day;
      if (node.text == "week") return day - (monday_based - 1);
      const month first{node.text == "year"      ? 1
                        : node.text == "quarter" ? (quarter - 1) * 3 + 1
                                                 : static_cast<unsigned>(parts.month())};
      return sys_days{parts.year() / first / 1}.time_since_epoch().count();
    });
  }

  // ---- conditions

  static bool holds(Op op, int order) {
    switch (op) {
      case Op::equal: return order == 0;
      case Op::unequal: return order != 0;
      case Op::less: return order < 0;
      case Op::less_equal: return order <= 0;
      case Op::greater: return order > 0;
      default: return order >= 0;
    }
  }

  // A value that stands beside `other`: a wall clock, which is written without an offset, is that of the zone in which
  // a moment with an offset is shown.
  static std::int64_t instant(const Vector& v, const Vector& other, std::size_t i) {
    const bool wall = v.type.kind == Kind::timestamp && !v.type.zoned && other.type.zone != nullptr;
    return wall ? other.type.zone->to_instant(v.ints[i]) : v.ints[i];
  }

  // Compares two values that are not null: negative, 0 or positive.
  static int compare(const Vector& a, const Vector& b, std::size_t i) {
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

  static std::int64_t tri_not(std::int64_t truth) { return truth == int64_null ? truth : 1 - truth; }

  void comparison() const {
    if (is_null_literal(0) || is_null_literal(1)) return all_null();
    const Vector &a = arg(0), &b = arg(1);
    out.set_int64(count);
    const bool same_scale = a.lane == Vector::Lane::int64 && b.lane == Vector::Lane::int64 &&
                            a.type.scale == b.type.scale && a.type.kind != Kind::text && a.type.zoned == b.type.zoned &&
                            (a.type.kind == b.type.kind || (a.type.exact() && b.type.exact()));
    for (std::size_t i = 0; i < count; ++i) {
      if (same_scale) {
        const std::int64_t x = a.ints[i], y = b.ints[i];
        out.ints[i] =
            x == int64_null || y == int64_null ? int64_null : std::int64_t{holds(node.op, x < y ? -1 : x > y)};
      } else {
        out.ints[i] = a.is_null(i) || b.is_null(i) ? int64_null : std::int64_t{holds(node.op, compare(a, b, i))};
      }
    }
  }

  void between() const {
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

  void in_list() const {
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

  void logical() const {
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

  void test() const {
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

  void like() const {
    if (is_null_literal(0) || is_null_literal(1)) return all_null();
    const Vector &v = arg(0), &pattern = arg(1);
    const Vector* const escape = node.args.size() > 2 && !is_null_literal(2) ? &arg(2) : nullptr;
    out.set_int64(count);
    for (std::size_t i = 0; i < count; ++i) {
      std::int64_t truth = int64_null;
      if (!v.is_null(i) && !pattern.is_null(i)) {
        const char sign =
            escape != nullptr && !escape->is_null(i) && escape->text(i).size() == 1 ? escape->text(i)[0] : '\0';
        truth = matches(v.text(i), pattern.text(i), sign);
      }
      out.ints[i] = node.negated ? tri_not(truth) : truth;
    }
  }

  // ---- picking one of several values

  void start_picking() const {
    out.type = node.type;
    all_null();
    if (node.type.kind == Kind::text) out.set_text(count);
  }

  // Row i takes its value from `from`, whose type may be narrower than the node's.
  void pick(const Vector& from, std::size_t i) const {
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
      for (std::size_t k = 0; k < count; ++k)
        out.wide[k] = out.ints[k] == int64_null ? int128_min : int128{out.ints[k]};
      out.lane = Vector::Lane::int128;
    }
    out.wide[i] = value;
  }

  void case_when() const {
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

  void coalesce() const {
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

  void nullif() const {
    start_picking();
    if (is_null_literal(0)) return;
    const Vector& a = arg(0);
    const Vector* const b = is_null_literal(1) ? nullptr : &arg(1);
    for (std::size_t i = 0; i < count; ++i)
      if (!a.is_null(i) && (b == nullptr || b->is_null(i) || compare(a, *b, i) != 0)) pick(a, i);
  }

  void extreme() const {
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

  // ---- functions of numbers and texts

  void number_function() const {
    if (is_null_literal(0)) return all_null();
    const Vector& a = arg(0);
    if (node.type.kind == Kind::floating) return float_function(a);
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
    exact_each([&](std::size_t i) -> int128 {
      if (a.is_null(i)) return int128_min;
      const int128 value = a.exact(i);
      if (node.function == Function::absolute) return value < 0 ? -value : value;
      const int128 unit = power_of_ten(a.type.scale), whole = value / unit;
      const bool rest = value % unit != 0;
      return node.function == Function::floor ? whole - (rest && value < 0) : whole + (rest && value > 0);
    });
  }

  template <class Fn>
  void exact_each(const Fn& fn) const {
    out.lane = Vector::Lane::int128;
    out.wide.resize(count);
    for (std::size_t i = 0; i < count; ++i) out.wide[i] = fn(i);
    narrow();
  }

  void float_function(const Vector& a) const {
    const std::vector<double>& x = doubles(a, scratch.left);
    const std::vector<double>* y = nullptr;
    if (node.args.size() > 1) {
      if (is_null_literal(1)) return all_null();
      y = &doubles(arg(1), scratch.right);
    }
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

  template <class Fn>
  void make_texts(const Vector& v, const Fn& fn) const {
    out.set_text(count);
    for (std::size_t i = 0; i < count; ++i)
      if (!v.is_null(i) && is_active(active, i)) out.texts[i] = fn(i);
  }

  std::string_view keep(std::string text) const {
    out.made.push_back(std::move(text));
    return out.made.back();
  }

  void text_function() const {
    for (std::size_t k = 0; k < node.args.size(); ++k)
      if (is_null_literal(k)) return all_null();
    const Vector& v = arg(0);
    switch (node.function) {
      case Function::upper:
      case Function::lower:
        return make_texts(v, [&](std::size_t i) { return keep(cased(v.text(i), node.function == Function::upper)); });
      case Function::char_length:
        out.set_int64(count);
        for (std::size_t i = 0; i < count; ++i)
          out.ints[i] = v.is_null(i) ? int64_null : static_cast<std::int64_t>(code_points(v.text(i)));
        return;
      case Function::position: {
        const Vector& in = arg(1);
        out.set_int64(count);
        for (std::size_t i = 0; i < count; ++i) {
          out.ints[i] = int64_null;
          if (v.is_null(i) || in.is_null(i)) continue;
          const auto at = in.text(i).find(v.text(i));
          out.ints[i] =
              at == std::string_view::npos ? 0 : static_cast<std::int64_t>(code_points(in.text(i).substr(0, at))) + 1;
        }
        return;
      }
      case Function::substring: return substring(v);
      default: return trim(v);
    }
  }

  void substring(const Vector& v) const {
    const Vector& from = arg(1);
    const Vector* const length = node.args.size() > 2 ? &arg(2) : nullptr;
    make_texts(v, [&](std::size_t i) -> std::string_view {
      if (from.is_null(i) || (length != nullptr && length->is_null(i))) return {};
      int128 first = from.exact(i) - 1, last = int128{1} << 62;
      if (length != nullptr) {
        if (length->exact(i) < 0) fail(Code::bad_cast, "substring with a negative length", i);
        last = first + length->exact(i);
      }
      first = std::max<int128>(first, 0);
      last = std::clamp<int128>(last, first, int128{1} << 62);
      const std::string_view text = v.text(i);
      const std::size_t a = byte_of(text, static_cast<std::int64_t>(std::min<int128>(first, int128{1} << 62)));
      const std::size_t b = byte_of(text.substr(a), static_cast<std::int64_t>(last - first));
      return keep(std::string(text.substr(a, b)));
    });
  }

  void trim(const Vector& v) const {
    const Vector* const characters = node.args.size() > 1 ? &arg(1) : nullptr;
    make_texts(v, [&](std::size_t i) -> std::string_view {
      if (characters != nullptr && characters->is_null(i)) return {};
      const std::string_view unit = characters != nullptr ? characters->text(i) : " ";
      std::string_view text = v.text(i);
      if (!unit.empty()) {
        if (node.function != Function::trim_trailing)
          while (text.starts_with(unit)) text.remove_prefix(unit.size());
        if (node.function != Function::trim_leading)
          while (text.ends_with(unit)) text.remove_suffix(unit.size());
      }
      return keep(std::string(text));
    });
  }

  void concatenate() const {
    if (is_null_literal(0) || is_null_literal(1)) return all_null();
    const Vector &a = arg(0), &b = arg(1);
    make_texts(a, [&](std::size_t i) -> std::string_view {
      if (b.is_null(i)) return {};
      return keep(std::string(a.text(i)) + std::string(b.text(i)));
    });
  }

  // ---- casts

  void cast() const {
    if (is_null_literal(0)) return all_null();
    const Vector& v = arg(0);
    const Kind from = v.type.kind, to = node.type.kind;
    if (to == Kind::text) {
      out.set_text(count);
      for (std::size_t i = 0; i < count; ++i)
        if (!v.is_null(i) && is_active(active, i)) out.texts[i] = keep(to_text(v.value(i), v.type));
      return;
    }
    start_picking();
    for (std::size_t i = 0; i < count; ++i) {
      if (v.is_null(i) || !is_active(active, i)) continue;
      const Value value = from == Kind::text ? from_text(v.text(i), i) : v.value(i);
      put(converted(value, v.type, i, from == Kind::text), i);
    }
    static_cast<void>(to);
  }

  Value from_text(std::string_view text, std::size_t i) const {
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

  [[noreturn]] void bad_cast(const std::string& value, std::size_t i) const {
    fail(Code::bad_cast,
         value + " cannot become " + (node.type.kind == Kind::integer ? "an " : "a ") + kind_name(node.type.kind), i,
         "shield it: case when ... then cast(...) end");
  }

  Value converted(const Value& value, const Type& from, std::size_t i, bool was_text) const {
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
        std::snprintf(buffer, sizeof buffer, "%.*f", type.scale, *number);  // exact binary value, rounded half to even
        lifted = Decimal::parse(buffer);
        if (lifted) lifted = lifted->rescaled(type.scale);
      }
      if (!lifted) fail(Code::overflow, to_text(value) + " has more than 38 digits as a " + kind_name(type.kind), i);
      return *lifted;
    } else if (type.kind == Kind::timestamp) {
      if (const auto* day = std::get_if<Date>(&value)) return Timestamp{day->days * day_length};
    } else if (type.kind == Kind::date) {
      if (const auto* moment = std::get_if<Timestamp>(&value))
        return Date{static_cast<std::int32_t>(day_at(from, moment->microseconds))};
    }
    return value;
  }

  void put(const Value& value, std::size_t i) const {
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
      for (std::size_t k = 0; k < count; ++k)
        out.wide[k] = out.ints[k] == int64_null ? int128_min : int128{out.ints[k]};
      out.lane = Vector::Lane::int128;
    }
    if (out.lane == Vector::Lane::int64)
      out.ints[i] = static_cast<std::int64_t>(stored);
    else
      out.wide[i] = stored;
  }

  // ---- once per distinct text

  // Results by code, worked out on first use; false when a distinct value fails, so that rows must decide.
  bool share() const {
    const Dictionary* const dictionary = self.source_.dictionary(node.only_text_column);
    if (dictionary == nullptr || scratch.cannot_share || dictionary->size() > self.source_.rows()) return false;
    if (scratch.distinct_of != dictionary) {
      const DictionarySource source(*dictionary);
      Evaluator once(source, static_cast<int>(self.scratch_.size()));
      Piece piece(node.type);
      try {
        for (std::size_t at = 0; at < source.rows(); at += batch_rows) {
          const std::size_t n = std::min(batch_rows, source.rows() - at);
          const Vector& values = once.evaluate(node, at, n, nullptr);
          for (std::size_t i = 0; i < n; ++i) piece.add(values.value(i));
        }
      } catch (const RowFailure&) {
        scratch.cannot_share = true;
        return false;
      }
      scratch.distinct_of = dictionary;
      scratch.shared = Column::seal(std::move(piece));
      load_column(*scratch.shared, 0, source.rows(), scratch.distinct);
    }
    const Vector& codes = self.load(node.only_text_column, begin, count);
    const Vector& by_code = scratch.distinct;
    const std::size_t null_row = dictionary->size();
    const auto spread = [&](const auto& from, auto& to) {
      to.resize(count);
      for (std::size_t i = 0; i < count; ++i)
        to[i] = from[codes.codes[i] == Dictionary::none ? null_row : codes.codes[i]];
    };
    out.lane = by_code.lane;
    out.dictionary = by_code.dictionary;
    switch (by_code.lane) {
      case Vector::Lane::int64: spread(by_code.ints, out.ints); break;
      case Vector::Lane::int128: spread(by_code.wide, out.wide); break;
      case Vector::Lane::float64: spread(by_code.doubles, out.doubles); break;
      default: spread(by_code.codes, out.codes); break;
    }
    return true;
  }

  void run() const {
    switch (node.op) {
      case Op::literal: return literal();
      case Op::null: return all_null();
      case Op::negate: {
        if (is_null_literal(0)) return all_null();
        const Vector& v = arg(0);
        if (v.lane == Vector::Lane::float64) {
          out.lane = Vector::Lane::float64;
          out.doubles.resize(count);
          for (std::size_t i = 0; i < count; ++i) out.doubles[i] = 0.0 - v.doubles[i];
          return;
        }
        return exact_each([&](std::size_t i) { return v.is_null(i) ? int128_min : -v.exact(i); });
      }
      case Op::add:
      case Op::subtract:
      case Op::multiply:
      case Op::divide: return arithmetic();
      case Op::concatenate: return concatenate();
      case Op::equal:
      case Op::unequal:
      case Op::less:
      case Op::less_equal:
      case Op::greater:
      case Op::greater_equal: return comparison();
      case Op::logical_and:
      case Op::logical_or: return logical();
      case Op::logical_not: {
        if (is_null_literal(0)) return all_null();
        const Vector& v = arg(0);
        out.set_int64(count);
        for (std::size_t i = 0; i < count; ++i) out.ints[i] = tri_not(v.ints[i]);
        return;
      }
      case Op::between: return between();
      case Op::in_list: return in_list();
      case Op::like: return like();
      case Op::is_null:
      case Op::is_truth: return test();
      case Op::case_when: return case_when();
      case Op::cast: return cast();
      case Op::extract: return extract();
      case Op::call: break;
      default: return all_null();
    }
    switch (node.function) {
      case Function::coalesce: return coalesce();
      case Function::nullif: return nullif();
      case Function::greatest:
      case Function::least: return extreme();
      case Function::iso_week:
      case Function::weekday:
      case Function::quarter:
      case Function::start_of: return date_function();
      case Function::upper:
      case Function::lower:
      case Function::trim:
      case Function::trim_leading:
      case Function::trim_trailing:
      case Function::char_length:
      case Function::substring:
      case Function::position: return text_function();
      default: return number_function();
    }
  }
};

const Vector& Evaluator::load(int column, std::size_t begin, std::size_t count, const Zone* zone) {
  const auto index = static_cast<std::size_t>(column);
  if (columns_.size() <= index) columns_.resize(index + 1);
  Loaded& loaded = columns_[index];
  if (loaded.begin != begin || loaded.count != count) {
    source_.load(column, begin, count, loaded.values);
    loaded.begin = begin;
    loaded.count = count;
  }
  if (loaded.values.type.zoned) loaded.values.type.zone = zone;
  return loaded.values;
}

const Vector& Evaluator::evaluate(const Node& node, std::size_t begin, std::size_t count, const unsigned char* active) {
  if (node.op == Op::name) return load(node.column, begin, count, node.type.zone);
  Scratch& scratch = scratch_[static_cast<std::size_t>(node.slot)];
  scratch.out.type = node.type;
  const Call call{*this, node, begin, count, active, scratch, scratch.out};
  if (node.only_text_column >= 0 && call.share()) return scratch.out;
  call.run();
  scratch.out.type = node.type;
  return scratch.out;
}

void append(Piece& piece, const Vector& v, std::size_t i) {
  if (v.is_null(i)) return piece.add_null();
  switch (v.lane) {
    case Vector::Lane::int64: return piece.add_integer(v.ints[i]);
    case Vector::Lane::int128: return piece.add_wide(v.wide[i]);
    case Vector::Lane::float64: return piece.add_double(v.doubles[i]);
    default: return piece.add_text(v.text(i));
  }
}

ColumnPtr evaluate_column(const Node& node, const ColumnSource& source, int slots, const Run& run) {
  Evaluator evaluator(source, slots);
  Piece piece(node.type);
  for (std::size_t begin = 0; begin < source.rows(); begin += batch_rows) {
    check_stop(run);
    const std::size_t count = std::min(batch_rows, source.rows() - begin);
    const Vector& v = evaluator.evaluate(node, begin, count, nullptr);
    for (std::size_t i = 0; i < count; ++i) append(piece, v, i);
  }
  return Column::seal(std::move(piece));
}

}  // namespace lofty::engine
