// From a Ladder to a Question: tables opened, names resolved stage by stage, types checked. Runs twice: once on the
// headings alone, which tells the columns that have to be read, and once with their types.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>
#include <cassert>
#include <functional>
#include <unordered_set>
#include <utility>

#include "formula/parser.hpp"
#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/nearest.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/zone.hpp"

namespace lofty::engine {

std::string stem_of(const std::string& name) {
  const std::size_t slash = name.find_last_of("/\\");
  std::string stem = slash == std::string::npos ? name : name.substr(slash + 1);
  const std::size_t point = stem.find('.');
  return point == std::string::npos || point == 0 ? stem : stem.substr(0, point);
}

Expression name_expression(const std::string& name) {
  Expression e;
  e.op = Op::name;
  e.text = name;
  e.end = name.size();
  return e;
}

bool Resolver::open_tables() {
  if (ladder_.data.from.empty()) {
    problem(Code::missing_key, "the ladder names no table", "data.from", "from = \"order_lines.csv\" under [data]");
    return false;
  }
  find_zone();
  bool all = open(ladder_.data.from, ladder_.data.as, ladder_.data.read, "data.from");
  for (std::size_t i = 0; i < ladder_.data.joins.size(); ++i) {
    const Join& join = ladder_.data.joins[i];
    all = open(join.with, join.as, join.read, "data.join[" + std::to_string(i) + "].with") && all;
  }
  if (!all) return false;
  for (std::size_t i = 0; i < tables_.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if (equal_folded(tables_[i].alias, tables_[k].alias))
        problem(Code::name_taken, "two tables are called " + quoted(tables_[i].alias),
                i == 0 ? "data.from" : "data.join[" + std::to_string(i - 1) + "].with",
                "as = \"another_name\" tells them apart");
  return true;
}

void Resolver::find_zone() {
  const std::string& name = ladder_.data.zone;
  if (name.empty()) return;
  zone_ = Zone::find(name);
  if (zone_ == nullptr)
    problem(Code::bad_value, "no time zone is called " + quoted(name), "data.zone",
            "zones have the names of the IANA data base: Europe/Oslo, UTC", Zone::nearest(name), name);
}

std::vector<Question> Resolver::bind_levels() {
  std::vector<Question> questions;
  known_somewhere_.clear();
  alternative_used_ = false;
  alternative_problems_.clear();
  for (level_ = 0; level_ == 0 || level_ < ladder_.levels.size(); ++level_) questions.push_back(bind());
  return questions;
}

Question Resolver::bind() {
  question_ = Question{};
  question_.tables = tables_;
  question_.level = ladder_.levels.empty() ? nullptr : &ladder_.levels[level_];
  question_.places = question_.level != nullptr && !question_.level->by.empty();
  if (level_ == 0) check_compare();
  bind_joins();
  parse_named(ladder_.figures, "figures.", figures_);
  parse_named(ladder_.totals, "totals.", totals_);
  windows_.clear();
  if (question_.level != nullptr) parse_named(question_.level->windows, window_prefix(), windows_);
  if (level_ == 0) parse_window_defs();
  check_names();
  make_periods();
  for (Parsed& figure : figures_) bind_figure(figure, true);
  bind_where();
  bind_periods();
  if (!further_.probe.empty()) {
    RowScope scope(*this, true, "the probe");
    question_.probe =
        bound(*parse_expression(further_.probe), scope, std::make_shared<Origin>(Origin{"", further_.probe}));
    question_.slots = finish(*question_.probe, question_.slots);
  }
  question_.probed_row = further_.probed_row;
  question_.only_probed = further_.only_probed;
  bind_level();
  bind_list();
  bind_orderings();
  check_types();
  tables_ = question_.tables;  // the columns that were mentioned
  return std::move(question_);
}

void Resolver::read_tables(const Run& run) {
  double begin = 0;
  const double each = 1.0 / static_cast<double>(tables_.size());
  for (TableUse& use : tables_) {
    const std::vector<std::size_t> wanted(use.wanted.begin(), use.wanted.end());
    try {
      Stopwatch watch;
      use.table = use.source->read(wanted, part_of(run, begin, begin + each));
      use.seconds = watch.lap();
      begin += each;
    } catch (const Error& error) {
      problems_.insert(problems_.end(), error.problems().begin(), error.problems().end());
      failed_ = true;
    }
  }
  was_read_ = !failed_;
}

std::string Resolver::window_prefix() const {
  return nested() ? "level[" + std::to_string(level_) + "].windows." : "windows.";
}

std::string Resolver::key_of(const std::string& key) const {
  return nested() ? "level[" + std::to_string(level_) + key.substr(key.find('.')).insert(0, "]") : key;
}

std::vector<std::string> Resolver::within_names() const {
  std::vector<std::string> names;
  if (question_.level == nullptr) return names;
  for (std::size_t outer = 0; outer < level_; ++outer)
    for (const auto* keys : {&ladder_.levels[outer].within, &ladder_.levels[outer].each})
      for (const std::string& name : *keys)
        if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  names.insert(names.end(), question_.level->within.begin(), question_.level->within.end());
  return names;
}

void Resolver::check_compare() {
  const Compare& compare = ladder_.compare;
  if (compare.empty()) return;
  if (!compare.choose.empty() && !compare.with.empty())
    problem(Code::bad_value, "[compare] takes either other choices, or a table", "compare.with",
            "leave out one of `choose` and `with`");
  const auto any_level = [&](const auto& test) {
    return ladder_.levels.empty() || std::any_of(ladder_.levels.begin(), ladder_.levels.end(), test);
  };
  if (any_level([](const Level& level) { return level.by.empty(); }))
    problem(Code::missing_key, "nothing is ranked, so nobody can have moved", "compare", remedy::set_by());
  else if (any_level([](const Level& level) { return level.each.empty(); }))
    problem(Code::missing_each, "single rows are nobody who could have moved", "compare", remedy::set_each());
  if (!compare.with.empty() && compare.choose.empty()) {
    try {
      catalog_.open(compare.with, {});
    } catch (const Error& error) {
      add(error, "compare.with");
    }
  }
  std::vector<std::string> names;
  for (const Choice& choice : ladder_.choices) names.push_back(choice.name);
  for (const auto& [name, value] : compare.choose)
    if (std::find(names.begin(), names.end(), name) == names.end())
      problem(Code::unknown_choice, "there is no choice " + quoted(name), "compare.choose." + name,
              names.empty() ? "days = 30 under [choices]" : "", nearest_word(name, names), name);
}

void Resolver::check_level(const Level& level) {
  if (level.each.empty() && !last_level())
    problem(Code::missing_each, "only the innermost level may have every row for an entry", key_of("rank.each"),
            "each = [\"valley\"]");
  for (std::size_t outer = 0; outer < level_; ++outer)
    if (!level.each.empty() && ladder_.levels[outer].each == level.each)
      problem(Code::bad_value,
              "level " + std::to_string(level_ + 1) + " repeats level " + std::to_string(outer + 1) +
                  ": each entry would hold itself alone",
              key_of("rank.each"), "give it other columns, or leave it out");
}

void Resolver::problem(Code code, std::string sentence, std::string key, Remedy advice, std::string nearest,
                       const std::string& text) {
  Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice.words), std::move(advice.key)};
  p.place.key = std::move(key);
  p.place.text = text;
  p.place.length = text.size();
  add(std::move(p));
}

void Resolver::add(Problem p) {
  for (const Problem& old : problems_)
    if (old.sentence == p.sentence && old.place.key == p.place.key && old.place.offset == p.place.offset) return;
  problems_.push_back(std::move(p));
}

NodePtr Resolver::bound(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
  std::vector<Problem> found;
  NodePtr node = engine::bind(e, scope, origin, found);
  for (Problem& p : found) add(std::move(p));
  return node;
}

void Resolver::add(const Error& error, const std::string& key) {
  for (Problem p : error.problems()) {
    if (p.place.key.empty()) p.place.key = key;
    add(std::move(p));
  }
}

bool Resolver::open(const std::string& name, const std::string& as, const ReadOptions& options,
                    const std::string& key) {
  TableUse use;
  try {
    use.source = catalog_.open(name, options);
  } catch (const Error& error) {
    for (Problem p : error.problems()) {
      if (p.place.key.empty() && p.place.line == 0) {
        p.place.key = key;
        if (p.code == Code::unknown_table) {
          p.place.text = name;
          p.place.length = name.size();
        }
      }
      add(std::move(p));
    }
    return false;
  }
  use.alias = as.empty() ? stem_of(name) : as;
  tables_.push_back(std::move(use));
  return true;
}

void Resolver::check_types() {
  if (!was_read_ || !problems_.empty()) return;
  for (const EntryColumn& column : question_.entry_columns)
    if (column.type.kind == Kind::unknown || column.type.kind == Kind::interval)
      problem(Code::wrong_type, quoted(column.name) + " has no type that a column could have",
              column.node && column.node->origin ? column.node->origin->key : "totals." + column.name,
              "cast(... as integer) gives it one");
}

void Resolver::parse_named(const std::vector<NamedFormula>& formulas, const std::string& prefix,
                           std::vector<Parsed>& out) {
  out.clear();
  for (const NamedFormula& formula : formulas) {
    Parsed parsed;
    parsed.formula = &formula;
    parsed.origin = std::make_shared<Origin>(Origin{prefix + formula.name, formula.formula});
    try {
      parsed.expression = parse_expression(formula.formula);
    } catch (const Error& error) {
      add(error, prefix + formula.name);
    }
    out.push_back(std::move(parsed));
  }
}

void Resolver::check_names() {
  std::vector<std::string> taken;
  for (const TableUse& use : tables_)
    for (const std::string& heading : use.source->headings()) taken.push_back(heading);
  const auto take = [&](const std::string& name, const std::string& key, const char* what) {
    for (const std::string& other : taken)
      if (equal_folded(other, name)) {
        problem(Code::name_taken,
                std::string("the ") + what + " " + quoted(name) + " has the name of something that exists", key,
                what == std::string("place column") ? remedy::set_rank_as() : Remedy("give it another name"));
        return;
      }
    taken.push_back(name);
  };
  for (const Period& period : ladder_.periods) take(period.name, "periods." + period.name, "period");
  for (const Parsed& figure : figures_) take(figure.formula->name, figure.origin->key, "figure");
  for (const Parsed& total : totals_) take(total.formula->name, total.origin->key, "total");
  for (const Parsed& window : windows_) take(window.formula->name, window.origin->key, "window value");
  for (std::size_t i = 0; const std::string& place : place_names())
    take(place, key_of(i++ == 0 ? "rank.rank_as" : "rank.also." + place), "place column");
}

std::vector<Question> resolve_levels(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                                     std::vector<Problem>& problems, const FurtherConditions& further) {
  Resolver resolver(ladder, catalog, problems, further);
  if (!resolver.open_tables()) return {};
  std::vector<Question> questions = resolver.bind_levels();
  if (!read) return questions;
  // With a name wrong the types of the rest are still worth checking, so that all problems come at once; but what is
  // only grammar does not make it worth reading a large table.
  resolver.read_tables(run);
  return resolver.failed() ? std::move(questions) : resolver.bind_levels();
}

Question resolve(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                 std::vector<Problem>& problems, const FurtherConditions& further) {
  assert(ladder.levels.size() <= 1);
  std::vector<Question> questions = resolve_levels(ladder, catalog, read, run, problems, further);
  return questions.empty() ? Question{} : std::move(questions.front());
}

}  // namespace lofty::engine
