// Binding periods.

#include <algorithm>

#include "base/folded.hpp"
#include "question/prose.hpp"
#include "question/row_binder.hpp"

namespace lofty::engine {

void PeriodBinder::make() {
  for (const Period& period : ladder_.periods) {
    std::vector<Problem> found;
    Source source{&period, period_text(period, ladder_.choices, tables_.zone(), found), nullptr, found.empty()};
    problems_.add(std::move(found));
    if (source.usable) source.usable = bind_dates(source);
    sources_.push_back(std::move(source));
  }
}

bool PeriodBinder::bind_dates(Source& source) {
  const std::string key = "periods." + source.period->name + ".on", &on = source.period->on;
  const auto origin = std::make_shared<Origin>(Origin{key, on});
  try {
    RowScope scope(rows_, false, key);
    const ExpressionPtr column = parse_expression(on);
    std::vector<Problem> found;
    source.on = engine::bind(*column, scope, origin, found);
    const bool sound = found.empty();
    problems_.add(std::move(found));
    if (!sound) return false;

    // It has to be one of dates; a column without any value is.
    take_type(source.on, {.kind = Kind::date});
    const Kind kind = source.on->type.kind;
    if (kind != Kind::date && kind != Kind::timestamp && kind != Kind::unknown) {
      problems_.add(problem_at(Code::wrong_type,
                               "a period is one of dates or timestamps; " + quoted(on) + " is " + to_string(kind),
                               *column, origin));
      return false;
    }
    finished(*source.on);
    return true;
  } catch (const Error& error) {
    problems_.add(error, key);
    return false;
  }
}

NodePtr PeriodBinder::node(const Source& source, const std::string& text) const {
  const std::string key = "periods." + source.period->name;
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  const auto add = [&](Problem p) {
    p.location.text.clear();
    problems_.add(std::move(p));
  };
  try {
    RowScope scope(rows_, true, key);
    std::vector<Problem> found;
    NodePtr node = engine::bind(*parse_expression(text), scope, origin, found);
    for (const Problem& p : found) add(p);
    finished(*node);
    return node;
  } catch (const Error& error) {
    for (Problem p : error.problems()) {
      p.location.key = key;
      add(std::move(p));
    }
  }
  return nullptr;
}

const PeriodBinder::Source* PeriodBinder::find(const Expression& name) const {
  if (!name.qualifier.empty()) return nullptr;
  for (const Source& one : sources_)
    if (name.quoted ? one.period->name == name.text : equal_folded(one.period->name, name.text)) return &one;
  return nullptr;
}

NodePtr PeriodBinder::condition(const Expression& name, const std::shared_ptr<const Origin>& origin) const {
  const Source* const source = find(name);
  if (source == nullptr) return nullptr;
  NodePtr made = source->usable ? node(*source, source->text.condition(source->period->on)) : nullptr;
  return made ? std::move(made) : make_unknown(name, origin);
}

bool PeriodBinder::mentioned_in(const Expression& e) const {
  return (e.op == Op::name && find(e) != nullptr) ||
         std::any_of(e.args.begin(), e.args.end(), [&](const auto& arg) { return arg && mentioned_in(*arg); });
}

void PeriodBinder::bind_all() {
  for (Source& source : sources_) {
    if (!source.usable) continue;
    PeriodUse use{source.period->name, nullptr, std::move(source.on), nullptr, nullptr};
    use.condition = node(source, source.text.condition(source.period->on));
    if (!source.text.first.empty()) use.first = node(source, source.text.first);
    if (!source.text.last.empty()) use.last = node(source, source.text.last);
    if (use.condition) question_.periods.push_back(std::move(use));
  }
}

}  // namespace lofty::engine
