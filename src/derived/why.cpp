// The workings of one entry: the ladder asked again without its cuts, with further totals for what stands inside its
// formulas and a mark on the entry that is meant; and a look at the entry's own rows. Tables are read once, with all
// columns that either needs; an entry that rank.having or rows.where leaves out costs a second pass over the rows.
// Covered by tests/ladder/why_test.cpp.
#include "lofty/why.hpp"

#include <algorithm>
#include <map>
#include <memory>

#include "derived/answer.hpp"
#include "derived/former.hpp"
#include "derived/read_once.hpp"
#include "formula/functions.hpp"
#include "formula/lexer.hpp"
#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "question/resolve.hpp"
#include "relation/rows.hpp"
#include "table/nearest.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

[[noreturn]] void no_entry(std::string sentence, const std::string& condition, std::string nearest,
                           std::string advice = {}) {
  Problem p{Code::unknown_entry, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.place.text = condition;
  p.place.length = condition.size();
  throw Error(std::move(p));
}

std::string shown(const Value& value, const Type& type) { return is_null(value) ? "(none)" : to_text(value, type); }

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

// The totals inside a formula, as they are written, and what of the rows each one takes.
struct Inside {
  std::string text, counts;
};
void find_totals(const Expression& e, const std::string& formula, std::vector<Inside>& out) {
  if (e.op == Op::call && is_aggregate(e.text)) {
    const auto text_of = [&](const Expression& part) { return formula.substr(part.begin, part.end - part.begin); };
    std::string counts;
    if (!e.args.empty() && e.args[0]->op != Op::star) counts = "(" + text_of(*e.args[0]) + ") is not null";
    if (e.filter) counts += (counts.empty() ? "(" : " and (") + text_of(*e.filter) + ")";
    out.push_back({text_of(e), "count(*)" + (counts.empty() ? "" : " filter (where " + counts + ")")});
    return;
  }
  for (const auto& arg : e.args)
    if (arg) find_totals(*arg, formula, out);
}

class Answering {
 public:
  Answering(const Ladder& ladder, const ReadOnce& tables, const std::string& condition, const Run& run)
      : ladder_(ladder), tables_(tables), condition_(condition), run_(run) {
    describe();
  }

  // What is wrong with the condition, or with the ladder, by headings alone; and what has to be read is made known.
  std::vector<Problem> prepare() const {
    std::vector<Problem> problems;
    for (const Ladder* one : {&field_ladder_, &ladder_})
      ReadOnce::want(resolve_levels(*one, tables_, false, run_, problems, {.mark = one == &ladder_ ? "" : condition_}));
    return problems;
  }

  Workings work() {
    find();
    Workings out(list_lines());
    tell(out);
    return out;
  }

 private:
  const Level& level() const { return ladder_.levels.front(); }
  bool of_rows() const { return level().each.empty(); }

  // Asks, with a mark on the entries that are meant.
  struct Field {
    std::vector<Question> questions;
    std::optional<Standings> standings;
  };
  Field ask(const Ladder& ladder) const {
    Answer answered = answer({.ladder = ladder, .further = {.mark = condition_}}, tables_, run_);
    return {std::move(answered.questions), Standings(answered.data)};
  }
  static std::vector<std::size_t> marked(const Field& field) {
    std::vector<std::size_t> rows;
    const StandingsData& data = field.standings->data();
    for (std::size_t r = 0; r < data.rows.size(); ++r)
      if (data.marked[data.rows[r]] != 0) rows.push_back(r);
    return rows;
  }
  Ladder without_cuts() const {
    Ladder ladder = ladder_;
    Level& l = ladder.levels.front();
    l.best = l.worst = {};
    l.where.clear();
    l.unranked = false;
    return ladder;
  }
  std::vector<std::string> key_columns() const {
    std::vector<std::string> columns = level().within;
    columns.insert(columns.end(), level().each.begin(), level().each.end());
    return columns;
  }

  // Which entry is meant, and which row has it?
  void find() {
    label_ = find_label();
    if (!label_.empty()) {
      label_column_ = field_ladder_.list.columns.size();
      field_ladder_.list.columns.push_back(label_);
    }
    field_ = ask(field_ladder_);
    std::vector<std::size_t> meant = marked(field_);
    if (meant.size() > 1) several(meant);
    if (meant.size() == 1) {
      row_ = meant.front();
      remember(field_, *row_);
      return;
    }

    // It may have been dropped, or left out.
    Ladder wider = field_ladder_;
    if (!level().having.empty()) {
      wider.levels.front().having.clear();
      if (find_in(wider)) {  // its totals are worth showing, dropped or not
        dropped_ = true;
        return;
      }
    }
    if (!ladder_.where.empty() && speaks_of_rows()) {
      wider.where.clear();
      if (find_in(wider)) {  // every row of it was left out
        row_.reset();
        return;
      }
    }
    no_entry("there is no entry with " + condition_, condition_, nearest());
  }

  // Is one entry meant among those of a wider field, which the ladder's own does not hold?
  bool find_in(const Ladder& wider) {
    try {
      Field field = ask(wider);
      const std::vector<std::size_t> meant = marked(field);
      if (meant.size() != 1) return false;
      remember(field, meant.front());
      if (find_row(field_)) return false;  // with other totals it would be the one
      field_ = std::move(field);
      row_ = meant.front();
      return true;
    } catch (const Error&) {
      return false;  // what the ladder leaves out may be what nothing can be computed from
    }
  }

  // Can it be judged by a row alone, without totals and places, which other rows would change?
  bool speaks_of_rows() const {
    std::vector<Problem> problems;
    resolve_levels(ladder_, tables_, false, run_, problems, {.probe = condition_});
    return problems.empty();
  }

  void remember(const Field& field, std::size_t row) {
    keys_.clear();
    for (std::size_t c = 0; c < key_columns().size(); ++c) keys_.push_back(field.standings->value(row, c));
    relation_row_ = relation_row(field, row);
  }
  static std::uint32_t relation_row(const Field& field, std::size_t row) {
    const StandingsData& data = field.standings->data();
    return data.first_rows[data.rows[row]];
  }

  [[noreturn]] void several(const std::vector<std::size_t>& meant) const {
    std::vector<std::string> some;
    for (std::size_t i = 0; i < std::min<std::size_t>(3, meant.size()); ++i)
      some.push_back(of_rows() ? place_of(meant[i]) : keys_text(meant[i]));
    if (meant.size() > some.size()) some.push_back(counted(meant.size() - some.size(), "other"));
    no_entry(with_commas(meant.size()) + " entries have " + condition_ + ": " + listed(some), condition_, {},
             of_rows() ? "name a column that tells them apart" : "name one of them by its key");
  }

  // Where the condition is `column = value`: the value nearest to it.
  std::string nearest() const {
    const ExpressionPtr e = parse_expression(condition_);
    if (e->op != Op::equal || e->args[0]->op != Op::name || e->args[1]->op != Op::literal) return {};

    // All entries, as they are found.
    Ladder ladder = without_cuts();
    ladder.levels.front().having.clear();
    ladder.list = {.columns = {e->args[0]->text}};
    std::optional<Standings> all;
    try {
      all = standings(ladder, tables_, run_);
    } catch (const Error&) {
      return {};
    }

    // The nearest word, or the nearest number.
    if (const auto* text = std::get_if<std::string>(&e->args[1]->value)) {
      std::vector<std::string> names;
      for (std::size_t r = 0; r < all->rows(); ++r) names.push_back(to_text(all->value(r, 0)));
      return nearest_word(*text, names);
    }
    const auto* wanted = std::get_if<Decimal>(&e->args[1]->value);
    std::optional<Value> best;
    double distance = 0;
    for (std::size_t r = 0; wanted != nullptr && r < all->rows(); ++r) {
      const Value value = all->value(r, 0);
      const auto* const number = std::get_if<Decimal>(&value);
      if (number == nullptr) continue;
      const double here = std::abs(number->to_double() - wanted->to_double());
      if (best && here >= distance) continue;
      best = value;
      distance = here;
    }
    return best ? to_text(*best) : std::string();
  }

  // The whole field, with every key of the order and every part of a total as columns of their own.
  void describe() {
    field_ladder_ = without_cuts();
    std::vector<std::string> columns = key_columns();
    const auto add = [&](const std::string& formula, bool may_see_windows = false) {
      for (std::size_t c = 0; c < columns.size(); ++c)
        if (columns[c] == formula) return c;
      const std::string name = "workings " + std::to_string(columns.size());
      (may_see_windows ? field_ladder_.levels.front().windows : field_ladder_.totals).push_back({name, formula});
      columns.push_back(name);
      return columns.size() - 1;
    };

    // What places go by, and the totals with their parts.
    const std::string& by = level().by;
    for (const SortItem& item : by.empty() ? std::vector<SortItem>{} : parse_sort_list(by)) {
      const std::string text = by.substr(item.expression->begin, item.expression->end - item.expression->begin);
      by_.push_back({text, add(text, true)});
    }
    for (const NamedFormula& total : ladder_.totals) {
      totals_.push_back({total, columns.size(), {}});
      columns.push_back(total.name);
      std::vector<Inside> inside;
      find_totals(*parse_expression(total.formula), total.formula, inside);
      for (const Inside& part : inside) totals_.back().parts.push_back({part.text, add(part.text), add(part.counts)});
    }

    // Windows, figures, and the place itself.
    const auto list = [&](const std::vector<NamedFormula>& formulas, auto& out) {
      for (const NamedFormula& one : formulas) {
        out.emplace_back(one, columns.size());
        columns.push_back(one.name);
      }
    };
    list(level().windows, windows_);
    if (of_rows()) list(ladder_.figures, figures_);
    if (!level().eligible.empty())
      eligible_ = add("case when " + level().eligible + " then 1 when not (" + level().eligible + ") then 0 end", true);
    if (!level().by.empty()) {
      place_ = columns.size();
      columns.push_back(level().rank_as.empty() ? "rank" : level().rank_as);
    }
    field_ladder_.list = {.columns = columns};
  }

  // A listed column with one value an entry that names it better than its key.
  std::string find_label() const {
    if (of_rows()) return {};
    std::vector<Problem> ignored;
    for (const std::string& column : ladder_.list.columns) {
      const auto same = [&](const auto& name) { return equal_folded(name, column); };
      const auto& each = level().each;
      const auto& within = level().within;
      if (std::any_of(each.begin(), each.end(), same) || std::any_of(within.begin(), within.end(), same)) continue;
      Ladder ladder = without_cuts();
      ladder.list = {.columns = {column}};
      Question question = resolve(ladder, tables_, true, run_, ignored);
      if (!ignored.empty() || question.list_columns.size() != 1) return {};
      const int at = question.list_columns[0].column;
      if (at < 0 || static_cast<std::size_t>(at) >= question.entry_columns.size()) continue;
      const EntryColumn& entry = question.entry_columns[static_cast<std::size_t>(at)];
      if (entry.from == EntryColumn::From::carried && entry.type.kind == Kind::text) return column;
    }
    return {};
  }

  // The entry of keys_, or of relation_row_.
  std::optional<std::size_t> find_row(const Field& field) const {
    const Standings& s = *field.standings;
    for (std::size_t r = 0; r < s.rows(); ++r) {
      bool same = !of_rows() || relation_row(field, r) == relation_row_;
      for (std::size_t c = 0; c < keys_.size() && same && !of_rows(); ++c) same = s.value(r, c) == keys_[c];
      if (same) return r;
    }
    return std::nullopt;
  }

  // The entry's keys as a condition on rows.
  std::string key_condition() const {
    std::string out;
    const std::vector<std::string> columns = key_columns();
    for (std::size_t c = 0; c < columns.size(); ++c)
      out += (c > 0 ? " and " : "") + name_text(columns[c]) +
             (is_null(keys_[c]) ? std::string(" is null")
                                : " = " + literal(keys_[c], field_.standings->columns()[c].type));
    return out;
  }

  // Its rows, with the columns of the first table that anything mentions, and the figures.
  Standings list_lines() {
    Ladder ladder = ladder_;
    ladder.totals.clear();
    ladder.orderings.clear();
    ladder.levels = {Level{}};
    std::vector<Problem> problems;
    const Question mentioned = resolve(ladder_, tables_, true, run_, problems);
    if (!problems.empty()) throw Error(std::move(problems));

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
    if (of_rows())
      of_entry.probed_row = relation_row_;
    else
      of_entry.probe = key_condition();
    const Answer lines = answer({.ladder = ladder, .further = of_entry}, tables_, run_);
    rows_ = lines.data->probed.rows;
    for (const Probed::Term& term : lines.data->probed.terms)
      left_out_.push_back({term.text, term.left_out, term.unknown});
    return Standings(lines.data);
  }

  // Where a row that is an entry is in its file.
  std::string place_of(std::size_t row) const {
    if (!joined_) joined_ = std::make_unique<JoinedRows>(field_.questions.front(), run_);
    return joined_->place_of(relation_row(field_, row));
  }
  std::string keys_text(std::size_t row) const {
    std::string text;
    for (std::size_t k = level().within.size(); k < key_columns().size(); ++k)
      text += (text.empty() ? "" : ", ") + field_.standings->columns()[k].name + " " +
              shown(field_.standings->value(row, k), field_.standings->columns()[k].type);
    return text;
  }
  std::string name_of(std::size_t row) const {
    if (of_rows()) return place_of(row);
    if (!label_.empty()) {
      const Value label = field_.standings->value(row, label_column_);
      if (!is_null(label)) return quoted(to_text(label, field_.standings->columns()[label_column_].type));
    }
    return keys_text(row);
  }

  // The same for a title: a line of which file?
  std::string whole_name_of(std::size_t row) const {
    const std::string name = name_of(row);
    const bool says_whose = !of_rows() || name.find(" of ") != std::string::npos;
    return says_whose ? name : name + " of " + field_.questions.front().tables.front().source->name();
  }

  void tell(Workings& out) const {
    const Standings& s = *field_.standings;
    out.rows = rows_;
    out.left_out = left_out_;

    // Who it is.
    for (std::size_t c = 0; c < keys_.size(); ++c)
      (c < level().within.size() ? out.group : out.keys)
          .push_back({s.columns()[c].name, keys_[c], s.columns()[c].type});
    if (!row_) {  // every row of it was left out
      for (const Workings::Named& key : out.keys)
        out.entry += (out.entry.empty() ? "" : ", ") + key.name + " " + shown(key.value, key.type);
      if (of_rows()) out.entry = whole_name_of(*find_row(field_));
      out.without_place = of_rows() ? "it does not count" : "none of its rows counts";
      return;
    }
    out.entry = whole_name_of(*row_);

    // What it totals.
    for (const auto& [window, at] : windows_)
      out.windows.push_back(
          {window.name, window.formula, dropped_ ? Value{} : s.value(*row_, at), s.columns()[at].type});
    for (const auto& [figure, at] : figures_)
      out.figures.push_back({figure.name, figure.formula, s.value(*row_, at), s.columns()[at].type});
    for (const Total& total : totals_) {
      Workings::Total one{
          total.formula.name, total.formula.formula, s.value(*row_, total.column), {}, s.columns()[total.column].type};
      for (const Total::Part& part : total.parts) {
        const Value rows = s.value(*row_, part.rows);
        const auto* const count = std::get_if<Decimal>(&rows);
        one.parts.push_back({part.text, s.value(*row_, part.column),
                             count == nullptr ? 0 : static_cast<std::size_t>(count->coefficient()),
                             s.columns()[part.column].type});
      }
      out.totals.push_back(std::move(one));
    }

    // Which place that makes.
    if (by_.empty()) return;
    out.by = by_.front().text;
    out.value = s.value(*row_, by_.front().column);
    out.by_type = s.columns()[by_.front().column].type;
    if (dropped_)
      out.without_place = "rank.having is not true for it: " + level().having;
    else
      tell_place(out);
  }

  void tell_place(Workings& out) const {
    const Standings& s = *field_.standings;
    out.place = s.value(*row_, place_);
    const auto same_group = [&](std::size_t row) {
      for (std::size_t c = 0; c < level().within.size(); ++c)
        if (s.value(row, c) != keys_[c]) return false;
      return true;
    };
    const auto ranked = [&](std::size_t row) { return !is_null(s.value(row, place_)); };
    const auto equal = [&](std::size_t row) {
      return std::all_of(by_.begin(), by_.end(),
                         [&](const Key& key) { return s.value(row, key.column) == s.value(*row_, key.column); });
    };

    // The ranked entries of its group.
    std::vector<std::size_t> group;  // ranked entries, in the order of places
    std::size_t here = 0;
    for (std::size_t r = 0; r < s.rows(); ++r) {
      if (!same_group(r) || !ranked(r)) continue;
      if (r == *row_) here = group.size();
      group.push_back(r);
    }

    // Without a place: why?
    out.ranked = group.size();
    if (is_null(out.place)) {
      const Value eligible = eligible_ ? s.value(*row_, *eligible_) : Value(Decimal(1, 0));
      out.without_place = is_null(eligible) ? "it is unknown whether it is eligible: " + level().eligible
                          : eligible != Value(Decimal(1, 0)) ? "it is not eligible: " + level().eligible
                                                             : quoted(out.by) + " is null";
      return;
    }

    // Its peers, and the neighbours on either side.
    std::size_t first = here, last = here;
    while (first > 0 && equal(group[first - 1])) --first;
    while (last + 1 < group.size() && equal(group[last + 1])) ++last;
    for (std::size_t i = first; i <= last; ++i)
      if (i != here) out.equal.push_back(name_of(group[i]));
    if (first > 0) out.ahead = neighbour(group[first - 1]);
    if (last + 1 < group.size()) out.behind = neighbour(group[last + 1]);
  }

  Workings::Neighbour neighbour(std::size_t row) const {
    const Standings& s = *field_.standings;
    Workings::Neighbour out{name_of(row), s.value(row, place_), s.value(row, by_.front().column), {}, {}};

    // How far apart they are.
    const Value own = s.value(*row_, by_.front().column);
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
    for (const Key& key : by_)
      if (s.value(row, key.column) != s.value(*row_, key.column)) {
        out.decided_by = key.text;
        break;
      }
    return out;
  }

  const Ladder ladder_;
  const ReadOnce& tables_;
  const std::string& condition_;
  const Run& run_;
  Ladder field_ladder_;
  std::vector<Value> keys_;         // of within, then each
  std::uint32_t relation_row_ = 0;  // of the entry's first row; it is the entry where every row is one
  struct Key {
    std::string text;
    std::size_t column;
  };
  std::vector<Key> by_;
  struct Total {
    NamedFormula formula;
    std::size_t column;
    struct Part {
      std::string text;
      std::size_t column, rows;
    };
    std::vector<Part> parts;
  };
  std::vector<Total> totals_;
  std::vector<std::pair<NamedFormula, std::size_t>> windows_, figures_;  // with their columns
  std::optional<std::size_t> eligible_;
  std::size_t place_ = 0;
  std::string label_;
  std::size_t label_column_ = 0;
  Field field_;
  mutable std::unique_ptr<JoinedRows> joined_;
  std::optional<std::size_t> row_;
  bool dropped_ = false;
  std::size_t rows_ = 0;
  std::vector<Workings::LeftOut> left_out_;
};

}  // namespace

Workings why(const Ladder& asked, const Catalog& catalog, const std::string& condition, const Run& run) {
  // Columns that come from other answers, and how many rows the listing takes, are no part of an entry's workings.
  Ladder ladder = asked;
  ladder.across = {};
  ladder.alternatives.clear();
  ladder.list.order_by.clear();
  ladder.list.first = ladder.list.last = ladder.list.sample = std::nullopt;
  ladder.list.hide_blank_groups = false;
  without_moves(ladder);
  if (ladder.levels.empty()) ladder.levels.emplace_back();  // a listing, whose rows have workings too

  // A condition is judged with the places; what is wrong with it is said of it, not of a key of the ladder.
  std::vector<Problem> problems;
  const ReadOnce tables(catalog);
  const std::vector<Question> questions = resolve_levels(ladder, tables, false, run, problems);
  if (!problems.empty()) throw Error(std::move(problems));

  // Of nested levels the first in which the condition means something, and holds for one entry.
  std::vector<std::unique_ptr<Answering>> levels;
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
      for (const ListColumn& column : questions[l].list_columns) single.list.columns.push_back(column.name);
    }
    auto one = std::make_unique<Answering>(single, tables, condition, run);
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
      return level->work();
    } catch (const Error& error) {
      if (!failure || failure->problems().front().code != Code::unknown_entry) failure = error;
    }
  }
  throw *failure;
}

}  // namespace lofty
