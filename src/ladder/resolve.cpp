// From a Ladder to a Question: tables opened, names resolved stage by stage, types checked. Runs twice: once on the
// headings alone, which tells the columns that have to be read, and once with their types.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>
#include <cassert>
#include <cctype>
#include <functional>
#include <set>
#include <utility>

#include "formula/lexer.hpp"
#include "formula/parser.hpp"
#include "ladder/periods.hpp"
#include "ladder/prose.hpp"
#include "ladder/question.hpp"
#include "order/codes.hpp"
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

namespace {

// A name as a formula would write it.
Expression name_expression(const std::string& name) {
  Expression e;
  e.op = Op::name;
  e.text = name;
  e.end = name.size();
  return e;
}

enum class State : unsigned char { fresh, open, done };

struct Parsed {
  const NamedFormula* formula = nullptr;
  std::shared_ptr<const Origin> origin;
  ExpressionPtr expression;  // null: does not parse
  State state = State::fresh;
  std::size_t column = 0;  // totals: entry column
};

class Resolver {
 public:
  Resolver(const Ladder& ladder, const Catalog& catalog, std::vector<Problem>& problems, Beside beside)
      : ladder_(ladder), catalog_(catalog), problems_(problems), beside_(std::move(beside)) {}

  // False when the tables could not all be opened: nothing more can be said then.
  bool open_tables() {
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

  void find_zone() {
    const std::string& name = ladder_.data.zone;
    if (name.empty()) return;
    zone_ = Zone::find(name);
    if (zone_ == nullptr)
      problem(Code::bad_value, "no time zone is called " + quoted(name), "data.zone",
              "zones have the names of the IANA data base: Europe/Oslo, UTC", Zone::nearest(name), name);
  }

  // One pass over the whole ladder, for each of its levels; there is one Question at least.
  std::vector<Question> bind_levels() {
    std::vector<Question> questions;
    known_somewhere_.clear();
    alternative_used_ = false;
    alternative_problems_.clear();
    for (level_ = 0; level_ == 0 || level_ < ladder_.levels.size(); ++level_) questions.push_back(bind());
    return questions;
  }

  Question bind() {
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
    if (!beside_.probe.empty()) {
      RowScope scope(*this, true, "the probe");
      question_.probe =
          bound(*parse_expression(beside_.probe), scope, std::make_shared<Origin>(Origin{"", beside_.probe}));
      question_.slots = finish(*question_.probe, question_.slots);
    }
    bind_level();
    bind_list();
    bind_orderings();
    collect_overalls();
    check_types();
    tables_ = question_.tables;  // the columns that were mentioned
    return std::move(question_);
  }

  void read_tables(const Run& run) {
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
  }
  bool failed() const { return failed_; }

 private:
  bool nested() const { return ladder_.levels.size() > 1; }
  bool last_level() const { return level_ + 1 >= ladder_.levels.size(); }
  // [windows] stand beside [rank], and inside a [[level]].
  std::string window_prefix() const { return nested() ? "level[" + std::to_string(level_) + "].windows." : "windows."; }
  // Where the ladder says it: "rank.by", or "level[1].by" where levels are nested.
  std::string key_of(const std::string& key) const {
    return nested() ? "level[" + std::to_string(level_) + key.substr(key.find('.')).insert(0, "]") : key;
  }
  // The columns whose values make a group: the keys of the levels outside, then the level's own.
  std::vector<std::string> within_names() const {
    std::vector<std::string> names;
    if (question_.level == nullptr) return names;
    for (std::size_t outer = 0; outer < level_; ++outer)
      for (const auto* keys : {&ladder_.levels[outer].within, &ladder_.levels[outer].each})
        for (const std::string& name : *keys)
          if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    names.insert(names.end(), question_.level->within.begin(), question_.level->within.end());
    return names;
  }
  void check_compare() {
    const Compare& compare = ladder_.compare;
    if (compare.empty()) return;
    if (!compare.choose.empty() && !compare.with.empty())
      problem(Code::bad_value, "[compare] takes either other choices, or a table", "compare.with",
              "leave out one of `choose` and `with`");
    const auto any_level = [&](const auto& test) {
      return ladder_.levels.empty() || std::any_of(ladder_.levels.begin(), ladder_.levels.end(), test);
    };
    if (any_level([](const Level& level) { return level.by.empty(); }))
      problem(Code::missing_key, "nothing is ranked, so nobody can have moved", "compare",
              "by = \"spend desc\" under [rank]");
    else if (any_level([](const Level& level) { return level.each.empty(); }))
      problem(Code::missing_each, "single rows are nobody who could have moved", "compare",
              "each = [\"shop_no\"] under [rank]");
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
  void check_level(const Level& level) {
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

  void problem(Code code, std::string sentence, std::string key, std::string advice = {}, std::string nearest = {},
               const std::string& text = {}) {
    Problem p{code, std::move(sentence), {}, std::move(nearest), std::move(advice)};
    p.place.key = std::move(key);
    p.place.text = text;
    p.place.length = text.size();
    add(std::move(p));
  }
  // Formulas that are used twice, and the second pass, say the same thing again.
  void add(Problem p) {
    for (const Problem& old : problems_)
      if (old.sentence == p.sentence && old.place.key == p.place.key && old.place.offset == p.place.offset) return;
    problems_.push_back(std::move(p));
  }
  NodePtr bound(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
    std::vector<Problem> found;
    NodePtr node = engine::bind(e, scope, origin, found);
    for (Problem& p : found) add(std::move(p));
    return node;
  }
  void add(const Error& error, const std::string& key) {
    for (Problem p : error.problems()) {
      if (p.place.key.empty()) p.place.key = key;
      add(std::move(p));
    }
  }

  bool open(const std::string& name, const std::string& as, const ReadOptions& options, const std::string& key) {
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

  // ---- joins

  void bind_joins() {
    for (std::size_t i = 0; i < ladder_.data.joins.size(); ++i) {
      const Join& join = ladder_.data.joins[i];
      const std::string key = "data.join[" + std::to_string(i) + "].on";
      JoinUse use;
      use.table = i + 1;
      use.kind = join.kind;
      use.many = join.many;
      if (join.on.empty())
        problem(Code::missing_key, "the join with " + quoted(join.with) + " names no key",
                "data.join[" + std::to_string(i) + "]", "on = [\"shop_no\"]");
      for (const std::string& on : join.on) {
        const std::size_t equals = on.find('=');
        const auto trimmed = [](std::string text) {
          text.erase(0, text.find_first_not_of(" \t"));
          text.erase(text.find_last_not_of(" \t") + 1);
          return text;
        };
        const std::string left = trimmed(on.substr(0, equals)),
                          right = equals == std::string::npos ? left : trimmed(on.substr(equals + 1));
        JoinUse::Pair pair;
        const auto right_column = column_in(use.table, right, key, on);
        bool found = false;
        for (std::size_t t = 0; t < use.table && !found; ++t)
          if (const auto column = find_column(t, right_name(left, t), false)) {
            pair.left_table = t;
            pair.left_column = *column;
            found = true;
          }
        if (!found) {
          const Problem p =
              no_column(name_expression(left), std::make_shared<Origin>(Origin{key, on}), use.table, false);
          add(p);
        }
        use.broken = use.broken || !found || !right_column;
        if (!found || !right_column) continue;
        pair.right_column = *right_column;
        question_.tables[pair.left_table].wanted.insert(pair.left_column);
        question_.tables[use.table].wanted.insert(pair.right_column);
        use.on.push_back(pair);
      }
      question_.joins.push_back(std::move(use));
    }
  }

  // "orders.shop_no" -> "shop_no" when `orders` is table t; else the name as it is.
  std::string right_name(const std::string& name, std::size_t t) const {
    const std::string prefix = tables_[t].alias + ".";
    return name.size() > prefix.size() && equal_folded(name.substr(0, prefix.size()), prefix)
               ? name.substr(prefix.size())
               : name;
  }

  std::optional<std::size_t> column_in(std::size_t table, const std::string& name, const std::string& key,
                                       const std::string& text) {
    const auto column = find_column(table, right_name(name, table), false);
    if (!column) {
      Problem p = formula_problem(
          Code::unknown_column, "no column " + quoted(name) + " in " + tables_[table].source->name(), text,
          text.rfind(name), text.rfind(name) + name.size(), nearest_word(name, tables_[table].source->headings()));
      p.place.key = key;
      add(std::move(p));
    }
    return column;
  }

  // ---- names

  std::optional<std::size_t> find_column(std::size_t table, const std::string& name, bool exact) const {
    const auto& headings = tables_[table].source->headings();
    for (std::size_t i = 0; i < headings.size(); ++i)
      if (headings[i] == name) return i;
    std::optional<std::size_t> found;
    if (!exact)
      for (std::size_t i = 0; i < headings.size(); ++i)
        if (equal_folded(headings[i], name)) {
          if (found) return std::nullopt;
          found = i;
        }
    return found;
  }

  // Is this column of a joined table the key that it was joined by under the same name? Then it is one column.
  bool is_shared_key(std::size_t table, std::size_t column) const {
    for (const JoinUse& join : question_.joins)
      if (join.table == table &&
          join.broken) {  // a problem has been said; what its columns are called is not another one
        for (std::size_t t = 0; t < table; ++t)
          if (find_column(t, tables_[table].source->headings()[column], false)) return true;
      } else if (join.table == table)
        for (const JoinUse::Pair& pair : join.on)
          if (pair.right_column == column && equal_folded(tables_[pair.left_table].source->headings()[pair.left_column],
                                                          tables_[table].source->headings()[column]))
            return true;
    return false;
  }

  Problem no_column(const Expression& e, const std::shared_ptr<const Origin>& origin, std::size_t tables,
                    bool with_totals, bool with_places = false) {
    std::vector<std::string> names, places;
    for (std::size_t t = 0; t < std::min(tables, tables_.size()); ++t) {
      places.push_back(tables_[t].source->name());
      for (const std::string& heading : tables_[t].source->headings()) names.push_back(heading);
    }
    for (const Parsed& figure : figures_) names.push_back(figure.formula->name);
    for (const PeriodSource& period : periods_) names.push_back(period.period->name);
    if (with_totals)
      for (const auto* list : {&totals_, &windows_})
        for (const Parsed& one : *list) names.push_back(one.formula->name);
    if (with_places)
      for (const std::string& place : place_names()) names.push_back(place);
    const std::string nearest = nearest_word(e.text, names);
    std::string advice;
    if (e.quoted) advice = "text goes in single quotes: '" + e.text + "'";
    return problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + listed(places, "or"), e, origin,
                      nearest, advice);
  }

  // The row relation's column for a table's column.
  NodePtr row_column(std::size_t table, std::size_t column, const Expression& e,
                     const std::shared_ptr<const Origin>& origin) {
    question_.tables[table].wanted.insert(column);
    const RowColumn wanted{table, column};
    auto& columns = question_.row_columns;
    const auto found = std::find(columns.begin(), columns.end(), wanted);
    const auto index = static_cast<int>(found - columns.begin());
    if (found == columns.end()) columns.push_back(wanted);
    const Table& read = tables_[table].table;
    // Default-constructed tables have not been read yet.
    const bool known = was_read_ && read.holds(column);
    Type type = known ? read.type(column) : Type{};
    if (type.zoned && zone_ != nullptr) type.zone = zone_;
    return make_column(index, type, e, origin);
  }

  Parsed* find_named(std::vector<Parsed>& list, const Expression& e) {
    if (!e.qualifier.empty()) return nullptr;
    for (Parsed& parsed : list)
      if (parsed.formula->name == e.text) return &parsed;
    if (!e.quoted)
      for (Parsed& parsed : list)
        if (equal_folded(parsed.formula->name, e.text)) return &parsed;
    return nullptr;
  }

  // ---- periods

  struct PeriodSource {
    const Period* period;
    PeriodText text;
    NodePtr on;  // bound, until bind_periods() takes it
    bool usable = false;
  };

  void make_periods() {
    periods_.clear();
    for (const Period& period : ladder_.periods) {
      std::vector<Problem> found;
      PeriodSource source{&period, period_text(period, ladder_.choices, zone_, found), nullptr, found.empty()};
      for (Problem& p : found) add(std::move(p));
      if (source.usable) source.usable = bind_dates(source);
      periods_.push_back(std::move(source));
    }
  }

  // The column that a period goes by. False: it cannot, which has been said.
  bool bind_dates(PeriodSource& source) {
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

  // One of a period's formulas. They are ours, so problems show the key that they came from, not the text.
  NodePtr period_node(const PeriodSource& source, const std::string& text) {
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

  const PeriodSource* find_period(const Expression& e) const {
    if (!e.qualifier.empty()) return nullptr;
    for (const PeriodSource& one : periods_)
      if (e.quoted ? one.period->name == e.text : equal_folded(one.period->name, e.text)) return &one;
    return nullptr;
  }
  bool mentions_period(const Expression& e) const {
    return (e.op == Op::name && find_period(e) != nullptr) ||
           std::any_of(e.args.begin(), e.args.end(), [&](const auto& arg) { return arg && mentions_period(*arg); });
  }

  void bind_periods() {
    for (PeriodSource& source : periods_) {
      if (!source.usable) continue;
      PeriodUse use{source.period->name, nullptr, std::move(source.on), nullptr, nullptr};
      use.condition = period_node(source, source.text.condition(source.period->on));
      if (!source.text.first.empty()) use.first = period_node(source, source.text.first);
      if (!source.text.last.empty()) use.last = period_node(source, source.text.last);
      if (use.condition) question_.periods.push_back(std::move(use));
    }
  }

  // A column of the tables, or a figure, or a period.
  NodePtr row_name(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    if (const PeriodSource* const period = find_period(e)) {
      NodePtr node = period->usable ? period_node(*period, period->text.condition(period->period->on)) : nullptr;
      return node ? std::move(node) : make_unknown(e, origin);
    }
    Parsed* const figure = find_named(figures_, e);
    // A figure that takes a column's name is a problem of its own, said once; inside it, the name is the column.
    const bool shadows = figure != nullptr && figure->state == State::open && find_column(0, e.text, e.quoted);
    if (figure != nullptr && !shadows) {
      if (figure->state == State::open)
        throw Error(problem_at(Code::circular, "the figure " + quoted(e.text) + " needs itself", e, origin));
      if (!without_windows_.empty() && figure->expression && mentions_window(*figure->expression, 0))
        throw Error(problem_at(Code::wrong_stage,
                               quoted(e.text) +
                                   " holds a window: it sees the rows that rows.where lets through, too "
                                   "late for " +
                                   without_windows_,
                               e, origin));
      return bind_figure(*figure, false);
    }
    std::vector<std::pair<std::size_t, std::size_t>> found;
    for (std::size_t t = 0; t < tables_.size(); ++t) {
      if (!e.qualifier.empty() && !equal_folded(e.qualifier, tables_[t].alias)) continue;
      const auto column = find_column(t, e.text, e.quoted);
      if (column && !(e.qualifier.empty() && t > 0 && is_shared_key(t, *column))) found.emplace_back(t, *column);
    }
    if (found.size() == 1) return row_column(found[0].first, found[0].second, e, origin);
    if (found.size() > 1) {
      std::vector<std::string> options;
      for (const auto& [t, column] : found)
        options.push_back(quoted(tables_[t].alias + "." + tables_[t].source->headings()[column]));
      throw Error(problem_at(Code::ambiguous_column, quoted(e.text) + " is in several tables", e, origin, {},
                             "write " + listed(options, "or")));
    }
    if (!e.qualifier.empty()) {
      std::vector<std::string> aliases;
      bool known = false;
      for (std::size_t t = 0; t < tables_.size(); ++t) {
        aliases.push_back(tables_[t].alias);
        if (!equal_folded(e.qualifier, tables_[t].alias)) continue;
        known = true;
        throw Error(problem_at(Code::unknown_column, "no column " + quoted(e.text) + " in " + tables_[t].source->name(),
                               e, origin, nearest_word(e.text, tables_[t].source->headings())));
      }
      if (!known)
        throw Error(problem_at(Code::unknown_table, "no table is called " + quoted(e.qualifier) + " here", e, origin,
                               nearest_word(e.qualifier, aliases)));
    }
    // The same letters in another case, several times over?
    for (std::size_t t = 0; t < tables_.size(); ++t) {
      std::vector<std::string> alike;
      for (const std::string& heading : tables_[t].source->headings())
        if (equal_folded(heading, e.text)) alike.push_back("\"" + heading + "\"");
      if (alike.size() > 1)
        throw Error(problem_at(Code::ambiguous_column,
                               quoted(e.text) + " fits several columns of " + tables_[t].source->name(), e, origin, {},
                               "write " + listed(alike, "or")));
    }
    throw Error(no_column(e, origin, tables_.size(), false));
  }

  // ---- scopes

  NodePtr choice_node(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    for (const Choice& choice : ladder_.choices) {
      if (choice.name != e.text) continue;
      Type type{.kind = Kind::text};
      if (const auto* number = std::get_if<Decimal>(&choice.value))
        type = {.kind = number->scale() > 0 ? Kind::decimal : Kind::integer, .scale = number->scale()};
      if (std::holds_alternative<double>(choice.value)) type = {.kind = Kind::floating};
      if (std::holds_alternative<Date>(choice.value)) type = {.kind = Kind::date};
      if (std::holds_alternative<Timestamp>(choice.value)) type = {.kind = Kind::timestamp};
      if (std::holds_alternative<bool>(choice.value)) type = {.kind = Kind::boolean};
      return make_literal(choice.value, type, e, origin);
    }
    std::vector<std::string> names;
    for (const Choice& choice : ladder_.choices) names.push_back(choice.name);
    throw Error(problem_at(Code::unknown_choice, "no choice is called " + quoted(e.text), e, origin,
                           nearest_word(e.text, names),
                           names.empty() ? e.text + " = 30 under [choices] makes one" : ""));
  }

  // ---- windows

  void parse_window_defs() {
    named_windows_.clear();
    for (const NamedFormula& formula : ladder_.window_defs) {
      NamedWindow named;
      named.name = formula.name;
      named.origin = std::make_shared<Origin>(Origin{"window_defs." + formula.name, formula.formula});
      try {
        named.clause = parse_window(formula.formula);
        named_windows_.push_back(std::move(named));
      } catch (const Error& error) {
        add(error, "window_defs." + formula.name);
      }
    }
  }

  // Does a formula hold a window, itself or in a figure that it names?
  bool mentions_window(const Expression& e, int depth) {
    if (e.over) return true;
    if (e.op == Op::name && depth < 50)
      if (const Parsed* const figure = find_named(figures_, e); figure != nullptr && figure->expression)
        if (mentions_window(*figure->expression, depth + 1)) return true;
    return std::any_of(e.args.begin(), e.args.end(),
                       [&](const auto& arg) { return arg && mentions_window(*arg, depth); }) ||
           (e.filter && mentions_window(*e.filter, depth));
  }

  // Bound in `scope`, with every part ready for evaluation. Null: problems have been said.
  std::unique_ptr<WindowCall> window_call(const Expression& e, Scope& scope,
                                          const std::shared_ptr<const Origin>& origin) {
    if (inside_window_)
      throw Error(problem_at(Code::wrong_arguments, "a window cannot stand inside another one", e, origin, {},
                             "give the inner one a name of its own"));
    inside_window_ = true;
    std::vector<Problem> found;
    std::unique_ptr<WindowCall> call;
    try {
      call = bind_window(e, scope, origin, named_windows_, found);
    } catch (const Error& error) {
      found.insert(found.end(), error.problems().begin(), error.problems().end());
    }
    inside_window_ = false;
    if (!found.empty()) throw Error(std::move(found));
    each_node(*call, [&](NodePtr& node) { question_.slots = finish(*node, question_.slots); });
    return call;
  }

  template <class Work>
  static void each_node(WindowCall& call, const Work& work) {
    for (NodePtr* node : {&call.value, &call.filter, &call.otherwise, &call.range_from, &call.range_to})
      if (*node) work(*node);
    for (auto* keys : {&call.partition, &call.order})
      for (WindowKey& key : *keys) work(key.node);
  }

  // Over the rows that count: a column of theirs.
  NodePtr row_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                     const std::string& stage) {
    if (!without_windows_.empty())
      throw Error(problem_at(Code::wrong_stage,
                             "a window sees the rows that rows.where lets through, too late for " + without_windows_, e,
                             origin, {}, "a condition on it stands in keep.where"));
    if (stage != "figures")
      throw Error(problem_at(Code::wrong_stage, "a window over rows is a figure", e, origin, {},
                             "give it a name under [figures]"));
    std::unique_ptr<WindowCall> call = window_call(e, scope, origin);
    const std::string same = signature(*call);
    std::size_t index = 0;
    while (index < question_.row_windows.size() && signature(*question_.row_windows[index].call) != same) ++index;
    const Type type = call->type;
    if (index == question_.row_windows.size())
      question_.row_windows.push_back({std::move(call), origin->key, 0, false});
    const RowColumn wanted{RowColumn::window_table, index};
    auto& columns = question_.row_columns;
    const auto found = std::find(columns.begin(), columns.end(), wanted);
    const auto column = static_cast<int>(found - columns.begin());
    if (found == columns.end()) columns.push_back(wanted);
    return make_column(column, type, e, origin);
  }

  // Over the entries: one of their columns.
  NodePtr entry_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
    std::unique_ptr<WindowCall> call = window_call(e, scope, origin);
    const std::string same = signature(*call);
    for (const WindowUse& use : question_.entry_windows)
      if (signature(*use.call) == same) return entry_node(use.column, e, origin);
    WindowUse use;
    use.where = origin->key;
    each_node(*call, [&](NodePtr& node) { use.late = use.late || sees_places(*node); });
    EntryColumn column;
    column.from = EntryColumn::From::window;
    column.name = call->text;
    column.type = call->type;
    column.index = question_.entry_windows.size();
    use.call = std::move(call);
    use.column = add_entry_column(std::move(column));
    question_.entry_windows.push_back(std::move(use));
    if (!question_.entry_windows.back().late) question_.windowed.push_back(question_.entry_windows.back().column);
    return entry_node(question_.entry_windows.back().column, e, origin);
  }
  bool sees_places(const Node& node) const {
    if (node.op == Op::name) {
      if (node.column <= -2) return true;
      for (const WindowUse& use : question_.entry_windows)
        if (use.late && node.column == static_cast<int>(use.column)) return true;
    }
    return std::any_of(node.args.begin(), node.args.end(), [&](const NodePtr& arg) { return sees_places(*arg); });
  }

  // A formula of [windows], bound when it is first named.
  NodePtr windowed(Parsed& window, const Expression& e, const std::shared_ptr<const Origin>& origin) {
    if (window.state == State::open)
      throw Error(problem_at(Code::circular, "the window value " + quoted(e.text) + " needs itself", e, origin));
    if (window.state == State::fresh) bind_windowed(window);
    return entry_node(window.column, e, origin);
  }
  void bind_windowed(Parsed& window) {
    window.state = State::open;
    EntryColumn column;
    column.from = EntryColumn::From::windowed;
    column.name = window.formula->name;
    window.column = add_entry_column(std::move(column));
    if (window.expression) {
      std::vector<Problem> found;
      EntryScope scope(*this, !question_.row_level(), false, window.origin->key);
      const bool inside = std::exchange(inside_window_, false);
      NodePtr node = engine::bind(*window.expression, scope, window.origin, found);
      inside_window_ = inside;
      for (Problem& p : found) add(std::move(p));
      question_.slots = finish(*node, question_.slots);
      question_.entry_columns[window.column].type = node->type;
      question_.entry_columns[window.column].node = std::move(node);
      question_.windowed.push_back(window.column);
    }
    window.state = State::done;
  }

  // Names of the rows, for figures, conditions on rows, and what stands inside aggregates.
  class RowScope : public Scope {
   public:
    RowScope(Resolver& resolver, bool overall_allowed, std::string stage)
        : r_(resolver), overall_allowed_(overall_allowed), stage_(std::move(stage)) {}
    NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      try {
        return r_.row_name(e, origin);
      } catch (const Error& error) {
        if (error.code() == Code::unknown_column) r_.fail_if_later(e, origin, stage_);
        throw;
      }
    }
    NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      if (e.text.starts_with("overall_")) {
        if (!overall_allowed_)
          throw Error(problem_at(Code::wrong_stage, quoted(e.text) + " cannot stand inside another total", e, origin));
        return r_.overall(e, origin);
      }
      throw Error(problem_at(
          Code::wrong_stage,
          quoted(e.text + "(...)") + " is a total: it is known after the rows are grouped, too late for " + stage_, e,
          origin, {},
          "give it a name under [totals]" +
              std::string(stage_ == "figures" ? "; with `over (partition by ...)` it stands beside every row" : "")));
    }
    NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      return r_.row_window(e, *this, origin, stage_);
    }
    NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      return r_.choice_node(e, origin);
    }
    const Zone* zone() const override { return r_.zone_; }

   private:
    Resolver& r_;
    bool overall_allowed_;
    std::string stage_;
  };

  // Names of the entries; with `places`, of the places too.
  class EntryScope : public Scope {
   public:
    EntryScope(Resolver& resolver, bool aggregates, bool places, std::string stage, bool windows = true)
        : r_(resolver), aggregates_(aggregates), places_(places), windows_(windows), stage_(std::move(stage)) {}
    NodePtr name(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      return r_.entry_name(e, origin, places_, stage_, windows_);
    }
    NodePtr window(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      if (!windows_)
        throw Error(problem_at(Code::wrong_stage,
                               "a window over entries sees those that rank.having lets through, too late for " + stage_,
                               e, origin, {}, "give it a name under [windows]"));
      return r_.entry_window(e, *this, origin);
    }
    NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      if (e.text.starts_with("overall_")) return r_.overall(e, origin);
      if (r_.question_.row_level())
        throw Error(problem_at(Code::missing_each,
                               "a total needs a level: which rows does " + quoted(e.text + "(...)") + " take together?",
                               e, origin, {}, "each = [\"shop_no\"] under [rank]"));
      if (!aggregates_)
        throw Error(problem_at(Code::wrong_stage, quoted(e.text + "(...)") + " cannot be worked out in " + stage_, e,
                               origin, {}, "give it a name under [totals]"));
      return r_.aggregate(e, origin);
    }
    NodePtr choice(const Expression& e, const std::shared_ptr<const Origin>& origin) override {
      return r_.choice_node(e, origin);
    }
    const Zone* zone() const override { return r_.zone_; }

   private:
    Resolver& r_;
    bool aggregates_, places_, windows_;
    std::string stage_;
  };

  // A name that does not exist among the rows may exist later on: say so.
  void fail_if_later(const Expression& e, const std::shared_ptr<const Origin>& origin, const std::string& stage) {
    if (find_named(totals_, e) != nullptr)
      throw Error(problem_at(
          Code::wrong_stage,
          quoted(e.text) + " is a total: it is known after the rows are grouped, too late for " + stage, e, origin));
    fail_if_windowed(e, origin, stage);
    for (const std::string& place : place_names())
      if (question_.level != nullptr && equal_folded(place, e.text))
        throw Error(problem_at(Code::wrong_stage,
                               quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                               origin));
  }

  void fail_if_windowed(const Expression& e, const std::shared_ptr<const Origin>& origin, const std::string& stage) {
    if (find_named(windows_, e) != nullptr)
      throw Error(problem_at(
          Code::wrong_stage,
          quoted(e.text) + " is a window value: it is known after rank.having, too late for " + stage, e, origin));
  }

  std::vector<std::string> place_names() const {
    std::vector<std::string> names;
    if (question_.level == nullptr || question_.level->by.empty()) return names;
    names.push_back(question_.level->rank_as.empty() ? "rank" : question_.level->rank_as);
    for (const Also& also : question_.level->also) names.push_back(also.name);
    if (!ladder_.compare.empty()) names.insert(names.end(), {"was", "moved"});
    return names;
  }

  NodePtr overall(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    if (e.args.size() != 1 || e.args[0]->op == Op::star || e.distinct || e.filter)
      throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument, and no filter", e, origin,
                             {}, e.text + "(ordered_on)"));
    RowScope scope(*this, false, "the inside of " + e.text);
    const std::string before = std::exchange(without_windows_, "the inside of " + e.text);
    NodePtr argument = bound(*e.args[0], scope, origin);
    without_windows_ = before;
    if (argument->type.kind == Kind::text || argument->type.kind == Kind::boolean)
      throw Error(
          problem_at(Code::wrong_type, quoted(e.text) + " takes a number, a date or a timestamp", *e.args[0], origin));
    NodePtr literal = make_literal(std::monostate{}, argument->type, e, origin);
    const std::string text = origin->text.substr(e.begin, e.end - e.begin);
    std::size_t index = 0;
    while (index < question_.overalls.size() && question_.overalls[index]->text != text) ++index;
    if (index == question_.overalls.size()) {
      auto made = std::make_unique<Overall>();
      made->greatest = e.text == "overall_max";
      question_.slots = finish(*argument, question_.slots);
      made->argument = std::move(argument);
      made->text = text;
      question_.overalls.push_back(std::move(made));
    }
    if (!origin->key.starts_with("periods.")) question_.overalls[index]->written = true;
    literal->overall = static_cast<int>(index);
    return literal;
  }

  // Which nodes wait for the overall constants. Only now is it known which have stayed: a formula that is written twice
  // is bound twice, and kept once.
  void collect_overalls() {
    const std::function<void(const NodePtr&)> walk = [&](const NodePtr& node) {
      if (!node) return;
      if (node->overall >= 0) question_.overalls[static_cast<std::size_t>(node->overall)]->uses.push_back(node.get());
      for (const NodePtr& arg : node->args) walk(arg);
    };
    for (const auto* list : {&question_.where_first, &question_.where_last})
      for (const NodePtr& term : *list) walk(term);
    for (const auto& aggregate : question_.aggregates) {
      walk(aggregate->argument);
      walk(aggregate->filter);
      for (const SortKey& key : aggregate->order) walk(key.node);
    }
    for (const EntryColumn& column : question_.entry_columns) walk(column.node);
    for (const auto* keys : {&question_.by, &question_.tiebreak, &question_.list_order})
      for (const SortKey& key : *keys) walk(key.node);
    for (const AlsoUse& also : question_.also)
      for (const SortKey& key : also.by) walk(key.node);
    for (auto* uses : {&question_.row_windows, &question_.entry_windows})
      for (WindowUse& use : *uses) each_node(*use.call, [&](NodePtr& node) { walk(node); });
    for (const PeriodUse& period : question_.periods)
      for (const NodePtr* node : {&period.condition, &period.on, &period.first, &period.last}) walk(*node);
    for (const NodePtr* node :
         {&question_.having, &question_.eligible, &question_.keep_where, &question_.probe, &question_.mark})
      walk(*node);
  }

  // `null` alone has no type, and a column needs one.
  void check_types() {
    if (!was_read_ || !problems_.empty()) return;
    for (const EntryColumn& column : question_.entry_columns)
      if (column.type.kind == Kind::unknown || column.type.kind == Kind::interval)
        problem(Code::wrong_type, quoted(column.name) + " has no type that a column could have",
                column.node && column.node->origin ? column.node->origin->key : "totals." + column.name,
                "cast(... as integer) gives it one");
  }

  // ---- figures and conditions

  void parse_named(const std::vector<NamedFormula>& formulas, const std::string& prefix, std::vector<Parsed>& out) {
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

  void check_names() {
    std::vector<std::string> taken;
    for (const TableUse& use : tables_)
      for (const std::string& heading : use.source->headings()) taken.push_back(heading);
    const auto take = [&](const std::string& name, const std::string& key, const char* what) {
      for (const std::string& other : taken)
        if (equal_folded(other, name)) {
          problem(
              Code::name_taken,
              std::string("the ") + what + " " + quoted(name) + " has the name of something that exists", key,
              what == std::string("place column") ? "rank_as = \"place\" gives it another" : "give it another name");
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

  NodePtr bind_figure(Parsed& figure, bool report) {
    if (!figure.expression) return make_unknown(name_expression(figure.formula->name), figure.origin);
    std::vector<Problem> found;
    figure.state = State::open;
    RowScope scope(*this, true, "figures");
    const bool inside = std::exchange(inside_window_, false);  // a name of its own makes it another one's input
    NodePtr node = engine::bind(*figure.expression, scope, figure.origin, found);
    inside_window_ = inside;
    figure.state = State::done;
    for (Problem& p : found) {
      // A circle is met again from each of its figures; one mention is enough.
      const bool circle = p.code == Code::circular;
      if (circle ? !circle_said_ : report) add(std::move(p));
      circle_said_ = circle_said_ || circle;
    }
    return node;
  }

  static bool mentions_overall(const Node& node) {
    return node.overall >= 0 ||
           std::any_of(node.args.begin(), node.args.end(), [](const NodePtr& arg) { return mentions_overall(*arg); });
  }

  void bind_where() {
    if (ladder_.where.empty()) return;
    const auto origin = std::make_shared<Origin>(Origin{"rows.where", ladder_.where});
    ExpressionPtr whole;
    try {
      whole = parse_expression(ladder_.where);
    } catch (const Error& error) {
      return add(error, "rows.where");
    }
    without_windows_ = "rows.where";
    // The top-level terms, in their order.
    const std::function<void(const Expression&)> walk = [&](const Expression& e) {
      if (e.op == Op::logical_and) {
        walk(*e.args[0]);
        return walk(*e.args[1]);
      }
      std::vector<Problem> found;
      RowScope scope(*this, true, "rows.where");
      NodePtr node = engine::bind(e, scope, origin, found);
      if (found.empty() && node->type.kind != Kind::boolean && node->type.kind != Kind::unknown)
        found.push_back(
            problem_at(Code::wrong_type,
                       "rows.where needs a condition; " + quoted(node->source()) + " is " + kind_name(node->type.kind),
                       e, origin));
      for (Problem& p : found) add(std::move(p));
      question_.slots = finish(*node, question_.slots);
      (mentions_overall(*node) || mentions_period(e) ? question_.where_last : question_.where_first)
          .push_back(std::move(node));
    };
    walk(*whole);
    without_windows_.clear();
  }

  // ---- entries

  std::size_t add_entry_column(EntryColumn column) {
    if (column.node && column.from != EntryColumn::From::total && column.from != EntryColumn::From::windowed)
      question_.slots = finish(*column.node, question_.slots);
    question_.entry_columns.push_back(std::move(column));
    return question_.entry_columns.size() - 1;
  }

  NodePtr entry_node(std::size_t index, const Expression& e, const std::shared_ptr<const Origin>& origin) {
    return make_column(static_cast<int>(index), question_.entry_columns[index].type, e, origin);
  }

  NodePtr entry_name(const Expression& e, const std::shared_ptr<const Origin>& origin, bool places,
                     const std::string& stage, bool windows = true) {
    if (Parsed* const window = find_named(windows_, e); window != nullptr) {
      if (!windows) fail_if_windowed(e, origin, stage);
      return windowed(*window, e, origin);
    }
    if (Parsed* total = find_named(totals_, e); total != nullptr && !question_.row_level()) {
      if (total->state == State::open)
        throw Error(problem_at(Code::circular, "the total " + quoted(e.text) + " needs itself", e, origin));
      if (total->state == State::fresh) bind_total(*total);
      return entry_node(total->column, e, origin);
    }
    if (question_.row_level() && level_ > 0 && find_named(totals_, e) != nullptr)
      throw Error(problem_at(Code::wrong_stage,
                             quoted(e.text) + " is a total, and the entries of this level are single rows", e, origin,
                             {}, "a column or a figure"));
    const auto names = place_names();
    for (std::size_t i = 0; i < names.size() && e.qualifier.empty(); ++i) {
      if (!equal_folded(names[i], e.text)) continue;
      if (!places)
        throw Error(problem_at(Code::wrong_stage,
                               quoted(e.text) + " is a place: it is known at the very end, too late for " + stage, e,
                               origin));
      // Place columns stand behind the entries' columns, whose number is not yet final: a negative number for now.
      NodePtr node = make_column(-2 - static_cast<int>(i), place_type(i), e, origin);
      return node;
    }
    NodePtr row;
    try {
      row = row_name(e, origin);
    } catch (const Error& error) {
      if (error.code() == Code::unknown_column && e.qualifier.empty())
        throw Error(no_column(e, origin, tables_.size(), true, places));
      throw;
    }
    const std::string name = e.qualifier.empty() ? canonical_name(*row, e) : e.qualifier + "." + e.text;
    for (std::size_t i = 0; i < question_.entry_columns.size(); ++i) {
      const EntryColumn& column = question_.entry_columns[i];
      if (column.name == name && (column.from == EntryColumn::From::key || column.from == EntryColumn::From::carried ||
                                  column.from == EntryColumn::From::row))
        return entry_node(i, e, origin);
    }
    EntryColumn column;
    column.from = question_.row_level() ? EntryColumn::From::row : EntryColumn::From::carried;
    column.name = name;
    column.type = row->type;
    column.determined = is_determined(*row) && !may_be_let_in(*row);
    column.node = std::move(row);
    return entry_node(add_entry_column(std::move(column)), e, origin);
  }

  // Does it come from a table whose rows may stand alone? Those without a key are then no partner of anybody's, and yet
  // fall into one entry with the rows that have none: what it holds has to be looked at.
  bool may_be_let_in(const Node& row) const {
    const std::size_t table = question_.row_columns[static_cast<std::size_t>(row.column)].table;
    return std::any_of(question_.joins.begin(), question_.joins.end(), [&](const JoinUse& join) {
      return join.table == table && (join.kind == JoinKind::right || join.kind == JoinKind::full);
    });
  }

  bool is_determined(const Node& row) const {
    if (row.op != Op::name || row.column < 0) return false;
    const RowColumn& at = question_.row_columns[static_cast<std::size_t>(row.column)];
    if (at.of_window()) return false;
    for (const JoinUse& join : question_.joins) {
      if (join.table != at.table || join.on.empty()) continue;
      std::vector<std::size_t> keys = question_.each;  // an entry has one value of each of these
      keys.insert(keys.end(), question_.within.begin(), question_.within.end());
      return std::all_of(join.on.begin(), join.on.end(), [&](const JoinUse::Pair& pair) {
        return std::any_of(keys.begin(), keys.end(), [&](std::size_t key) {
          if (key >= question_.entry_columns.size()) return false;
          const Node& node = *question_.entry_columns[key].node;
          return node.op == Op::name && node.column >= 0 &&
                 question_.row_columns[static_cast<std::size_t>(node.column)] ==
                     RowColumn{pair.left_table, pair.left_column};
        });
      });
    }
    return false;
  }

  // The heading behind a name that was written in another case; figures keep their own name.
  std::string canonical_name(const Node& row, const Expression& e) {
    if (const Parsed* figure = find_named(figures_, e)) return figure->formula->name;
    if (row.op == Op::name && row.column >= 0) {
      const RowColumn& c = question_.row_columns[static_cast<std::size_t>(row.column)];
      if (c.of_window()) return e.text;
      return tables_[c.table].source->headings()[c.column];
    }
    return e.text;
  }

  Type place_type(std::size_t index) const {
    if (index > question_.level->also.size()) index = 0;  // was and moved are places, and differences of them
    if (index > 0) {
      const Also& also = question_.level->also[index - 1];
      if (also.measure == Measure::percent_rank || also.measure == Measure::cumulative_distribution)
        return {.kind = Kind::decimal, .scale = 6};  // a division of counts
      if (also.measure == Measure::share || also.measure == Measure::running_share) {
        if (index > question_.also.size() || question_.also[index - 1].of < 0) return {};
        const Type of = question_.entry_columns[static_cast<std::size_t>(question_.also[index - 1].of)].type;
        return of.exact() ? Type{.kind = Kind::decimal, .scale = std::min(of.scale + 6, Decimal::max_digits)} : of;
      }
      if (also.measure == Measure::tiers) return {.kind = Kind::integer};
    }
    const Ties ties = index == 0 ? question_.level->ties : question_.level->also[index - 1].ties;
    return ties == Ties::fractional ? Type{.kind = Kind::decimal, .scale = 1} : Type{.kind = Kind::integer};
  }

  NodePtr aggregate(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    auto made = std::make_unique<Aggregate>();
    const bool percentile = e.text == "percentile_cont" || e.text == "percentile_disc";
    const bool ends = e.text == "first" || e.text == "last";
    if (!e.within_group.empty() && !percentile && !ends)
      throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes no order", e, origin));
    if ((percentile && e.within_group.size() != 1) || (ends && e.within_group.empty()))
      throw Error(problem_at(
          Code::wrong_arguments, quoted(e.text) + (ends ? " needs an order: first by what?" : " orders by one key"), e,
          origin, {},
          ends ? e.text + "(unit_price order by ordered_on)" : e.text + "(0.9) within group (order by amount)"));
    if (e.nulls != NullTreatment::unwritten || e.from_last)
      throw Error(
          problem_at(Code::wrong_arguments, "`ignore nulls` and `from last` go with window functions only", e, origin));
    if (e.args.size() != 1)
      throw Error(problem_at(Code::wrong_arguments, quoted(e.text) + " takes one argument", e, origin, {},
                             e.text == "count" ? "count(*)" : e.text + "(amount)"));
    RowScope scope(*this, true, "the inside of " + e.text + "(...)");
    const bool star = e.args[0]->op == Op::star;
    if (star && e.text != "count")
      throw Error(problem_at(Code::wrong_arguments, "`*` stands only in count(*)", *e.args[0], origin));
    if (e.distinct && e.text != "count")
      throw Error(problem_at(Code::not_in_this_version, "`distinct` goes with count only in this version", e, origin));
    const Expression& argued = percentile ? *e.within_group.front().expression : *e.args[0];
    if (!star) made->argument = bound(argued, scope, origin);
    if (percentile) {
      made->fraction = fraction_of(*e.args[0], scope, origin);
      made->descending = e.within_group.front().descending;
    }
    if (ends)
      for (const SortItem& item : e.within_group) {
        std::vector<Problem> found;
        made->order.push_back(sort_key(item, origin->text, scope, origin, found));
        for (Problem& p : found) add(std::move(p));
      }
    if (e.filter) {
      made->filter = bound(*e.filter, scope, origin);
      if (made->filter->type.kind != Kind::boolean && made->filter->type.kind != Kind::unknown)
        throw Error(problem_at(Code::wrong_type, "the filter is not a condition", *e.filter, origin));
      question_.slots = finish(*made->filter, question_.slots);
    }
    const Type type = made->argument ? made->argument->type : Type{.kind = Kind::integer};
    const bool known = type.kind != Kind::unknown;
    const auto need_number = [&] {
      if (known && !type.numeric())
        throw Error(problem_at(
            Code::wrong_type,
            quoted(e.text) + " takes numbers; " + quoted(made->argument->source()) + " is " + kind_name(type.kind),
            argued, origin));
    };
    made->type = type;
    if (e.text == "count") {
      made->kind = star ? AggregateKind::count_rows : e.distinct ? AggregateKind::count_distinct : AggregateKind::count;
      made->type = {.kind = Kind::integer};
    } else if (e.text == "sum") {
      need_number();
      made->kind = AggregateKind::sum;
    } else if (e.text == "avg") {
      need_number();
      made->kind = AggregateKind::average;
      if (type.exact()) made->type = {.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)};
    } else if (e.text == "median" || e.text == "percentile_cont") {
      need_number();
      made->kind = AggregateKind::percentile_cont;
      if (!percentile) made->fraction = Decimal(5, 1);
      if (type.exact()) made->type = {.kind = Kind::decimal, .scale = std::min(type.scale + 6, Decimal::max_digits)};
    } else if (percentile) {
      made->kind = AggregateKind::percentile_disc;
    } else if (ends) {
      made->kind = e.text == "first" ? AggregateKind::first : AggregateKind::last;
    } else {
      made->kind = e.text == "min" ? AggregateKind::least : AggregateKind::greatest;
    }
    if (made->argument) question_.slots = finish(*made->argument, question_.slots);
    made->text = origin->text.substr(e.begin, e.end - e.begin);
    EntryColumn column;
    column.from = EntryColumn::From::aggregate;
    column.name = made->text;
    column.type = made->type;
    for (std::size_t i = 0; i < question_.entry_columns.size(); ++i)  // written twice, worked out once
      if (question_.entry_columns[i].from == EntryColumn::From::aggregate &&
          question_.entry_columns[i].name == made->text)
        return entry_node(i, e, origin);
    column.index = question_.aggregates.size();
    question_.aggregates.push_back(std::move(made));
    return entry_node(add_entry_column(std::move(column)), e, origin);
  }

  // Of a percentile: a number between 0 and 1, the same for all rows.
  Decimal fraction_of(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
    const NodePtr node = bound(e, scope, origin);
    const auto* const number = node->op == Op::literal ? std::get_if<Decimal>(&node->value) : nullptr;
    if (number != nullptr && number->coefficient() >= 0 && *number <= Decimal(1, 0) && number->scale() <= 15)
      return *number;
    throw Error(problem_at(Code::bad_value, "the fraction is a number between 0 and 1, with 15 decimals at most", e,
                           origin, {}, "0.9, or a choice such as :part"));
  }

  void bind_total(Parsed& total) {
    total.state = State::open;
    EntryColumn column;
    column.from = EntryColumn::From::total;
    column.name = total.formula->name;
    total.column = add_entry_column(std::move(column));
    if (total.expression) {
      std::vector<Problem> found;
      EntryScope scope(*this, true, false, "totals", false);
      NodePtr node = engine::bind(*total.expression, scope, total.origin, found);
      for (Problem& p : found) add(std::move(p));
      question_.slots = finish(*node, question_.slots);
      question_.entry_columns[total.column].type = node->type;
      question_.entry_columns[total.column].node = std::move(node);
      question_.totals.push_back(total.column);
    }
    total.state = State::done;
  }

  void bind_keys(const std::vector<std::string>& names, const std::string& key, std::vector<std::size_t>& out) {
    for (const std::string& name : names) {
      const auto origin = std::make_shared<Origin>(Origin{key, name});
      try {
        Expression e = name_expression(name);
        if (const auto point = name.find('.'); point != std::string::npos && !find_column(0, name, true)) {
          e.qualifier = name.substr(0, point);
          e.text = name.substr(point + 1);
        }
        if (find_named(totals_, e) != nullptr)
          throw Error(problem_at(
              Code::wrong_stage,
              quoted(name) + " is a total: it is known after the rows are grouped, too late for " + key, e, origin));
        fail_if_windowed(e, origin, key);
        NodePtr row = row_name(e, origin);
        EntryColumn column;
        column.from = question_.level->each.empty() ? EntryColumn::From::row : EntryColumn::From::key;
        column.name = canonical_name(*row, e);
        column.type = row->type;
        column.node = std::move(row);
        bool twice = false;
        for (std::size_t i = 0; i < question_.entry_columns.size(); ++i)
          if (question_.entry_columns[i].name == column.name) {
            twice = true;
            if (std::find(out.begin(), out.end(), i) == out.end()) out.push_back(i);
          }
        if (!twice) out.push_back(add_entry_column(std::move(column)));
      } catch (const Error& error) {
        add(error, key);
      }
    }
  }

  void bind_sort(const std::string& text, const std::string& key, Scope& scope, bool directions,
                 std::vector<SortKey>& out) {
    const auto origin = std::make_shared<Origin>(Origin{key, text});
    std::vector<SortItem> items;
    try {
      items = parse_sort_list(text);
    } catch (const Error& error) {
      return add(error, key);
    }
    for (SortItem& item : items) {
      if (directions && !item.direction_written) {
        const std::string written = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
        add(problem_at(Code::missing_direction, "highest or lowest first? " + quoted(written) + " has no direction",
                       *item.expression, origin, {},
                       written + " desc puts the highest first, " + written + " asc the lowest"));
      }
      std::vector<Problem> found;
      out.push_back(sort_key(item, text, scope, origin, found));
      for (Problem& p : found) add(std::move(p));
    }
  }

  // One key of the sort list `text`.
  SortKey sort_key(const SortItem& item, const std::string& text, Scope& scope,
                   const std::shared_ptr<const Origin>& origin, std::vector<Problem>& found) {
    SortKey sort;
    sort.node = engine::bind(*item.expression, scope, origin, found);
    question_.slots = finish(*sort.node, question_.slots);
    sort.descending = item.descending;
    sort.nulls = item.nulls_written && item.nulls_first ? Nulls::first : Nulls::last;
    sort.text = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
    return sort;
  }

  void bind_level() {
    const bool totalled_outside = nested() && level_ > 0;
    if (question_.level == nullptr || (question_.level->each.empty() && !totalled_outside)) {
      for (const Parsed& total : totals_)
        problem(Code::missing_each,
                "the total " + quoted(total.formula->name) + " needs a level: which rows does it take together?",
                total.origin->key, "each = [\"shop_no\"] under [rank]", {}, total.formula->formula);
    }
    if (question_.level == nullptr) return;
    const Level& level = *question_.level;
    if (nested()) check_level(level);
    // `each` first: whether anything is an entry decides what a name means.
    bind_keys(within_names(), key_of("rank.within"), question_.within);
    bind_keys(level.each, key_of("rank.each"), question_.each);
    if (!level.each.empty() && question_.each.empty())
      question_.each.push_back(~std::size_t{0});  // a problem has been said
    if (!level.each.empty())
      for (Parsed& total : totals_)
        if (total.state == State::fresh) bind_total(total);
    question_.having = bind_condition(level.having, key_of("rank.having"), false, false);
    for (Parsed& window : windows_)
      if (window.state == State::fresh) bind_windowed(window);
    question_.eligible = bind_condition(level.eligible, key_of("rank.eligible"), false);
    question_.keep_where = bind_condition(level.where, key_of("keep.where"), true);
    question_.mark = bind_condition(beside_.mark, {}, true);
    if (level.by.empty()) {
      if (!level.eligible.empty() || level.unranked || level.best || level.worst || !level.tiebreak.empty() ||
          !level.also.empty() || !level.within.empty() || nested())
        problem(Code::missing_key, "nothing says what to rank by", key_of("rank.by"),
                "by = \"spend desc\" under [rank]");
      return;
    }
    EntryScope scope(*this, false, false, "rank.by");
    bind_sort(level.by, key_of("rank.by"), scope, true, question_.by);
    if (!level.tiebreak.empty()) {
      EntryScope tie_scope(*this, false, false, "rank.tiebreak");
      bind_sort(level.tiebreak, key_of("rank.tiebreak"), tie_scope, false, question_.tiebreak);
    }
    if (level.best && *level.best == 0)
      problem(Code::bad_value, "best = 0 keeps nothing", key_of("keep.best"), "leave it out to keep all");
    if (level.worst && *level.worst == 0)
      problem(Code::bad_value, "worst = 0 keeps nothing", key_of("keep.worst"), "leave it out to keep all");
    question_.keeps_states = level.others && !question_.row_level();
    if (level.others && question_.row_level())
      problem(Code::missing_each, "others are entries taken together, and here every row is one", key_of("keep.others"),
              "each = [\"shop_no\"] under [rank]");
    bind_also(level);
    question_.place_names = place_names();
  }

  // A condition on entries; null when there is none.
  NodePtr bind_condition(const std::string& text, const std::string& key, bool places, bool windows = true) {
    if (text.empty()) return nullptr;
    const auto origin = std::make_shared<Origin>(Origin{key, text});
    try {
      const ExpressionPtr whole = parse_expression(text);
      EntryScope scope(*this, !question_.row_level(), places, key, windows);
      NodePtr node = bound(*whole, scope, origin);
      if (node->type.kind != Kind::boolean && node->type.kind != Kind::unknown)
        add(problem_at(Code::wrong_type,
                       (key.empty() ? "a condition is asked for; " : key + " needs a condition; ") +
                           quoted(node->source()) + " is " + kind_name(node->type.kind),
                       *whole, origin));
      question_.slots = finish(*node, question_.slots);
      return node;
    } catch (const Error& error) {
      add(error, key);
    }
    return nullptr;
  }

  void bind_also(const Level& level) {
    for (const Also& also : level.also) {
      AlsoUse use;
      const std::string key = key_of("rank.also." + also.name);
      if (!also.by.empty()) {
        EntryScope scope(*this, false, false, key);
        bind_sort(also.by, key, scope, true, use.by);
      }
      if (also.measure == Measure::tiers && (also.count == 0 || also.count > 0xffffffff))
        problem(Code::bad_value, "tiers are counted from 1 on", key, "tiers = 4");
      if (also.measure == Measure::share || also.measure == Measure::running_share) {
        const auto origin = std::make_shared<Origin>(Origin{key, also.of});
        try {
          const Expression e = name_expression(also.of);
          const NodePtr node = entry_name(e, origin, false, key);
          use.of = node->column;
          if (node->type.kind != Kind::unknown && !node->type.numeric())
            problem(Code::wrong_type,
                    "a share is one of numbers; " + quoted(also.of) + " is " + kind_name(node->type.kind), key, {}, {},
                    also.of);
        } catch (const Error& error) {
          add(error, key);
        }
      }
      question_.also.push_back(std::move(use));
    }
  }

  // Which column each custom order is for. Values that cannot occur are said here; those that do not, in the answer.
  void bind_orderings() {
    if (!ladder_.data.locale.empty() && !is_locale(ladder_.data.locale))
      problem(Code::bad_value, "no language has the code " + quoted(ladder_.data.locale), "data.locale",
              "a locale is a language's code, with a country's behind it where it matters: sv, en_GB", {},
              ladder_.data.locale);
    for (const Ordering& ordering : ladder_.orderings) {
      const std::string key = "orderings." + ordering.column;
      const auto origin = std::make_shared<Origin>(Origin{key, ordering.column});
      std::string column;
      try {
        Expression e = name_expression(ordering.column);
        if (find_named(totals_, e) == nullptr && find_named(windows_, e) == nullptr) {
          const NodePtr row = row_name(e, origin);
          column = canonical_name(*row, e);
          check_listed(ordering, row->type, key);
        }
      } catch (const Error& error) {
        add(error, key);
      }
      if (!ordering.sequence.empty() && (!ordering.first.empty() || !ordering.last.empty()))
        problem(Code::bad_value, "a sequence is the whole order: `first` and `last` have nothing to say beside it", key,
                "put them into the sequence");
      question_.orderings.push_back(column);
    }
  }

  void check_listed(const Ordering& ordering, const Type& type, const std::string& key) {
    std::vector<Value> all;
    for (const auto* list : {&ordering.first, &ordering.last, &ordering.sequence})
      for (const Value& value : *list) {
        if (type.kind != Kind::unknown && !holds(type, value))
          problem(Code::wrong_type,
                  quoted(to_text(value)) + " is none of the values of " + quoted(ordering.column) + ", which is " +
                      kind_name(type.kind),
                  key);
        if (std::find(all.begin(), all.end(), value) != all.end())
          problem(Code::bad_value, quoted(to_text(value)) + " is listed twice", key);
        all.push_back(value);
      }
  }

  void bind_list() {
    const Listing& list = ladder_.list;
    if (level_ == 0 && nested() && (list.first || list.last || list.sample))
      problem(Code::bad_value, "a part of the rows would tear levels apart", "list",
              "best = 3 in a [[level]] keeps some of its entries");
    if (level_ == 0 && list.sample && (list.first || list.last))
      problem(Code::bad_value, "rows are either sampled, or the first or last ones", "list.sample",
              "leave out first and last");
    if (!list.order_by.empty()) return bind_alternative(), bind_columns();
    question_.list_as_input = list.order == "input";
    if (nested() && !list.order.empty()) {
      if (level_ == 0)
        problem(Code::bad_value, "levels are listed by their places, each inside the one before", "list.order",
                "an order under [alternatives], and --order-by, lists them otherwise");
      question_.list_as_input = false;
      return bind_columns();
    }
    if (!list.order.empty() && !question_.list_as_input) {
      EntryScope scope(*this, false, true, "list.order");
      bind_sort(list.order, "list.order", scope, false, question_.list_order);
      question_.list_text = list.order;
    }
    bind_columns();
  }

  // list.order_by: the groups as they are, and in them the entries by a sort list of which a level takes what it knows.
  void bind_alternative() {
    const std::string& name = ladder_.list.order_by;
    const NamedFormula* chosen = nullptr;
    std::vector<std::string> names;
    for (const NamedFormula& one : ladder_.alternatives) {
      names.push_back(one.name);
      if (equal_folded(one.name, name)) chosen = &one;
    }
    std::string text;
    if (chosen != nullptr) {
      text = chosen->formula;
    } else if (name == "name") {
      text = own_label();
    } else {
      names.emplace_back("name");
      problem(Code::unknown_word, "no alternative is called " + quoted(name), "list.order_by",
              "a sort list of that name under [alternatives]", nearest_word(name, names), name);
      return;
    }
    const std::string key = chosen != nullptr ? "alternatives." + chosen->name : "list.order_by";
    const auto origin = std::make_shared<Origin>(Origin{key, text});
    EntryScope scope(*this, false, true, key);
    for (const std::size_t group : question_.within) {
      SortKey sort;
      sort.node = entry_node(group, name_expression(question_.entry_columns[group].name), origin);
      sort.text = question_.entry_columns[group].name;
      question_.list_order.push_back(std::move(sort));
    }
    const std::size_t groups = question_.list_order.size();
    try {
      for (SortItem& item : parse_sort_list(text)) {
        if (nested() && item.expression->op == Op::name && !find_item(*item.expression, origin)) continue;
        std::vector<Problem> found;
        SortKey sort = sort_key(item, text, scope, origin, found);
        if (!found.empty() && nested()) {
          alternative_problems_ = std::move(found);
          continue;
        }
        for (Problem& p : found) add(std::move(p));
        question_.list_text += (question_.list_text.empty() ? "" : ", ") + sort.text + (item.descending ? " desc" : "");
        question_.list_order.push_back(std::move(sort));
        alternative_used_ = true;
      }
    } catch (const Error& error) {
      return add(error, key);
    }
    if (question_.list_order.size() == groups) question_.list_order.clear();  // nothing that this level knows
    if (!last_level() || alternative_used_) return;
    for (Problem& p : alternative_problems_) add(std::move(p));
    if (alternative_problems_.empty())
      problem(Code::unknown_column, "no level has what " + quoted(text) + " names", key, {}, {}, text);
  }

  // Does this level have the column that a sort list names? Listed columns do not count: they may come later.
  bool find_item(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    try {
      return !of_another_level(e, origin);
    } catch (const Error&) {
      return true;  // nobody has it: binding says so
    }
  }

  // What a reader calls an entry of this level: the first listed column of words that it has of its own, or its keys.
  std::string own_label() {
    const auto is_group = [&](const std::string& name) {
      const std::vector<std::string> groups = within_names();
      return std::any_of(groups.begin(), groups.end(),
                         [&](const std::string& group) { return equal_folded(group, name); });
    };
    for (const std::string& name : ladder_.list.columns) {
      const Expression e = name_expression(name);
      if (is_group(name) || known_somewhere_.contains(name) || find_named(totals_, e) != nullptr ||
          find_named(windows_, e) != nullptr)
        continue;
      const std::vector<std::string> places = place_names();
      if (std::any_of(places.begin(), places.end(), [&](const std::string& p) { return equal_folded(p, name); }))
        continue;
      try {
        const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
        if (nested() && of_another_level(e, origin)) continue;
        const NodePtr row = row_name(e, origin);
        if (row->type.kind == Kind::text || row->type.kind == Kind::unknown) return sort_name(name);
      } catch (const Error&) {
        continue;
      }
    }
    std::string keys;
    if (question_.level != nullptr)
      for (const std::string& name : question_.level->each) keys += (keys.empty() ? "" : ", ") + sort_name(name);
    return keys;
  }
  static std::string sort_name(const std::string& name) {
    const bool plain = !name.empty() && std::isdigit(static_cast<unsigned char>(name[0])) == 0 &&
                       std::all_of(name.begin(), name.end(), [](char c) {
                         return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.';
                       });
    return plain ? name : "\"" + name + "\"";
  }

  void bind_columns() {
    const Listing& list = ladder_.list;
    std::vector<std::string> names = list.columns;
    const bool chosen = !names.empty();
    if (!chosen) names = default_columns();
    for (const std::string& name : names) {
      const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
      Expression e = name_expression(name);
      if (const auto point = name.find('.'); point != std::string::npos && point > 0) {
        for (const TableUse& use : tables_)
          if (equal_folded(use.alias, name.substr(0, point))) {
            e.qualifier = name.substr(0, point);
            e.text = name.substr(point + 1);
          }
      }
      try {
        if (nested() && of_another_level(e, origin)) continue;
        const NodePtr node = entry_name(e, origin, true, "list.columns");
        known_somewhere_.insert(name);
        ListColumn column;
        column.name = name;
        column.column = node->column;
        column.heading = name;
        question_.list_columns.push_back(std::move(column));
      } catch (const Error& error) {
        // What one level does not know another may.
        if (chosen && last_level() && !known_somewhere_.contains(name)) add(error, "list.columns");
      }
    }
    for (const auto& [name, heading] : list.headings) {
      bool found = known_somewhere_.contains(name) || !last_level();
      for (ListColumn& column : question_.list_columns)
        if (equal_folded(column.name, name)) {
          column.heading = heading;
          found = true;
        }
      if (!found)
        problem(Code::unknown_column, "list.headings names a column that is not listed: " + quoted(name),
                "list.headings." + name, {}, nearest_word(name, names));
    }
    fix_place_columns();
  }

  // Is it a column that has several values in an entry of this level, or another level's place?
  bool of_another_level(const Expression& e, const std::shared_ptr<const Origin>& origin) {
    for (std::size_t l = 0; l < ladder_.levels.size(); ++l) {
      const Level& level = ladder_.levels[l];
      const auto named = [&](const std::string& place) { return e.qualifier.empty() && equal_folded(place, e.text); };
      const std::vector<std::string> own = place_names();
      if (std::any_of(own.begin(), own.end(), named)) return false;
      if (named(level.rank_as.empty() ? "rank" : level.rank_as) ||
          std::any_of(level.also.begin(), level.also.end(), [&](const Also& also) { return named(also.name); })) {
        known_somewhere_.insert(e.text);
        return true;
      }
    }
    if (find_named(totals_, e) != nullptr) return question_.row_level();  // rows are not totalled
    if (find_named(windows_, e) != nullptr) return false;
    for (const Level& level : ladder_.levels)
      for (const NamedFormula& window : level.windows)
        if (e.qualifier.empty() && equal_folded(window.name, e.text)) {
          known_somewhere_.insert(e.text);
          return true;
        }
    if (question_.row_level()) return false;
    const NodePtr row = row_name(e, origin);
    const std::string name = e.qualifier.empty() ? canonical_name(*row, e) : e.qualifier + "." + e.text;
    const bool key = std::any_of(question_.entry_columns.begin(), question_.entry_columns.end(),
                                 [&](const EntryColumn& column) { return column.name == name; });
    return !key && !is_determined(*row);
  }

  // Now that all the entries' columns are known, place columns get the numbers behind them.
  void fix_place_columns() {
    const auto entries = static_cast<int>(question_.entry_columns.size());
    const auto fix = [&](int& column) {
      if (column <= -2) column = entries + (-2 - column);
    };
    const std::function<void(Node&)> walk = [&](Node& node) {
      if (node.op == Op::name) fix(node.column);
      for (NodePtr& arg : node.args) walk(*arg);
    };
    for (SortKey& key : question_.list_order) walk(*key.node);
    for (NodePtr* node : {&question_.keep_where, &question_.mark})
      if (*node) walk(**node);
    for (WindowUse& use : question_.entry_windows) each_node(*use.call, [&](NodePtr& node) { walk(*node); });
    for (ListColumn& column : question_.list_columns) fix(column.column);
  }

  std::vector<std::string> default_columns() {
    std::vector<std::string> names;
    const auto add_name = [&](const std::string& name) {
      if (!name.empty() && std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    };
    if (question_.level != nullptr)
      for (const std::string& name : within_names()) add_name(name);
    for (const std::string& name : place_names()) add_name(name);
    if (!question_.row_level()) {
      for (const std::string& name : question_.level->each) add_name(name);
      // Descriptive columns that order the entries are worth seeing; totals follow in the order they were written.
      for (const EntryColumn& column : question_.entry_columns)
        if (column.from == EntryColumn::From::carried) add_name(column.name);
      for (const Parsed& total : totals_) add_name(total.formula->name);
      for (const Parsed& window : windows_) add_name(window.formula->name);
      return names;
    }
    if (!tables_.empty())
      for (const std::string& heading : tables_[0].source->headings()) add_name(heading);
    for (const Parsed& figure : figures_) add_name(figure.formula->name);
    for (const Parsed& window : windows_) add_name(window.formula->name);
    return names;
  }

  const Ladder& ladder_;
  const Catalog& catalog_;
  std::vector<Problem>& problems_;
  Beside beside_;
  std::vector<TableUse> tables_;
  std::vector<Parsed> figures_, totals_, windows_;
  std::vector<NamedWindow> named_windows_;
  std::string without_windows_;  // what is being bound, where it comes before any window
  bool inside_window_ = false;
  const Zone* zone_ = nullptr;  // data.zone
  std::vector<PeriodSource> periods_;
  Question question_;
  bool failed_ = false, circle_said_ = false;
  std::size_t level_ = 0;                      // of the ladder's
  std::set<std::string> known_somewhere_;      // listed columns that some level has
  bool alternative_used_ = false;              // by some level
  std::vector<Problem> alternative_problems_;  // where it could not be

 public:
  bool was_read_ = false;
};

}  // namespace

std::vector<Question> resolve_levels(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                                     std::vector<Problem>& problems, const Beside& beside) {
  Resolver resolver(ladder, catalog, problems, beside);
  if (!resolver.open_tables()) return {};
  std::vector<Question> questions = resolver.bind_levels();
  if (!read) return questions;
  // With a name wrong the types of the rest are still worth checking, so that all problems come at once; but what is
  // only grammar does not make it worth reading a large table.
  resolver.read_tables(run);
  if (resolver.failed()) return questions;
  resolver.was_read_ = true;
  return resolver.bind_levels();
}

Question resolve(const Ladder& ladder, const Catalog& catalog, bool read, const Run& run,
                 std::vector<Problem>& problems, const Beside& beside) {
  assert(ladder.levels.size() <= 1);
  std::vector<Question> questions = resolve_levels(ladder, catalog, read, run, problems, beside);
  return questions.empty() ? Question{} : std::move(questions.front());
}

}  // namespace lofty::engine
