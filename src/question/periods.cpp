#include "question/periods.hpp"

#include <date/date.h>

#include <algorithm>
#include <chrono>

#include "question/prose.hpp"
#include "table/nearest.hpp"
#include "table/zone.hpp"

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
  Problem p{Code::bad_value, quoted(text) + " is no date", {}, {}, "a date, like 2025-03-31, or a choice, like :since"};
  p.place.key = key;
  problems.push_back(std::move(p));
  return {};
}

}  // namespace

PeriodText period_text(const Period& period, const std::vector<Choice>& choices, const Zone* zone,
                       std::vector<Problem>& problems) {
  const std::string key = "periods." + period.name;
  const auto problem = [&](Code code, std::string sentence, const std::string& where, std::string advice,
                           std::string nearest = {}) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
    p.place.key = key + where;
    problems.push_back(std::move(p));
  };
  PeriodText out;
  if (period.on.empty())
    problem(Code::missing_key, quoted(key) + " names no column of dates", "", "on = \"ordered_on\"");
  if (period.last.empty()) {
    if (period.from.empty() && period.through.empty())
      problem(Code::missing_key, quoted(key) + " says neither how long it is nor from when to when", "",
              "last = 30 and unit = \"day\", or from = 2025-03-01 and through = 2025-03-31");
    if (!period.unit.empty() || !period.anchor.empty())
      problem(Code::bad_value, "a unit and an anchor belong to `last`", "", "last = 30");
    if (!period.from.empty()) out.first = day_text(period.from, key + ".from", problems);
    if (!period.through.empty()) out.last = day_text(period.through, key + ".through", problems);
    return out;
  }
  if (!period.from.empty() || !period.through.empty())
    problem(Code::bad_value, quoted(key) + " has both `last` and `from` or `through`", "", "one of them");
  // How many units, as a formula; the first of them begins that many less one before the anchor's.
  const bool chosen = period.last.starts_with(":");
  const auto number = chosen ? std::nullopt : Decimal::parse(period.last);
  if (!chosen && (!number || number->scale() != 0 || number->coefficient() < 1))
    problem(Code::bad_value, quoted(period.last) + " is no number of units", ".last",
            "a whole number from 1 on, or a choice, like \":days\"");
  for (const Choice& choice : choices)
    if (chosen && choice.name == period.last.substr(1)) {
      const auto* const value = std::get_if<Decimal>(&choice.value);
      if (value == nullptr || value->scale() != 0 || value->coefficient() < 1)
        problem(Code::bad_choice,
                quoted(period.last) + " is " + to_text(choice.value) + ", which is no number of units", ".last",
                "a whole number from 1 on");
    }
  static const std::vector<std::string> units = {"day", "week", "month", "quarter", "year"};
  const std::string unit = period.unit.empty() ? "day" : period.unit;
  if (std::find(units.begin(), units.end(), unit) == units.end()) {
    problem(Code::unknown_word, "a period's unit is day, week, month, quarter or year, not " + quoted(unit), ".unit",
            "", nearest_word(unit, units));
    return out;
  }
  if (period.anchor.empty() || period.anchor == "data") {
    out.last = "overall_max(" + period.on + ")";
  } else if (period.anchor == "today") {
    const auto now = date::floor<std::chrono::microseconds>(std::chrono::system_clock::now());
    const Type moment{.kind = Kind::timestamp, .zoned = true, .zone = zone};
    out.last = literal(Date{static_cast<std::int32_t>(day_at(moment, now.time_since_epoch().count()))});
  } else {
    out.last = day_text(period.anchor, key + ".anchor", problems);
  }
  const std::string step = unit == "year"      ? " * interval '1' year"
                           : unit == "month"   ? " * interval '1' month"
                           : unit == "quarter" ? " * 3 * interval '1' month"
                           : unit == "week"    ? " * 7 * interval '1' day"
                                               : " * interval '1' day";
  out.first = "start_of('" + unit + "', " + out.last + ") - (" + period.last + " - 1)" + step;
  return out;
}

}  // namespace lofty::engine
