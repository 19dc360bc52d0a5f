// The workings of one entry: the ladder asked again without its cuts, with further totals for what is inside its
// formulas and a mark on the entry that is meant; and a look at the entry's own rows. Tables are read once, with all
// columns that either needs; an entry that rank.having or rows.where leaves out costs a second pass over the rows.
// Covered by tests/derived/why_test.cpp.
#include "lofty/why.hpp"

#include <algorithm>
#include <map>
#include <memory>

#include "base/access.hpp"
#include "base/budget.hpp"
#include "base/folded.hpp"
#include "base/parallel.hpp"
#include "derived/answer.hpp"
#include "derived/entry_search.hpp"
#include "derived/entry_view.hpp"
#include "derived/former.hpp"
#include "derived/read_once.hpp"
#include "formula/functions.hpp"
#include "formula/lexer.hpp"
#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "question/resolve.hpp"
#include "relation/rows.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

// A value as a formula would write it: a moment with its offset, so that it means the same in any zone.
std::string literal(const Value& value, const Type& type) {
  if (const auto* text = std::get_if<std::string>(&value)) {
    std::string out = "'";
    for (const char c : *text) out += c == '\'' ? "''" : std::string(1, c);
    return out + "'";
  }
  if (std::holds_alternative<Date>(value)) return "date '" + to_text(value) + "'";
  if (std::holds_alternative<Timestamp>(value)) return "timestamp '" + to_text(value, type) + "'";
  return to_text(value);
}

// A column's name as a formula would write it; qualified ones keep their point.
std::string name_text(const std::string& name) {
  const bool plain = !name.empty() && std::all_of(name.begin(), name.end(), [](unsigned char c) {
    return c == '_' || c == '.' || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
  });
  return plain ? name : "\"" + name + "\"";
}

// The entry's keys as a condition on rows.
std::string key_condition(const EntryView& view, const FoundEntry& found) {
  std::string out;
  const std::vector<std::string>& columns = view.keys;
  for (std::size_t c = 0; c < columns.size(); ++c)
    out += (c > 0 ? " and " : "") + name_text(columns[c]) +
           (is_null(found.keys[c]) ? std::string(" is null")
                                   : " = " + literal(found.keys[c], found.field.standings->columns()[c].type));
  return out;
}

// The rows of an entry: those that count, how many there are in all, and what left out the others.
struct EntryLines {
  Standings lines;
  std::size_t rows = 0;
  std::vector<Workings::LeftOut> left_out;
};

// With the columns of the first table that anything mentions, and the figures.
EntryLines list_lines(const Ladder& whole, const EntryView& view, const FoundEntry& found, const ReadOnce& tables,
                      const Run& run) {
  Ladder ladder = whole;
  ladder.totals.clear();
  ladder.orderings.clear();
  ladder.levels = {Level{}};
  std::vector<Problem> problems;
  const std::vector<Question> levels = resolve_levels(whole, tables, problems);
  if (!problems.empty()) throw Error(std::move(problems));
  const Question& mentioned = levels.front();

  // The columns of the first table that the ladder mentions, and its figures.
  std::vector<std::size_t> base;
  for (const RowColumn& column : mentioned.row_columns)
    if (column.table == 0) base.push_back(column.column);
  std::sort(base.begin(), base.end());
  ladder.list = {.order = "input"};
  const auto& headings = mentioned.tables.front().source->headings();
  for (const std::size_t column : base) ladder.list.columns.push_back(headings[column]);
  for (const NamedFormula& figure : ladder.figures) ladder.list.columns.push_back(figure.name);
  if (ladder.list.columns.empty()) ladder.list.columns = headings;

  // Of this entry alone.
  FurtherConditions of_entry{.only_probed = true};
  if (view.of_rows)
    of_entry.probed_row = found.relation_row;
  else
    of_entry.probe = key_condition(view, found);
  const Answer lines = answer({.ladder = ladder, .further = of_entry}, tables, run);
  EntryLines out{engine::Access::made<Standings>(lines.data), lines.data->probed.rows, {}};
  for (const Probed::Term& term : lines.data->probed.terms)
    out.left_out.push_back({term.text, term.left_out, term.unknown});
  return out;
}

// Tells what was found of an entry.
class Telling {
 public:
  Telling(const Level& level, const EntryView& view, const FoundEntry& found, const Run& run)
      : level_(level), view_(view), found_(found), names_(view, level.within.size(), found.field, run) {}

  void tell(Workings& out) const {
    const Standings& s = *found_.field.standings;
    // Who it is.
    for (std::size_t c = 0; c < found_.keys.size(); ++c)
      (c < level_.within.size() ? out.group : out.keys)
          .push_back({s.columns()[c].name, found_.keys[c], s.columns()[c].type});
    if (!found_.row) {  // every row of it was left out
      for (const Workings::Named& key : out.keys)
        out.entry += (out.entry.empty() ? "" : ", ") + key.name + " " + shown(key.value, key.type);
      if (view_.of_rows) out.entry = names_.whole_name(*found_.row_in(found_.field, view_.of_rows));
      out.without_place = view_.of_rows ? "it does not count" : "none of its rows counts";
      return;
    }
    out.entry = names_.whole_name(*found_.row);

    // What it totals.
    for (const auto& [window, at] : view_.windows)
      out.windows.push_back(
          {window.name, window.formula, found_.dropped ? Value{} : s.value(*found_.row, at), s.columns()[at].type});
    for (const auto& [figure, at] : view_.figures)
      out.figures.push_back({figure.name, figure.formula, s.value(*found_.row, at), s.columns()[at].type});
    for (const EntryView::Total& total : view_.totals) {
      Workings::Total one{total.formula.name,
                          total.formula.formula,
                          s.value(*found_.row, total.column),
                          {},
                          s.columns()[total.column].type};
      for (const EntryView::Total::Part& part : total.parts) {
        const Value rows = s.value(*found_.row, part.rows);
        const auto* const count = std::get_if<Decimal>(&rows);
        one.parts.push_back({part.text, s.value(*found_.row, part.column),
                             count == nullptr ? 0 : static_cast<std::size_t>(count->coefficient()),
                             s.columns()[part.column].type});
      }
      out.totals.push_back(std::move(one));
    }

    // Which place that makes.
    if (view_.by.empty()) return;
    out.by = view_.by.front().text;
    out.value = s.value(*found_.row, view_.by.front().column);
    out.by_type = s.columns()[view_.by.front().column].type;
    if (found_.dropped)
      out.without_place = "rank.having is not true for it: " + level_.having;
    else
      tell_place(out);
  }

 private:
  void tell_place(Workings& out) const {
    const Standings& s = *found_.field.standings;
    out.place = s.value(*found_.row, view_.place);
    const auto same_group = [&](std::size_t row) {
      for (std::size_t c = 0; c < level_.within.size(); ++c)
        if (s.value(row, c) != found_.keys[c]) return false;
      return true;
    };
    const auto ranked = [&](std::size_t row) { return !is_null(s.value(row, view_.place)); };
    const auto equal = [&](std::size_t row) {
      return std::all_of(view_.by.begin(), view_.by.end(), [&](const EntryView::Key& key) {
        return s.value(row, key.column) == s.value(*found_.row, key.column);
      });
    };

    // The ranked entries of its group.
    std::vector<std::size_t> group;  // ranked entries, in the order of places
    std::size_t here = 0;
    for (std::size_t r = 0; r < s.rows(); ++r) {
      if (!same_group(r) || !ranked(r)) continue;
      if (r == *found_.row) here = group.size();
      group.push_back(r);
    }

    // Without a place: why?
    out.ranked = group.size();
    if (is_null(out.place)) {
      const Value eligible = view_.eligible ? s.value(*found_.row, *view_.eligible) : Value(Decimal(1, 0));
      out.without_place = is_null(eligible) ? "it is unknown whether it is eligible: " + level_.eligible
                          : eligible != Value(Decimal(1, 0)) ? "it is not eligible: " + level_.eligible
                                                             : quoted(out.by) + " is null";
      return;
    }

    // Its peers, and the neighbours on either side.
    std::size_t first = here, last = here;
    while (first > 0 && equal(group[first - 1])) --first;
    while (last + 1 < group.size() && equal(group[last + 1])) ++last;
    for (std::size_t i = first; i <= last; ++i)
      if (i != here) out.equal.push_back(names_.name(group[i]));
    if (first > 0) out.ahead = neighbour(group[first - 1]);
    if (last + 1 < group.size()) out.behind = neighbour(group[last + 1]);
  }

  Workings::Neighbour neighbour(std::size_t row) const {
    const Standings& s = *found_.field.standings;
    Workings::Neighbour out{names_.name(row), s.value(row, view_.place), s.value(row, view_.by.front().column), {}, {}};

    // How far apart they are.
    const Value own = s.value(*found_.row, view_.by.front().column);
    if (const auto* a = std::get_if<Decimal>(&own), *b = std::get_if<Decimal>(&out.value);
        a != nullptr && b != nullptr) {
      const int scale = std::max(a->scale(), b->scale());
      const auto x = a->rescaled(scale), y = b->rescaled(scale);
      if (x && y) {
        const int128 difference = x->coefficient() - y->coefficient();
        out.margin = Decimal(difference < 0 ? -difference : difference, scale);
      }
    } else if (const auto* c = std::get_if<double>(&own), *d = std::get_if<double>(&out.value);
               c != nullptr && d != nullptr) {
      out.margin = std::abs(*c - *d);
    } else if (const auto* e = std::get_if<Date>(&own), *f = std::get_if<Date>(&out.value);
               e != nullptr && f != nullptr) {
      out.margin = Decimal(std::abs(e->days - f->days), 0);
    }

    // Which key decides.
    for (const EntryView::Key& key : view_.by)
      if (s.value(row, key.column) != s.value(*found_.row, key.column)) {
        out.decided_by = key.text;
        break;
      }
    return out;
  }

  const Level& level_;
  const EntryView& view_;
  const FoundEntry& found_;
  const EntryNames names_;
};

// The workings of the entry of one level that a condition means.
class EntryOfLevel {
 public:
  EntryOfLevel(const Ladder& ladder, const ReadOnce& tables, const std::string& condition, const Run& run)
      : ladder_(ladder), view_(view_entries(ladder)), tables_(tables), condition_(condition), run_(run) {}

  // What is wrong with the condition, or with the ladder, by headings alone; and what has to be read is made known.
  std::vector<Problem> prepare() const {
    std::vector<Problem> problems;
    const bool by_number = row_named(condition_).has_value();
    for (const Ladder* one : {&view_.ladder, &ladder_})
      ReadOnce::want(resolve_levels(*one, tables_, problems, {.mark = one == &ladder_ || by_number ? "" : condition_}));
    return problems;
  }

  Workings work() {
    view_.label = find_label(ladder_, tables_, run_);
    if (!view_.label.empty()) {
      view_.label_column = view_.ladder.list.columns.size();
      view_.ladder.list.columns.push_back(view_.label);
    }
    const FoundEntry found = find_entry(ladder_, view_, tables_, condition_, run_);
    EntryLines own = list_lines(ladder_, view_, found, tables_, run_);
    Workings out(std::move(own.lines));
    out.rows = own.rows;
    out.left_out = std::move(own.left_out);
    Telling(ladder_.levels.front(), view_, found, run_).tell(out);
    return out;
  }

 private:
  const Ladder ladder_;
  EntryView view_;
  const ReadOnce& tables_;
  const std::string& condition_;
  const Run& run_;
};

}  // namespace

Workings why(const Ladder& asked, const Catalog& catalog, const std::string& condition, const Run& of_all) {
  const MemoryLimit limit(of_all);
  const Phases whole(of_all, {1});  // several answers: what each tells never goes back
  const Run& run = whole[0];
  // Columns that come from other answers, and how many rows the listing takes, are no part of an entry's workings.
  Ladder ladder = asked;
  ladder.crossed = {};
  ladder.alternatives.clear();
  ladder.list.alternative.clear();
  ladder.list.first = ladder.list.last = ladder.list.sample = std::nullopt;
  ladder.list.hide_blank_groups = false;
  without_moves(ladder);
  if (ladder.levels.empty()) ladder.levels.emplace_back();  // a listing, whose rows have workings too

  // A condition is judged with the places; what is wrong with it is said of it, not of a key of the ladder.
  std::vector<Problem> problems;
  const ReadOnce tables(catalog);
  const std::vector<Question> questions = resolve_levels(ladder, tables, problems);
  if (!problems.empty()) throw Error(std::move(problems));

  // Of nested levels the first in which the condition means something, and holds for one entry.
  std::vector<std::unique_ptr<EntryOfLevel>> levels;
  std::optional<Error> failure;
  std::vector<std::string> outer;
  for (std::size_t l = 0; l < ladder.levels.size(); ++l) {
    const Level& level = ladder.levels[l];
    Ladder single = ladder;
    single.levels = {level};
    single.levels.front().within.insert(single.levels.front().within.begin(), outer.begin(), outer.end());
    if (level.each.empty() && ladder.levels.size() > 1) single.totals.clear();  // those of the levels outside
    if (ladder.levels.size() > 1) {
      single.list = {};
      for (const ListColumn& column : questions[l].list.columns) single.list.columns.push_back(column.name);
    }
    auto one = std::make_unique<EntryOfLevel>(single, tables, condition, run);
    std::vector<Problem> found = one->prepare();
    if (found.empty())
      levels.push_back(std::move(one));
    else if (!failure)
      failure.emplace(std::move(found));
    for (const auto* keys : {&level.within, &level.each}) outer.insert(outer.end(), keys->begin(), keys->end());
  }

  // The first level that knows it.
  for (const auto& level : levels) {
    try {
      Workings workings = level->work();
      whole.finish();
      return workings;
    } catch (const Error& error) {
      if (!failure || failure->problems().front().code != Code::unknown_entry) failure = error;
    }
  }
  throw *failure;
}

}  // namespace lofty
