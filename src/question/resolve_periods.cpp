// Resolving a ladder: periods.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>

#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/nearest.hpp"

namespace lofty::engine {

void Resolver::make_periods() {
  periods_.clear();
  for (const Period& period : ladder_.periods) {
    std::vector<Problem> found;
    PeriodSource source{&period, period_text(period, ladder_.choices, zone_, found), nullptr, found.empty()};
    for (Problem& p : found) add(std::move(p));
    if (source.usable) source.usable = bind_dates(source);
    periods_.push_back(std::move(source));
  }
}

bool Resolver::bind_dates(PeriodSource& source) {
  const std::string key = "periods." + source.period->name + ".on", &on = source.period->on;
  const auto origin = std::make_shared<Origin>(Origin{key, on});
  try {
    RowScope scope(*this, false, key);
    const ExpressionPtr column = parse_expression(on);
    std::vector<Problem> found;
    source.on = engine::bind(*column, scope, origin, found);
    for (Problem& p : found) add(p);
    if (!found.empty()) return false;
    const Kind kind = source.on->type.kind;
    if (kind != Kind::date && kind != Kind::timestamp && kind != Kind::unknown) {
      add(problem_at(Code::wrong_type,
                     "a period is one of dates or timestamps; " + quoted(on) + " is " + kind_name(kind), *column,
                     origin));
      return false;
    }
    question_.slots = finish(*source.on, question_.slots);
    return true;
  } catch (const Error& error) {
    add(error, key);
    return false;
  }
}

NodePtr Resolver::period_node(const PeriodSource& source, const std::string& text) {
  const std::string key = "periods." + source.period->name;
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  try {
    RowScope scope(*this, true, key);
    std::vector<Problem> found;
    NodePtr node = engine::bind(*parse_expression(text), scope, origin, found);
    for (Problem& p : found) {
      p.place.text.clear();
      add(std::move(p));
    }
    question_.slots = finish(*node, question_.slots);
    return node;
  } catch (const Error& error) {
    for (Problem p : error.problems()) {
      p.place.text.clear();
      p.place.key = key;
      add(std::move(p));
    }
  }
  return nullptr;
}

const Resolver::PeriodSource* Resolver::find_period(const Expression& e) const {
  if (!e.qualifier.empty()) return nullptr;
  for (const PeriodSource& one : periods_)
    if (e.quoted ? one.period->name == e.text : equal_folded(one.period->name, e.text)) return &one;
  return nullptr;
}

bool Resolver::mentions_period(const Expression& e) const {
  return (e.op == Op::name && find_period(e) != nullptr) ||
         std::any_of(e.args.begin(), e.args.end(), [&](const auto& arg) { return arg && mentions_period(*arg); });
}

void Resolver::bind_periods() {
  for (PeriodSource& source : periods_) {
    if (!source.usable) continue;
    PeriodUse use{source.period->name, nullptr, std::move(source.on), nullptr, nullptr};
    use.condition = period_node(source, source.text.condition(source.period->on));
    if (!source.text.first.empty()) use.first = period_node(source, source.text.first);
    if (!source.text.last.empty()) use.last = period_node(source, source.text.last);
    if (use.condition) question_.periods.push_back(std::move(use));
  }
}

}  // namespace lofty::engine
