// The stages from entries to the listing, and what is said about them.
// Covered by tests/ladder/standings_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>
#include <numeric>

#include "ladder/prose.hpp"
#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "ladder/totals.hpp"
#include "order/sort.hpp"
#include "table/parallel.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

// Evaluates a tree over sealed columns into a sealed column.
ColumnPtr evaluate_column(const Node& node, const ColumnSource& source, int slots, const Run& run) {
  Evaluator evaluator(source, slots);
  Piece piece(node.type);
  for (std::size_t begin = 0; begin < source.rows(); begin += batch_rows) {
    check_stop(run);
    const std::size_t count = std::min(batch_rows, source.rows() - begin);
    const Vector& v = evaluator.evaluate(node, begin, count, nullptr);
    for (std::size_t i = 0; i < count; ++i) {
      if (v.is_null(i))
        piece.add_null();
      else if (v.lane == Vector::Lane::int64)
        piece.add_integer(v.ints[i]);
      else if (v.lane == Vector::Lane::int128)
        piece.add_wide(v.wide[i]);
      else if (v.lane == Vector::Lane::float64)
        piece.add_double(v.doubles[i]);
      else
        piece.add_text(v.text(i));
    }
  }
  std::vector<Piece> pieces;
  pieces.push_back(std::move(piece));
  return Column::seal(node.type, std::move(pieces), Run{.threads = 1});
}

class Asking {
 public:
  Asking(const Ladder& ladder, Question& question, const Run& run)
      : ladder_(ladder), q_(question), run_(run), data_(std::make_shared<StandingsData>()) {}

  std::shared_ptr<const StandingsData> answer() {
    const JoinedRows rows(q_, run_);
    try {
      entries_ = run_rows(q_, rows, run_);
    } catch (const RowFailure& failure) {
      throw Error(row_problem(failure));
    }
    try {
      work_out_totals();
      rank();
    } catch (const RowFailure& failure) {
      throw Error(entry_problem(failure));
    }
    account(rows);
    keep();
    list();
    remark(rows);
    data_->title = ladder_.title;
    data_->question = sentence();
    data_->shown_of_total = foot();
    return data_;
  }

 private:
  // ---- errors of single rows

  static Problem located(const RowFailure& failure, const std::string& where) {
    Problem p{failure.code, failure.sentence + ", " + where, {}, {}, failure.advice};
    if (failure.node->origin) {
      p.place.key = failure.node->origin->key;
      p.place.text = failure.node->origin->text;
      p.place.offset = failure.node->begin;
      p.place.length = failure.node->end - failure.node->begin;
    }
    return p;
  }

  Problem row_problem(const RowFailure& failure) const {
    const Table& table = q_.tables.front().table;
    const auto& line_of = table.data().line_of;
    return located(failure, (line_of ? "in line " + std::to_string(line_of(failure.row))
                                     : "in row " + std::to_string(failure.row + 1)) +
                                " of " + table.name());
  }

  Problem entry_problem(const RowFailure& failure) const {
    return located(failure, "for " + (q_.row_level() ? "row " + std::to_string(entries_.first_rows[failure.row] + 1)
                                                     : entry_name(static_cast<std::uint32_t>(failure.row))));
  }

  // ---- stages

  void work_out_totals() {
    for (const std::size_t total : q_.totals) {
      const ColumnSource source(entries_.count, entries_.columns);
      entries_.columns[total] = evaluate_column(*q_.entry_columns[total].node, source, q_.slots, run_);
    }
  }

  // Sort keys worked out over the entries, as codes, which refer to the columns that are kept beside them.
  KeyList codes_of(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                   std::vector<ColumnPtr>& kept) {
    KeyList codes;
    const ColumnSource source(entries_.count, columns);
    for (const SortKey& key : keys) {
      kept.push_back(key.node->op == Op::name ? columns[static_cast<std::size_t>(key.node->column)]
                                              : evaluate_column(*key.node, source, q_.slots, run_));
      encode(ColumnKey{kept.back().get(), key.descending, {.nulls = key.nulls}}, run_, codes);
    }
    return codes;
  }

  KeyList codes_of(const std::vector<std::size_t>& indices) {
    KeyList codes;
    for (const std::size_t index : indices) encode(ColumnKey{entries_.columns[index].get(), false, {}}, run_, codes);
    return codes;
  }

  void rank() {
    columns_ = entries_.columns;
    if (!q_.places) return;
    SortKeys keys;
    std::vector<ColumnPtr> breakers;
    keys.within = codes_of(q_.within);
    KeyList by = codes_of(q_.by, entries_.columns, by_columns_);
    encode_nulls(*by_columns_.front(), keys.by);
    keys.flagged = !keys.by.empty();
    for (auto& codes : by) keys.by.push_back(std::move(codes));
    // Behind the tie-breakers stands the entry's own key, which is unique: shuffled rows give the same standings.
    keys.tiebreak = codes_of(q_.tiebreak, entries_.columns, breakers);
    for (auto& codes : codes_of(q_.row_level() ? std::vector<std::size_t>{} : q_.each))
      keys.tiebreak.push_back(std::move(codes));
    order_.emplace(make_order(entries_.count, keys, run_));
    competition_ = places(*order_, Ties::competition);
    data_->tied.assign(entries_.count, 0);
    data_->ranked.assign(entries_.count, 0);
    const auto rows = order_->rows();
    for (std::size_t i = 0; i < rows.size(); ++i) {
      data_->ranked[rows[i]] = order_->ranked(i);
      const bool alone = order_->starts_peers(i) && (i + 1 == rows.size() || order_->starts_peers(i + 1));
      data_->tied[rows[i]] = order_->ranked(i) && !alone;
    }
    add_place_column(q_.level->ties);
    for (const Also& also : q_.level->also) add_place_column(also.ties);
  }

  void add_place_column(Ties ties) {
    const bool fractional = ties == Ties::fractional;
    const Type type = fractional ? Type{.kind = Kind::decimal, .scale = 1} : Type{.kind = Kind::integer};
    Piece piece(type);
    if (fractional) {
      for (const double place : fractional_places_by_row(*order_))
        place == 0 ? piece.add_null() : piece.add_integer(static_cast<std::int64_t>(place * 10));
    } else {
      for (const std::uint32_t place : places_by_row(*order_, ties))
        place == 0 ? piece.add_null() : piece.add_integer(place);
    }
    std::vector<Piece> pieces;
    pieces.push_back(std::move(piece));
    columns_.push_back(Column::seal(type, std::move(pieces), Run{.threads = 1}));
  }

  void account(const JoinedRows& rows) {
    Accounting& a = data_->accounting;
    a.read = entries_.read;
    for (std::size_t j = 0; j < q_.joins.size(); ++j)
      a.joins.push_back(
          {q_.tables[q_.joins[j].table].source->name(), rows.reports()[j].unmatched, rows.reports()[j].without_rows});
    a.left_out = entries_.left_out;
    a.unknown = entries_.unknown;
    a.counted = entries_.counted;
    a.entries = entries_.count;
    if (order_) {
      a.groups = order_->groups();
      a.ranked = static_cast<std::size_t>(std::count(data_->ranked.begin(), data_->ranked.end(), 1));
      a.unranked = a.entries - a.ranked;
    }
  }

  // The entries to list, in the order of places.
  void keep() {
    if (!order_) {
      data_->rows.resize(entries_.count);
      std::iota(data_->rows.begin(), data_->rows.end(), 0u);
      return;
    }
    const auto rows = order_->rows();
    const std::optional<std::size_t> best = q_.level->best;
    std::size_t group_begin = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (order_->starts_group(i)) group_begin = i;
      const std::size_t ordinal = i - group_begin + 1;
      const bool in =
          !best || (order_->ranked(i) && (q_.level->cut == Cut::strict ? ordinal : competition_[i]) <= *best);
      if (in) data_->rows.push_back(rows[i]);
      // The cut lies between the N-th and the next; when they are peers it goes through a tie.
      if (best && order_->ranked(i) && ordinal == *best + 1 && !order_->starts_peers(i)) cuts_.push_back(i);
    }
  }

  void list() {
    if (q_.list_as_input) {
      std::sort(data_->rows.begin(), data_->rows.end(),
                [&](std::uint32_t a, std::uint32_t b) { return entries_.first_rows[a] < entries_.first_rows[b]; });
    } else if (!q_.list_order.empty()) {
      std::vector<ColumnPtr> kept;
      const KeyList codes = codes_of(q_.list_order, columns_, kept);
      SortKeys keys;  // entries equal on all of the list's keys stay in the order of places, in which they stand
      for (const auto& key : codes) keys.by.push_back(picked(*key, data_->rows));
      const Order listed = make_order(data_->rows.size(), keys, run_);
      std::vector<std::uint32_t> rows;
      for (const std::uint32_t at : listed.rows()) rows.push_back(data_->rows[at]);
      data_->rows.swap(rows);
    }
    for (const ListColumn& listed : q_.list_columns) {
      StandingColumn column;
      column.name = listed.name;
      column.heading = listed.heading;
      const auto index = static_cast<std::size_t>(listed.column);
      const ColumnPtr& values = columns_[index];
      column.type = values->type();
      column.role = role_of(index);
      if (column.role == Role::place) {
        const std::size_t place = index - q_.entry_columns.size();
        column.ties = place == 0 ? q_.level->ties : q_.level->also[place - 1].ties;
      }
      mark_sort(column, listed.column);
      data_->columns.push_back(std::move(column));
      data_->values.push_back(values);
    }
    data_->accounting.listed = data_->rows.size();
    mark_groups();
  }

  Role role_of(std::size_t index) const {
    if (index >= q_.entry_columns.size()) return Role::place;
    if (std::find(q_.within.begin(), q_.within.end(), index) != q_.within.end()) return Role::group;
    if (std::find(q_.each.begin(), q_.each.end(), index) != q_.each.end()) return Role::key;
    const auto from = q_.entry_columns[index].from;
    return from == EntryColumn::From::total || from == EntryColumn::From::aggregate ? Role::total : Role::label;
  }

  // The keys that the listing is sorted by: the list's own, or else those of the places.
  void mark_sort(StandingColumn& column, int index) const {
    if (q_.list_as_input) return;
    const auto& keys = !q_.list_order.empty() ? q_.list_order : q_.by;
    for (std::size_t k = 0; k < keys.size(); ++k)
      if (keys[k].node->op == Op::name && keys[k].node->column == index) {
        column.sort_position = static_cast<int>(k) + 1;
        column.descending = keys[k].descending;
      }
  }

  void mark_groups() {
    std::vector<std::uint8_t>& start = data_->group_start;
    start.assign(data_->rows.size(), 0);
    if (q_.within.empty() || !order_) return;
    // The number of each entry's group.
    std::vector<std::uint32_t> group(entries_.count);
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < order_->size(); ++i) {
      number += order_->starts_group(i);
      group[order_->rows()[i]] = number;
    }
    std::vector<bool> seen(number + 1, false);
    for (std::size_t i = 0; i < data_->rows.size(); ++i) {
      const std::uint32_t g = group[data_->rows[i]];
      start[i] = i == 0 || g != group[data_->rows[i - 1]];
      if (start[i] && seen[g]) {  // groups are mixed: breaks would tell lies
        start.assign(data_->rows.size(), 0);
        return;
      }
      seen[g] = true;
    }
  }

  // ---- words

  std::string row_noun() const { return noun_of_table(q_.tables.front().alias); }
  std::string entry_noun() const {
    if (q_.row_level()) return row_noun();
    std::vector<std::string> words;
    for (const std::size_t key : q_.each) words.push_back(noun_of_key(q_.entry_columns[key].name));
    return words.size() == 1 ? words[0] : "pair of " + listed(words);
  }
  std::string entry_nouns() const { return plural_entry(2); }
  std::string plural_entry(std::size_t count) const {
    const std::string noun = entry_noun();
    if (count == 1) return noun;
    return noun.starts_with("pair of ") ? "pairs" + noun.substr(4) : plural(noun);
  }
  std::string counted_entries(std::size_t count) const { return with_commas(count) + " " + plural_entry(count); }

  static std::string shown(const Value& value) { return is_null(value) ? "(none)" : to_text(value); }

  // What a reader calls an entry: its label where a listed column has one, else its keys.
  std::string entry_name(std::uint32_t entry) const {
    if (q_.row_level()) {
      const auto& line_of = q_.tables.front().table.data().line_of;
      const std::uint32_t row = entries_.first_rows[entry];
      return line_of ? "line " + std::to_string(line_of(row)) : "row " + std::to_string(row + 1);
    }
    for (const ListColumn& column : q_.list_columns) {
      if (column.column < 0 || static_cast<std::size_t>(column.column) >= q_.entry_columns.size()) continue;
      const EntryColumn& from = q_.entry_columns[static_cast<std::size_t>(column.column)];
      if (from.from != EntryColumn::From::carried || from.type.kind != Kind::text ||
          role_of(static_cast<std::size_t>(column.column)) == Role::group)
        continue;
      const Value value = entries_.columns[static_cast<std::size_t>(column.column)]->value(entry);
      if (!is_null(value)) return quoted(to_text(value));
    }
    std::string name;
    for (const std::size_t key : q_.each) {
      if (key >= entries_.columns.size()) continue;
      const Value value = entries_.columns[key]->value(entry);
      const bool text = q_.entry_columns[key].type.kind == Kind::text;
      name +=
          (name.empty() ? "" : ", ") + (text ? quoted(shown(value)) : q_.entry_columns[key].name + " " + shown(value));
    }
    return name;
  }

  std::string directions(const std::vector<SortKey>& keys) const {
    std::vector<std::string> parts;
    for (std::size_t k = 0; k < keys.size(); ++k) {
      const Kind kind = keys[k].node->type.kind;
      const bool moment = kind == Kind::date || kind == Kind::timestamp;
      const char* const way = kind == Kind::text ? (keys[k].descending ? " from Z to A" : " from A to Z")
                              : moment           ? (keys[k].descending ? ", latest first" : ", earliest first")
                                                 : (keys[k].descending ? ", highest first" : ", lowest first");
      parts.push_back((k > 0 ? "then " : "") + keys[k].text + way);
    }
    std::string out;
    for (std::size_t k = 0; k < parts.size(); ++k) out += (k > 0 ? ", " : "") + parts[k];
    return out;
  }

  std::string sentence() const {
    std::string s = capitalized(entry_nouns());
    if (q_.places) {
      s += " by " + directions(q_.by);
      if (!q_.within.empty()) {
        std::vector<std::string> groups;
        for (const std::size_t g : q_.within) groups.push_back(noun_of_key(q_.entry_columns[g].name));
        s += ", in each " + listed(groups);
      }
    }
    s += "; ";
    if (!ladder_.where.empty())
      s += plural(row_noun()) + " count where " + ladder_.where;
    else
      s += "all " + plural(row_noun()) + " count";
    if (q_.places) {
      s += "; " + std::string(ties_name(q_.level->ties)) + " places";
      if (!ladder_.levels.front().tiebreak.empty()) s += ", ties told apart by " + ladder_.levels.front().tiebreak;
      if (q_.level->best)
        s += "; the best " + with_commas(*q_.level->best) + (q_.within.empty() ? "" : " of each") +
             (q_.level->cut == Cut::strict ? ", strictly" : ", ties at the cut kept");
    }
    if (q_.list_as_input) s += "; listed in the order of the input";
    if (!q_.list_order.empty()) s += "; listed by " + ladder_.list.order;
    s += ".";
    for (const Choice& choice : ladder_.choices) {
      s += (&choice == &ladder_.choices.front() ? " Chosen: " : ", ") + choice.name + " = " + to_text(choice.value) +
           (choice.unit.empty() ? "" : " " + choice.unit);
      if (&choice == &ladder_.choices.back()) s += ".";
    }
    for (const auto& overall : q_.overalls)
      s += " " + capitalized(overall->text) + " is " + shown(overall->uses.front()->value) + ".";
    return s;
  }

  std::string foot() const {
    const Accounting& a = data_->accounting;
    std::string s = a.listed == a.entries ? counted_entries(a.entries)
                                          : with_commas(a.listed) + " of " + counted_entries(a.entries);
    if (!q_.row_level()) s += ", " + counted(a.counted, row_noun());
    return s;
  }

  // ---- remarks

  void say(std::string code, std::string text) { data_->remarks.push_back({std::move(code), std::move(text)}); }

  void remark(const JoinedRows& rows) {
    for (const TableUse& use : q_.tables)
      for (const Remark& doubt : use.table.doubts()) data_->remarks.push_back(doubt);
    remark_joins(rows);
    if (entries_.unknown > 0) {
      const auto& line_of = q_.tables.front().table.data().line_of;
      say("unknown-condition",
          "for " + counted(entries_.unknown, row_noun()) + " the condition " + quoted(ladder_.where) +
              " is neither true nor false, because of a blank: " + (entries_.unknown == 1 ? "it does" : "they do") +
              " not count" +
              (line_of ? " (the first is line " + std::to_string(line_of(entries_.unknown_example)) + ")" : ""));
    }
    remark_blanks();
    remark_blank_groups();
    if (q_.places) {
      remark_unranked();
      remark_cuts();
      if (q_.row_level() && order_->undecided() > 0)
        say("input-decides", counted(order_->undecided(), row_noun()) +
                                 (order_->undecided() == 1 ? " equals" : " equal") +
                                 " the one before on every key; their input order decides");
    }
    if (entries_.count == 0)
      say("nothing-counts", entries_.read == 0 ? "the table has no rows"
                                               : "no " + row_noun() + " counts: the condition holds for none of " +
                                                     with_commas(entries_.read));
  }

  static std::string examples(const std::vector<std::string>& list, std::size_t total) {
    std::string out;
    for (const std::string& one : list) out += (out.empty() ? " (" : ", ") + one;
    return out + (total > list.size() ? ", ...)" : ")");
  }

  void remark_joins(const JoinedRows& rows) {
    for (std::size_t j = 0; j < q_.joins.size(); ++j) {
      const JoinedRows::Report& report = rows.reports()[j];
      const TableUse& other = q_.tables[q_.joins[j].table];
      std::string keys;
      for (const JoinUse::Pair& pair : q_.joins[j].on)
        keys += (keys.empty() ? "" : ", ") + q_.tables[pair.left_table].table.headings()[pair.left_column];
      if (report.unmatched > 0)
        say("unmatched-rows", counted(report.unmatched, row_noun()) + " found no partner in " + other.source->name() +
                                  ": " + keys + examples(report.unmatched_examples, report.unmatched_examples.size()));
      if (report.without_rows > 0)
        say("entries-without-rows", counted(report.without_rows, noun_of_table(other.alias)) + " of " +
                                        other.source->name() + " " + (report.without_rows == 1 ? "has" : "have") +
                                        " no " + plural(row_noun()) + ": " + keys +
                                        examples(report.without_examples, report.without_rows));
    }
  }

  // Sums and means over lines without a value: they add nothing, which may not be what was meant.
  void remark_blanks() {
    std::vector<const Node*> said;
    for (std::size_t a = 0; a < q_.aggregates.size(); ++a) {
      const Aggregate& aggregate = *q_.aggregates[a];
      if (entries_.blanks[a].rows == 0 ||
          (aggregate.kind != AggregateKind::sum && aggregate.kind != AggregateKind::average))
        continue;
      const bool again = std::any_of(said.begin(), said.end(), [&](const Node* n) {
        return n->origin == aggregate.argument->origin && n->begin == aggregate.argument->begin;
      });
      if (again) continue;
      said.push_back(aggregate.argument.get());
      say("rows-without-value", counted(entries_.blanks[a].rows, row_noun()) + " of " +
                                    counted_entries(entries_.blanks[a].entries) + " " +
                                    (entries_.blanks[a].rows == 1 ? "has" : "have") + " no value for " +
                                    quoted(aggregate.argument->source()) + "; " + quoted(aggregate.text) +
                                    " is worked out without " + (entries_.blanks[a].rows == 1 ? "it" : "them"));
    }
  }

  void remark_blank_groups() {
    const auto each = [&](const std::vector<std::size_t>& keys) {
      for (const std::size_t key : keys) {
        if (q_.row_level() || key >= entries_.columns.size()) continue;
        std::size_t rows = 0, entries = 0;
        for (std::uint32_t e = 0; e < entries_.count; ++e)
          if (entries_.columns[key]->is_null(e)) {
            rows += entries_.row_counts[e];
            ++entries;
          }
        if (entries > 0)
          say("blank-group", counted(rows, row_noun()) + " " + (rows == 1 ? "has" : "have") + " no " +
                                 quoted(q_.entry_columns[key].name) + "; together they are listed as (none)");
      }
    };
    each(q_.within);
    each(q_.each);
  }

  void remark_unranked() {
    const std::size_t count = data_->accounting.unranked;
    if (count == 0) return;
    std::vector<std::string> names;
    const auto rows = order_->rows();
    for (std::size_t i = 0; i < rows.size() && names.size() < 3; ++i)
      if (!order_->ranked(i)) names.push_back(entry_name(rows[i]));
    say("unranked",
        counted_entries(count) + (count == 1 ? " has" : " have") + " no place, because " + quoted(q_.by.front().text) +
            " is null: " + listed(names) + (count > names.size() ? ", ..." : "") +
            (q_.row_level() ? ""
                            : "; coalesce(..., 0) in the total would rank " + std::string(count == 1 ? "it" : "them")));
  }

  void remark_cuts() {
    for (const std::size_t at : cuts_) {
      const auto rows = order_->rows();
      std::size_t begin = at, end = at;
      while (!order_->starts_peers(begin)) --begin;
      while (end < rows.size() && !(end > begin && order_->starts_peers(end))) ++end;
      std::string group;
      for (const std::size_t g : q_.within)
        group += (group.empty() ? " in " : ", ") + shown(entries_.columns[g]->value(rows[at]));
      const Value tied = by_columns_.front()->value(rows[at]);
      const auto* const number = std::get_if<Decimal>(&tied);
      const std::string value = number != nullptr ? number->grouped_text() : shown(tied);
      const auto name = [&](std::size_t from, std::size_t to) {
        std::vector<std::string> names;
        for (std::size_t i = from; i < to && names.size() < 4; ++i) names.push_back(entry_name(rows[i]));
        if (to - from > names.size()) names.push_back(counted(to - from - names.size(), "other"));
        return listed(names);
      };
      const std::string tie = counted_entries(end - begin) + " share place " + with_commas(competition_[begin]) +
                              group + " (" + quoted(q_.by.front().text) + " " + value + ")";
      const std::string asked = "; the best " + with_commas(*q_.level->best) + " were asked for";
      if (q_.level->cut == Cut::with_ties)
        say("tie-at-cut", tie + asked + ", and all that tie are listed: " + name(begin, end));
      else
        say("tie-at-cut", tie + asked + ", strictly: " + name(at, end) + " left out, " + name(begin, at) +
                              " kept, decided by " + decider(at));
    }
  }

  // The key that told the last kept entry from the first one left out.
  std::string decider(std::size_t at) const {
    const std::uint32_t last = order_->rows()[at - 1], next = order_->rows()[at];
    const ColumnSource source(entries_.count, entries_.columns);
    for (const SortKey& key : q_.tiebreak) {
      const ColumnPtr column = key.node->op == Op::name ? entries_.columns[static_cast<std::size_t>(key.node->column)]
                                                        : evaluate_column(*key.node, source, q_.slots, run_);
      if (column->value(last) != column->value(next)) return "the tie-breaker " + quoted(key.text);
    }
    if (q_.row_level()) return "the order of the input";
    std::vector<std::string> keys;
    for (const std::size_t key : q_.each) keys.push_back(quoted(q_.entry_columns[key].name));
    return listed(keys) + ", because nothing else tells them apart";
  }

  const Ladder& ladder_;
  Question& q_;
  const Run& run_;
  std::shared_ptr<StandingsData> data_;
  Entries entries_;
  std::vector<ColumnPtr> columns_;  // entries' columns, then places
  std::vector<ColumnPtr> by_columns_;
  std::optional<Order> order_;
  std::vector<std::uint32_t> competition_;  // by position
  std::vector<std::size_t> cuts_;           // positions at which a cut goes through a tie
};

}  // namespace

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  resolve(ladder, catalog, true, run, problems);
  return problems;
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  Question question = resolve(ladder, catalog, true, run, problems);
  if (!problems.empty()) throw Error(std::move(problems));
  return Standings(Asking(ladder, question, run).answer());
}

const std::string& Standings::title() const { return data_->title; }
const std::string& Standings::question() const { return data_->question; }
const std::string& Standings::shown_of_total() const { return data_->shown_of_total; }
const std::vector<StandingColumn>& Standings::columns() const { return data_->columns; }
std::size_t Standings::rows() const { return data_->rows.size(); }
Value Standings::value(std::size_t row, std::size_t column) const {
  return data_->values[column]->value(data_->rows[row]);
}
bool Standings::tied(std::size_t row) const { return !data_->tied.empty() && data_->tied[data_->rows[row]] != 0; }
bool Standings::ranked(std::size_t row) const { return !data_->ranked.empty() && data_->ranked[data_->rows[row]] != 0; }
bool Standings::starts_group(std::size_t row) const { return data_->group_start[row] != 0; }
const std::vector<Remark>& Standings::remarks() const { return data_->remarks; }
const Accounting& Standings::accounting() const { return data_->accounting; }

}  // namespace lofty
