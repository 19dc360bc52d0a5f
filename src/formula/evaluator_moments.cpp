// Dates and moments.
#include "formula/evaluator_call.hpp"

#include <date/date.h>
#include <date/iso_week.h>

#include <algorithm>

#include "value/calendar.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

namespace {

std::int64_t floor_day(std::int64_t microseconds) {
  return microseconds / day_length - (microseconds % day_length < 0);
}

// What the wall clock shows where the type's moments are shown.
std::int64_t wall_clock(const Type& type, std::int64_t moment) {
  return type.zone != nullptr ? type.zone->to_local(moment) : moment;
}

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

}  // namespace

void Evaluator::Call::move_moment() const {
  const Vector& from = arg(0);
  const Node& interval = *node.args[1];
  const Node& unit_node = interval.op == Op::interval ? interval : *interval.args[1];
  const int128 one = std::get<Decimal>(unit_node.value).coefficient();
  const Vector* const counts =
      interval.op == Op::interval ? nullptr : &self.evaluate(*interval.args[0], begin, count, active);
  const std::string& unit = interval.text;
  const bool is_date = node.type.kind == Kind::date;

  // Row by row.
  out.set_int64(count);
  for (std::size_t i = 0; i < count; ++i) {
    out.ints[i] = int64_null;
    if (from.is_null(i) || (counts != nullptr && counts->is_null(i))) continue;
    int128 n = 0;
    bool ok = !__builtin_mul_overflow(one, counts == nullptr ? 1 : counts->exact(i), &n);
    if (node.op == Op::subtract) n = -n;
    ok = ok && n < 1'000'000'000'000 && n > -1'000'000'000'000;
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

    // In units of months, of days, or of fixed length; by nothing, it is the same moment even where its clock shows
    // the hour a second time.
    std::int64_t to = 0;
    if (by == 0) {
      to = value;
    } else if (unit == "year" || unit == "month") {
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
      fail(Code::overflow, "the date is outside of the years 1 to 9999", i);
  }
}

template <class Fn>
void Evaluator::Call::from_moment(const Vector& v, const Fn& fn) const {
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

void Evaluator::Call::extract() const {
  if (is_null_literal(0)) return all_null();
  if (node.args[0]->op == Op::days_of) {
    const Vector& a = self.evaluate(*node.args[0]->args[0], begin, count, active);
    const Vector& b = self.evaluate(*node.args[0]->args[1], begin, count, active);
    // Days between two timestamps are whole ones on the wall clock; with a date on either side they are calendar days.
    const bool dates = a.type.kind == Kind::date || b.type.kind == Kind::date;
    const auto days_between = [&](std::size_t i) {
      return dates ? day_at(a.type, a.ints[i]) - day_at(b.type, b.ints[i])
                   : (wall_clock(a.type, a.ints[i]) - wall_clock(b.type, b.ints[i])) / day_length;
    };
    out.set_int64(count);
    const std::string& unit = node.args[0]->text;
    if (unit == "day") {
      for (std::size_t i = 0; i < count; ++i) out.ints[i] = a.is_null(i) || b.is_null(i) ? int64_null : days_between(i);
      return;
    }
    // Whole units between two moments; a date is its first one.
    const std::int64_t length = unit == "hour" ? 3'600'000'000 : unit == "minute" ? 60'000'000 : 1'000'000;
    const auto at = [](const Vector& v, const Vector& other, std::size_t i) {
      return v.type.kind == Kind::date ? v.ints[i] * day_length : instant(v, other, i);
    };
    for (std::size_t i = 0; i < count; ++i)
      out.ints[i] = a.is_null(i) || b.is_null(i) ? int64_null : (at(a, b, i) - at(b, a, i)) / length;
    return;
  }

  // A part of one moment.
  const Vector& v = arg(0);
  using namespace date;
  const std::string& field = node.text;
  if (field == "hour") return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest / 3'600'000'000; });
  if (field == "minute") return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest / 60'000'000 % 60; });
  if (field == "second") return from_moment(v, [](std::int64_t, std::int64_t rest) { return rest % 60'000'000; });
  from_moment(v, [&](std::int64_t day, std::int64_t) -> std::int64_t {
    const year_month_day parts{sys_days{days{day}}};
    if (field == "year") return static_cast<int>(parts.year());
    return field == "month" ? static_cast<unsigned>(parts.month()) : static_cast<unsigned>(parts.day());
  });
}

void Evaluator::Call::date_function() const {
  using namespace date;
  const std::size_t index = node.function == Function::start_of ? 1 : 0;
  if (is_null_literal(index)) return all_null();
  const Vector& v = arg(index);
  const auto unit = from_string<CalendarUnit>(node.text);
  from_moment(v, [&](std::int64_t day, std::int64_t) -> std::int64_t {
    const sys_days at{days{day}};
    switch (node.function) {
      case Function::iso_week: return static_cast<unsigned>(iso_week::year_weeknum_weekday{at}.weeknum());
      case Function::weekday: return static_cast<std::int64_t>(weekday{at}.iso_encoding());
      case Function::quarter: return quarter_of(day, node.first_month);
      default: return start_of_unit(*unit, day, node.first_month);
    }
  });
}

}  // namespace lofty::engine
