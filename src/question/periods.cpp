#include "question/periods.hpp"

#include <date/date.h>

#include <algorithm>
#include <chrono>

#include "base/folded.hpp"
#include "question/prose.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

std::string PeriodText::condition(const std::string& on) const {
  const std::string from = first.empty() ? "" : "(" + on + ") >= " + first,
                    to = last.empty() ? "" : "(" + on + ") <= " + last;
  return from + (from.empty() || to.empty() ? "" : " and ") + to;
}

namespace {

std::string literal(const Date& day) { return "date '" + day.text() + "'"; }

// "2025-03-31", or ":since" for a choice. Anything else is a problem.
std::string day_text(const std::string& text, const std::string& key, std::vector<Problem>& problems) {
  if (text.starts_with(":")) return "cast(" + text + " as date)";
  if (const auto day = Date::parse(text)) return literal(*day);
  Problem p{
      Code::bad_value, quoted(text) + " is not a date", {}, {}, "a date, like 2025-03-31, or a choice, like :since"};
  p.location.key = key;
  problems.push_back(std::move(p));
  return {};
}

// What is wrong with one period.
class PeriodProblems {
 public:
  PeriodProblems(std::string key, std::vector<Problem>& problems) : key_(std::move(key)), problems_(problems) {}
  // `where` is the key inside the period: ".unit".
  void say(Code code, std::string sentence, const std::string& where, std::string advice, std::string nearest = {}) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
    p.location.key = key_ + where;
    problems_.push_back(std::move(p));
  }

 private:
  std::string key_;
  std::vector<Problem>& problems_;
};

// A number of units, from `least` on: a whole number, or a choice that is one.
void check_units(const std::string& text, int least, const std::string& where, const std::vector<Choice>& choices,
                 PeriodProblems& problems) {
  const auto is_count = [&](const Decimal& number) { return number.scale() == 0 && number.coefficient() >= least; };
  const std::string from = "a whole number from " + std::to_string(least) + " on";
  if (!text.starts_with(":")) {
    const auto number = Decimal::parse(text);
    if (!number || !is_count(*number))
      problems.say(Code::bad_value, quoted(text) + " is not a number of units", where,
                   from + ", or a choice, like \":days\"");
    return;
  }
  for (const Choice& choice : choices) {
    if (choice.name != text.substr(1)) continue;
    const auto* const value = std::get_if<Decimal>(&choice.value);
    if (value == nullptr || !is_count(*value))
      problems.say(Code::bad_choice, quoted(text) + " is " + to_text(choice.value) + ", which is not a number of units",
                   where, from);
  }
}

// The day that `last` counts back from, as a formula.
std::string end_text(const Period& period, const Zone* zone, const std::string& key, std::vector<Problem>& problems) {
  if (period.ends.empty() || period.ends == "data") return "overall_max(" + period.on + ")";
  if (period.ends != "today") return day_text(period.ends, key + ".ends", problems);
  const auto now = date::floor<std::chrono::microseconds>(std::chrono::system_clock::now());
  const Type moment{.kind = Kind::timestamp, .zoned = true, .zone = zone};
  return literal(Date{static_cast<std::int32_t>(day_at(moment, now.time_since_epoch().count()))});
}

}  // namespace

PeriodText period_text(const Period& period, const std::vector<Choice>& choices, const Zone* zone,
                       std::vector<Problem>& problems) {
  const std::string key = "periods." + period.name;
  PeriodProblems found(key, problems);
  PeriodText out;
  if (period.on.empty())
    found.say(Code::missing_key, quoted(key) + " names no column of dates", "", "on = \"ordered_on\"");

  // From one day through another.
  if (period.last.empty()) {
    if (period.from.empty() && period.through.empty())
      found.say(Code::missing_key, quoted(key) + " says neither how long it is nor from when to when", "",
                "last = 30 and unit = \"day\", or from = 2025-03-01 and through = 2025-03-31");
    if (period.unit || !period.ends.empty() || period.whole || !period.back.empty())
      found.say(Code::bad_value, "`unit`, `ends`, `whole` and `back` belong to `last`", "", "last = 30");
    if (!period.from.empty()) out.first = day_text(period.from, key + ".from", problems);
    if (!period.through.empty()) out.last = day_text(period.through, key + ".through", problems);
    return out;
  }

  // The last units; the first of them begins that many less one before the last.
  if (!period.from.empty() || !period.through.empty())
    found.say(Code::bad_value, quoted(key) + " has both `last` and `from` or `through`", "", "one of them");
  check_units(period.last, 1, ".last", choices, found);
  if (!period.back.empty()) check_units(period.back, 0, ".back", choices, found);
  const CalendarUnit by = period.unit.value_or(CalendarUnit::day);
  const std::string unit = to_string(by);
  const char* const step = by == CalendarUnit::day       ? "interval '1' day"
                           : by == CalendarUnit::week    ? "7 * interval '1' day"
                           : by == CalendarUnit::month   ? "interval '1' month"
                           : by == CalendarUnit::quarter ? "3 * interval '1' month"
                                                         : "interval '1' year";
  const std::string end = end_text(period, zone, key, problems), in_units = std::string(" * ") + step,
                    back = period.back.empty() ? "" : " - " + period.back + in_units;
  if (period.whole) {
    // The day after the last unit that is complete. Today's is not, even on its last day.
    const std::string after =
        "start_of('" + unit + "', " + (period.ends == "today" ? end : end + " + interval '1' day") + ")" + back;
    out.first = after + " - " + period.last + in_units;
    out.last = after + " - interval '1' day";
  } else {
    out.first = "start_of('" + unit + "', " + end + ") - (" + period.last + " - 1)" + in_units + back;
    out.last = end + back;
  }
  return out;
}

}  // namespace lofty::engine
