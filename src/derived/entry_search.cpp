// Looking for one entry by a condition, and naming entries.
// Covered by tests/derived/why_test.cpp.

#include "derived/entry_search.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <string_view>

#include "base/access.hpp"
#include "base/folded.hpp"
#include "derived/answer.hpp"
#include "formula/parser.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "question/resolve.hpp"
#include "relation/rows.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {
namespace {

[[noreturn]] void no_entry(std::string sentence, const std::string& condition, std::string nearest,
                           std::string advice = {}) {
  Problem p{Code::unknown_entry, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.location.text = condition;
  p.location.length = condition.size();
  throw Error(std::move(p));
}

class EntrySearch {
 public:
  EntrySearch(const Ladder& ladder, const EntryView& view, const ReadOnce& tables, const std::string& condition,
              const Run& run)
      : ladder_(ladder), view_(view), tables_(tables), condition_(condition), run_(run) {}

  // Which entry is meant, and which row has it?
  FoundEntry find() {
    if (const auto named = row_named(condition_)) {
      if (view_.of_rows) return find_row(*named);
      no_entry("a " + named->what + " is no entry of this ladder", condition_, {}, "name one by its key: shop_no = 17");
    }
    found_.field = ask(view_.ladder);
    std::vector<std::size_t> meant = marked(found_.field);
    if (meant.size() > 1) several(meant);
    if (meant.size() == 1) {
      found_.row = meant.front();
      remember(found_.field, meant.front());
      return std::move(found_);
    }

    // It may have been dropped, or left out.
    Ladder wider = view_.ladder;
    if (!ladder_.levels.front().having.empty()) {
      wider.levels.front().having.clear();
      if (find_in(wider)) {  // its totals are worth showing, dropped or not
        found_.dropped = true;
        return std::move(found_);
      }
    }
    if (!ladder_.where.empty() && speaks_of_rows()) {
      wider.where.clear();
      if (find_in(wider)) {  // every row of it was left out
        found_.row.reset();
        return std::move(found_);
      }
    }
    no_entry("there is no entry with " + condition_, condition_, nearest());
  }

 private:
  // The rows of the file that "line 17 of jan.csv" names; all of them where it names none and there is one only.
  std::pair<std::size_t, std::size_t> rows_of_file(const Table& table) const {
    const auto& files = engine::Access::data(table).files;
    const std::size_t of = condition_.find(" of ");
    const std::string name = of == std::string::npos ? std::string() : condition_.substr(of + 4);
    if (files.empty()) {
      const std::string& own = found_.field.questions.front().tables.front().source->name();
      if (!name.empty() && name != own && !own.starts_with(name + "#"))
        no_entry("the table is " + own + ", not " + name, condition_, condition_.substr(0, of) + " of " + own);
      return {0, table.rows()};
    }
    std::vector<std::string> names;
    for (std::size_t f = 0; f < files.size(); ++f) {
      if (files[f].name == name)
        return {files[f].first_row, f + 1 < files.size() ? files[f + 1].first_row : table.rows()};
      names.push_back(files[f].name);
    }
    no_entry(name.empty() ? quoted(condition_) + " does not say of which file"
                          : "no file of this table is called " + quoted(name),
             condition_, name.empty() ? condition_ + " of " + names.front() : nearest_word(name, names));
  }
  // The entry that is the row of the first table which its file calls so.
  FoundEntry find_row(const NamedRow& named) {
    found_.field = ask(view_.ladder, "1 = 1");
    const Table& table = found_.field.tables.first();
    const TableData& data = Access::data(table);
    const auto [begin, file_end] = rows_of_file(table);
    const std::string file =
        data.files.empty() ? found_.field.questions.front().tables.front().source->name() : data.file_of(begin);
    const std::string number = std::to_string(named.number);
    if (named.what != data.numbered)
      no_entry(file + " has numbered " + data.numbered + "s, not " + named.what + "s", condition_,
               data.numbered + (" " + number));

    // Numbers go up with rows.
    std::size_t row = begin;
    for (std::size_t end = file_end; row < end;) {
      const std::size_t middle = row + (end - row) / 2;
      if (data.number_of(middle) < named.number)
        row = middle + 1;
      else
        end = middle;
    }
    if (row == file_end || data.number_of(row) != named.number)
      no_entry(named.what == "line" ? "no row begins on line " + number + " of " + file
                                    : "there is no row " + number + " in " + file,
               condition_, {});

    // The entry that is this row.
    const JoinedRows joined(found_.field.questions.front(), found_.field.tables, run_);
    for (std::size_t r = 0; r < found_.field.standings->rows(); ++r)
      if (joined.row_of_table(0, found_.field.relation_row(r)) == row) {
        found_.row = r;
        remember(found_.field, r);
        return std::move(found_);
      }
    no_entry(named.what + " " + number + " does not count: " + quoted(ladder_.where) + " leaves it out", condition_,
             {});
  }

  // Is one entry meant among those of a wider field, which the ladder's own does not hold?
  bool find_in(const Ladder& wider) {
    try {
      EntryField field = ask(wider);
      const std::vector<std::size_t> meant = marked(field);
      if (meant.size() != 1) return false;
      remember(field, meant.front());
      if (found_.row_in(found_.field, view_.of_rows)) return false;  // with other totals it would be the one
      found_.field = std::move(field);
      found_.row = meant.front();
      return true;
    } catch (const Error&) {
      return false;  // what the ladder leaves out may be what nothing can be computed from
    }
  }

  // Can it be judged by a row alone, without totals and places, which other rows would change?
  bool speaks_of_rows() const {
    std::vector<Problem> problems;
    resolve_levels(ladder_, tables_, problems, {.probe = condition_});
    return problems.empty();
  }

  void remember(const EntryField& field, std::size_t row) {
    found_.keys.clear();
    for (std::size_t c = 0; c < view_.keys.size(); ++c) found_.keys.push_back(field.standings->value(row, c));
    found_.relation_row = field.relation_row(row);
  }

  // Asks, with a mark on the entries that are meant.
  EntryField ask(const Ladder& ladder) const { return ask(ladder, condition_); }
  EntryField ask(const Ladder& ladder, const std::string& mark) const {
    Answer answered = answer({.ladder = ladder, .further = {.mark = mark}}, tables_, run_);
    return {std::move(answered.questions), std::move(answered.tables), Access::made<Standings>(answered.data)};
  }
  static std::vector<std::size_t> marked(const EntryField& field) {
    std::vector<std::size_t> rows;
    const StandingsData& data = Access::data(*field.standings);
    for (std::size_t r = 0; r < data.rows.size(); ++r)
      if (data.marked[data.rows[r]] != 0) rows.push_back(r);
    return rows;
  }
  [[noreturn]] void several(const std::vector<std::size_t>& meant) const {
    const EntryNames names(view_, ladder_.levels.front().within.size(), found_.field, run_);
    std::vector<std::string> some;
    for (std::size_t i = 0; i < std::min<std::size_t>(3, meant.size()); ++i)
      some.push_back(view_.of_rows ? names.name(meant[i]) : names.keys(meant[i]));
    if (meant.size() > some.size()) some.push_back(counted(meant.size() - some.size(), "other"));
    no_entry(with_commas(meant.size()) + " entries have " + condition_ + ": " + listed(some), condition_, {},
             view_.of_rows ? "name a column that tells them apart" : "name one of them by its key");
  }

  // Where the condition is `column = value`: the value nearest to it.
  std::string nearest() const {
    const ExpressionPtr e = parse_expression(condition_);
    if (e->op != Op::equal || e->args[0]->op != Op::name || e->args[1]->op != Op::literal) return {};

    // All entries, as they are found.
    Ladder ladder = without_cuts(ladder_);
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

  const Ladder& ladder_;
  const EntryView& view_;
  const ReadOnce& tables_;
  const std::string& condition_;
  const Run& run_;
  FoundEntry found_;
};

}  // namespace

std::optional<NamedRow> row_named(std::string_view text) {
  NamedRow named;
  for (const std::string_view what : {"line", "row"})
    if (text.starts_with(what)) named.what = what;
  if (named.what.empty() || !text.substr(named.what.size()).starts_with(' ')) return std::nullopt;
  text.remove_prefix(named.what.size() + 1);
  std::size_t digits = 0;
  for (; digits < text.size() && digits < 18 && text[digits] >= '0' && text[digits] <= '9'; ++digits)
    named.number = named.number * 10 + static_cast<std::size_t>(text[digits] - '0');
  const bool whole = digits == text.size() || text.substr(digits).starts_with(" of ");
  return digits > 0 && whole ? std::optional(named) : std::nullopt;
}

std::uint32_t EntryField::relation_row(std::size_t row) const {
  const StandingsData& data = Access::data(*standings);
  return data.first_rows[data.rows[row]];
}

std::optional<std::size_t> FoundEntry::row_in(const EntryField& other, bool of_rows) const {
  const Standings& s = *other.standings;
  for (std::size_t r = 0; r < s.rows(); ++r) {
    bool same = !of_rows || other.relation_row(r) == relation_row;
    for (std::size_t c = 0; c < keys.size() && same && !of_rows; ++c) same = s.value(r, c) == keys[c];
    if (same) return r;
  }
  return std::nullopt;
}

FoundEntry find_entry(const Ladder& ladder, const EntryView& view, const ReadOnce& tables, const std::string& condition,
                      const Run& run) {
  return EntrySearch(ladder, view, tables, condition, run).find();
}

std::string shown(const Value& value, const Type& type) { return is_null(value) ? "(none)" : to_text(value, type); }

RowOrigin EntryNames::origin(std::size_t row) const {
  if (!joined_) joined_ = std::make_unique<JoinedRows>(field_.questions.front(), field_.tables, run_);
  return joined_->origin_of(field_.relation_row(row));
}
std::string EntryNames::keys(std::size_t row) const {
  std::string text;
  for (std::size_t k = within_; k < view_.keys.size(); ++k)
    text += (text.empty() ? "" : ", ") + field_.standings->columns()[k].name + " " +
            shown(field_.standings->value(row, k), field_.standings->columns()[k].type);
  return text;
}
std::string EntryNames::name(std::size_t row) const {
  if (view_.of_rows) return origin(row).short_text();
  if (!view_.label.empty()) {
    const Value label = field_.standings->value(row, view_.label_column);
    if (!is_null(label)) return quoted(to_text(label, field_.standings->columns()[view_.label_column].type));
  }
  return keys(row);
}

std::string EntryNames::whole_name(std::size_t row) const { return view_.of_rows ? origin(row).text() : name(row); }

}  // namespace lofty::engine
