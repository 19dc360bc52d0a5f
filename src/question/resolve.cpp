// From a Ladder to a Question: tables opened, names resolved stage by stage, types checked. Runs twice: once on the
// headings alone, which tells the columns that have to be read, and once with their types.
// Covered by tests/question/check_test.cpp.

#include "question/resolve.hpp"

#include <algorithm>
#include <cassert>
#include <utility>

#include "base/folded.hpp"
#include "question/list_binder.hpp"
#include "question/prose.hpp"
#include "table/checked_source.hpp"

namespace lofty::engine {
namespace {

// docs/limits.md. Each level groups by the keys of all levels outside it, so the work grows with the square.
constexpr std::size_t most_levels = 20;

void check_compare(const Ladder& ladder, const Catalog& catalog, ProblemList& problems) {
  const Compare& compare = ladder.compare;
  if (compare.empty()) return;
  if (!compare.choose.empty() && !compare.with.empty())
    problems.say(Code::bad_value, "[compare] takes either other choices, or a table", "compare.with",
                 "leave out one of `choose` and `with`");

  if (!compare.period.empty()) {
    if (!compare.with.empty())
      problems.say(Code::bad_value, "[compare] takes either a period, or a table", "compare.with",
                   "leave out one of `period` and `with`");
    std::vector<std::string> names;
    const Period* found = nullptr;
    for (const Period& period : ladder.periods) {
      names.push_back(period.name);
      if (equal_folded(period.name, compare.period)) found = &period;
    }
    if (found == nullptr)
      problems.say(Code::unknown_word, "there is no period " + quoted(compare.period), "compare.period",
                   names.empty() ? remedy::set_period() : Remedy(), nearest_word(compare.period, names),
                   compare.period);
    else if (found->last.empty())
      problems.say(Code::bad_value, quoted(compare.period) + " goes from day to day, and has no stretch before it",
                   "compare.period", "a period with `last`");
  }

  // Who moves has a place, and is an entry.
  const auto any_level = [&](const auto& test) {
    return ladder.levels.empty() || std::any_of(ladder.levels.begin(), ladder.levels.end(), test);
  };
  if (any_level([](const Level& level) { return level.by.empty(); }))
    problems.say(Code::missing_key, "`[compare]` needs `by`: nothing is ranked", "compare", remedy::set_by());
  else if (any_level([](const Level& level) { return level.each.empty(); }))
    problems.say(Code::missing_each, "`[compare]` needs `each`: single rows have no identity", "compare",
                 remedy::set_each());

  // What it is compared with has to exist.
  if (!compare.with.empty() && compare.choose.empty() && compare.period.empty()) {
    try {
      opened(catalog, compare.with);
    } catch (const Error& error) {
      problems.add(error, "compare.with");
    }
  }
  std::vector<std::string> names;
  for (const Choice& choice : ladder.choices) names.push_back(choice.name);
  for (const auto& [name, value] : compare.choose)
    if (std::find(names.begin(), names.end(), name) == names.end())
      problems.say(Code::unknown_choice, "there is no choice " + quoted(name), "compare.choose." + name,
                   names.empty() ? "days = 30 under [choices]" : "", nearest_word(name, names), name);
}

// Every name means one thing.
class TakenNames {
 public:
  TakenNames(const LadderTables& tables, ProblemList& problems) : problems_(problems) {
    for (const TableUse& use : tables.uses())
      for (const std::string& heading : use.source->headings()) taken_.push_back(heading);
  }
  void take(const std::string& name, const std::string& key, const std::string& what) {
    for (const std::string& other : taken_)
      if (equal_folded(other, name))
        return problems_.say(Code::name_taken,
                             "the " + what + " " + quoted(name) + " has the name of something that exists", key,
                             what == "place column" ? remedy::set_rank_as() : Remedy("give it another name"));
    taken_.push_back(name);
  }
  void take_all(FormulaList& formulas, const std::string& what) {
    for (const ParsedFormula& one : formulas) take(one.formula->name, one.origin->key, what);
  }

 private:
  ProblemList& problems_;
  std::vector<std::string> taken_;
};

// `null` alone has no type, and a column needs one.
void check_types(const Question& question, ProblemList& problems) {
  for (const EntryColumn& column : question.entry_columns)
    if (column.type.kind == Kind::unknown || column.type.kind == Kind::interval)
      problems.say(Code::wrong_type, quoted(column.name) + " has no type that a column could have",
                   column.node && column.node->origin ? column.node->origin->key : "totals." + column.name,
                   "cast(... as integer) gives it one");
}

// One level: names resolved stage by stage, as far as they are known. What a name with a problem means has an unknown
// type, of which nothing more is said.
Question bind_level(const Ladder& ladder, const FurtherConditions& further, const LevelNames& level,
                    LadderTables& tables, ProblemList& problems, ListedSoFar& so_far) {
  Question question;
  question.ladder = &ladder;
  question.level = level.level();
  question.places = question.level != nullptr && !question.level->by.empty();

  // What has a name.
  const std::vector<NamedFormula> none;
  FormulaList figures(ladder.figures, "figures.", problems), totals(ladder.totals, "totals.", problems),
      window_values(question.level != nullptr ? question.level->windows : none, level.window_prefix(), problems);
  TakenNames names(tables, problems);
  for (const Period& period : ladder.periods) names.take(period.name, "periods." + period.name, "period");
  names.take_all(figures, "figure");
  names.take_all(totals, "total");
  names.take_all(window_values, "window value");
  for (std::size_t i = 0; const std::string& place : level.places())
    names.take(place, level.key_of(i++ == 0 ? "rank.rank_as" : "rank.also." + place), "place column");

  // Rows, entries, places, list.
  const LevelBinding parts(ladder, level, tables, question, problems);
  WindowBinder windows(parts);
  RowBinder rows(parts, figures, totals, window_values, windows);
  EntryBinder entries(parts, rows, totals, window_values, windows);
  LevelBinder ranking(parts, entries, totals, window_values);
  ListBinder list(parts, ranking, entries, {figures, totals, window_values}, so_far);
  rows.bind_all(further);
  ranking.bind_all(further.mark);
  list.bind_all();
  ranking.bind_orderings();
  if (tables.types_known() && problems.empty()) check_types(question, problems);
  question.tables = tables.uses();
  return question;
}

}  // namespace

Resolution::Resolution(const Ladder& ladder, const Catalog& catalog, FurtherConditions further)
    : ladder_(ladder), catalog_(catalog), further_(std::move(further)), tables_(std::make_unique<LadderTables>()) {
  ProblemList problems(problems_);
  if (tables_->open(ladder_, catalog_, problems)) questions_ = bind_levels(*tables_, problems);
}
Resolution::Resolution(const Ladder& ladder, const Catalog& catalog, const Resolution& other)
    : ladder_(ladder), catalog_(catalog), tables_(std::make_unique<LadderTables>(*other.tables_)) {
  tables_->want_nothing();
  ProblemList problems(problems_);
  questions_ = bind_levels(*tables_, problems);
}
Resolution::Resolution(Resolution&&) noexcept = default;
Resolution::~Resolution() = default;

std::vector<Question> Resolution::bind_levels(LadderTables& tables, ProblemList& problems) const {
  std::vector<Question> questions;
  ListedSoFar so_far;
  if (ladder_.levels.size() > most_levels) {
    problems.say(Code::bad_value,
                 "a ladder has at most " + std::to_string(most_levels) + " levels; this one has " +
                     std::to_string(ladder_.levels.size()),
                 "level[" + std::to_string(most_levels) + "]", "leave out levels");
    return questions;
  }
  check_compare(ladder_, catalog_, problems);
  const std::size_t levels = std::max<std::size_t>(1, ladder_.levels.size());
  for (std::size_t number = 0; number < levels; ++number)
    questions.push_back(bind_level(ladder_, further_, LevelNames(ladder_, number), tables, problems, so_far));
  return questions;
}

Resolution::Typed Resolution::with_types(const Tables& tables) const {
  Typed out{{}, problems_};
  LadderTables typed = *tables_;
  typed.set_types(tables);
  ProblemList problems(out.problems);
  out.questions = bind_levels(typed, problems);
  return out;
}

std::vector<Question> resolve_levels(const Ladder& ladder, const Catalog& catalog, std::vector<Problem>& problems,
                                     const FurtherConditions& further) {
  Resolution resolution(ladder, catalog, further);
  problems.insert(problems.end(), resolution.problems().begin(), resolution.problems().end());
  return std::move(resolution).questions();
}

}  // namespace lofty::engine
