// The stages from entries to the listing, and what is said about them.
// Covered by tests/ladder/standings_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>
#include <functional>
#include <numeric>
#include <set>

#include "ladder/answer.hpp"
#include "ladder/prose.hpp"
#include "ladder/question.hpp"
#include "ladder/standings_data.hpp"
#include "ladder/totals.hpp"
#include "order/custom_order.hpp"
#include "order/sort.hpp"
#include "rank/exact_sum.hpp"
#include "rank/undecided.hpp"
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

// Of the time that a whole job from files takes, near enough.
constexpr double reading_share = 0.88;

class Asking {
 public:
  Asking(const Ladder& ladder, Question& question, const Run& run)
      : ladder_(ladder),
        q_(question),
        run_{.threads = run.threads, .stop = run.stop},
        rows_run_(part_of(run, reading_share, 0.98)),
        data_(std::make_shared<StandingsData>()) {}

  std::shared_ptr<const StandingsData> answer() {
    const JoinedRows rows(q_, run_);
    joined_ = &rows;
    try {
      entries_ = run_rows(q_, rows, rows_run_);
    } catch (const RowFailure& failure) {
      throw Error(row_problem(failure));
    }
    try {
      work_out_totals();
      drop();
      rank();
    } catch (const RowFailure& failure) {
      throw Error(entry_problem(failure));
    }
    account(rows);
    keep();
    list();
    remark(rows);
    if (order_) {
      data_->order = order_;
      data_->by = by_columns_.front();
      data_->by_name = q_.by.front().text;
      data_->descending = q_.by.front().descending;
      data_->ties = q_.level->ties;
      for (const std::size_t group : q_.within) data_->within.push_back(entries_.columns[group]);
    }
    data_->title = ladder_.title;
    data_->question = sentence();
    data_->shown_of_total = foot();
    joined_ = nullptr;
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
    const std::string place = joined_->place_of(failure.row);
    return located(
        failure,
        "in " + place + (place.find(" of ") == std::string::npos ? " of " + q_.tables.front().table.name() : ""));
  }

  Problem entry_problem(const RowFailure& failure) const {
    return located(failure, "for " + entry_name(static_cast<std::uint32_t>(failure.row)));
  }

  // ---- stages

  void work_out_totals() {
    for (const std::size_t total : q_.totals) {
      const ColumnSource source(entries_.count, entries_.columns);
      entries_.columns[total] = evaluate_column(*q_.entry_columns[total].node, source, q_.slots, run_);
    }
  }

  enum Truth : std::uint8_t { is_false, is_true, is_unknown };
  std::vector<std::uint8_t> truths(const Node& condition, const std::vector<ColumnPtr>& columns) const {
    const ColumnSource source(entries_.count, columns);
    const ColumnPtr values = evaluate_column(condition, source, q_.slots, run_);
    std::vector<std::uint8_t> out(entries_.count);
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = values->is_null(i) ? is_unknown : values->int64(i) == 1 ? is_true : is_false;
    return out;
  }

  // rank.having: what it does not let through is gone for all that follows.
  void drop() {
    entries_before_ = entries_.count;
    if (!q_.having) return;
    const std::vector<std::uint8_t> passes = truths(*q_.having, entries_.columns);
    std::vector<std::uint32_t> left;
    for (std::uint32_t i = 0; i < passes.size(); ++i) {
      if (passes[i] == is_true) left.push_back(i);
      data_->accounting.dropped += passes[i] == is_false;
      data_->accounting.dropped_unknown += passes[i] == is_unknown;
    }
    if (left.size() == entries_.count) return;
    const auto pick = [&](std::vector<std::uint32_t>& of) {
      for (std::size_t i = 0; i < left.size() && !of.empty(); ++i) of[i] = of[left[i]];  // left[i] is never before i
      if (!of.empty()) of.resize(left.size());
    };
    pick(entries_.first_rows);
    pick(entries_.row_counts);
    for (ColumnPtr& column : entries_.columns) {
      Piece piece(column->type());
      for (const std::uint32_t row : left) piece.add(column->value(row));
      std::vector<Piece> pieces;
      pieces.push_back(std::move(piece));
      column = Column::seal(column->type(), std::move(pieces), Run{.threads = 1});
    }
    entries_.count = left.size();
  }

  // The custom order of a column, if it has one.
  const Ordering* ordering_of(const std::string& column, std::size_t& index) const {
    for (index = 0; index < q_.orderings.size(); ++index)
      if (q_.orderings[index] == column) return &ladder_.orderings[index];
    return nullptr;
  }

  // The codes of one column, in the ladder's locale and the column's own order. Places of numbers have none.
  void encode_column(const Column& column, const std::string& name, bool descending, Nulls nulls, bool places,
                     KeyList& out) {
    ColumnKey key{&column, descending, {.nulls = nulls, .locale = ladder_.data.locale}};
    std::size_t index = 0;
    const Ordering* const ordering = ordering_of(name, index);
    if (ordering == nullptr || (places && column.type().numeric())) return encode(key, run_, out);
    const bool used_before = orderings_used_.contains(index);
    orderings_used_.insert(index);
    key.options.text = ordering->text;
    const CustomOrder listed{ordering->first, ordering->last, ordering->sequence};
    if (listed.first.empty() && listed.last.empty() && listed.sequence.empty()) return encode(key, run_, out);
    key.descending = false;
    CustomKey custom{{}, [&column](std::size_t row) { return column.value(row); }, &listed, descending, nulls};
    encode(key, run_, custom.usual);
    CustomReport report;
    encode_custom(std::move(custom), column.rows(), run_, out, &report);
    if (!used_before) reports_.emplace_back(name, std::move(report));
  }

  // Sort keys worked out over the entries, as codes, which refer to the columns that are kept beside them.
  KeyList codes_of(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                   std::vector<ColumnPtr>& kept, bool places = false) {
    KeyList codes;
    const ColumnSource source(entries_.count, columns);
    for (const SortKey& key : keys) {
      const bool named = key.node->op == Op::name;
      const auto index = static_cast<std::size_t>(named ? key.node->column : 0);
      kept.push_back(named ? columns[index] : evaluate_column(*key.node, source, q_.slots, run_));
      encode_column(*kept.back(),
                    named && index < q_.entry_columns.size() ? q_.entry_columns[index].name : std::string(),
                    key.descending, key.nulls, places, codes);
    }
    return codes;
  }

  KeyList codes_of(const std::vector<std::size_t>& indices) {
    KeyList codes;
    for (const std::size_t index : indices)
      encode_column(*entries_.columns[index], q_.entry_columns[index].name, false, Nulls::last, false, codes);
    return codes;
  }

  // The order of places by `by`: the level's keys, or those of a column of rank.also.
  Order order_by(const std::vector<SortKey>& by, std::vector<ColumnPtr>& by_columns) {
    SortKeys keys;
    std::vector<ColumnPtr> breakers;
    keys.within = codes_of(q_.within);
    KeyList codes = codes_of(by, entries_.columns, by_columns, true);
    if (eligible_.empty()) {
      encode_nulls(*by_columns.front(), keys.by);
    } else {
      std::vector<std::uint8_t> unranked(entries_.count);
      for (std::size_t i = 0; i < unranked.size(); ++i)
        unranked[i] = eligible_[i] != is_true || by_columns.front()->is_null(i);
      encode_flags(std::move(unranked), keys.by);
    }
    keys.flagged = !keys.by.empty();
    for (auto& one : codes) keys.by.push_back(std::move(one));
    // Behind the tie-breakers stands the entry's own key, which is unique: shuffled rows give the same standings.
    keys.tiebreak = codes_of(q_.tiebreak, entries_.columns, breakers);
    for (auto& one : codes_of(q_.row_level() ? std::vector<std::size_t>{} : q_.each))
      keys.tiebreak.push_back(std::move(one));
    return make_order(entries_.count, keys, run_);
  }

  void rank() {
    columns_ = entries_.columns;
    if (!q_.places) return;
    if (q_.eligible) eligible_ = truths(*q_.eligible, entries_.columns);
    order_.emplace(order_by(q_.by, by_columns_));
    competition_ = places(*order_, Ties::competition, run_);
    data_->ranked.assign(entries_.count, 0);
    const auto rows = order_->rows();
    for (std::size_t i = 0; i < rows.size(); ++i) data_->ranked[rows[i]] = order_->ranked(i);
    data_->tied = tied_in(*order_);
    add_place_column(*order_, q_.level->ties);
    for (std::size_t a = 0; a < q_.also.size(); ++a) add_also(q_.level->also[a], q_.also[a]);
  }

  // By entry: does it share its place?
  static std::vector<std::uint8_t> tied_in(const Order& order) {
    std::vector<std::uint8_t> tied(order.size(), 0);
    const auto rows = order.rows();
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const bool alone = order.starts_peers(i) && (i + 1 == rows.size() || order.starts_peers(i + 1));
      tied[rows[i]] = order.ranked(i) && !alone;
    }
    return tied;
  }

  void add_also(const Also& also, const AlsoUse& use) {
    also_tied_.emplace_back();
    switch (also.measure) {
      case Measure::place: {
        if (use.by.empty()) return add_place_column(*order_, also.ties);
        std::vector<ColumnPtr> by_columns;
        const Order own = order_by(use.by, by_columns);
        also_tied_.back() = tied_in(own);
        return add_place_column(own, also.ties);
      }
      case Measure::tiers:
        return add_numbers(by_input_row(*order_, tiers(*order_, static_cast<std::uint32_t>(also.count))));
      case Measure::percent_rank: return add_ratio(Ties::competition, 1);
      case Measure::cumulative_distribution: return add_ratio(Ties::modified, 0);
      default:
        return add_shares(*entries_.columns[static_cast<std::size_t>(use.of)], also.measure == Measure::running_share);
    }
  }

  void add_column(Piece piece) {
    const Type type = piece.type;
    std::vector<Piece> pieces;
    pieces.push_back(std::move(piece));
    columns_.push_back(Column::seal(type, std::move(pieces), Run{.threads = 1}));
  }

  void add_numbers(const std::vector<std::uint32_t>& numbers) {
    Piece piece(Type{.kind = Kind::integer});
    for (const std::uint32_t number : numbers) number == 0 ? piece.add_null() : piece.add_integer(number);
    add_column(std::move(piece));
  }

  void add_place_column(const Order& order, Ties ties) {
    if (ties != Ties::fractional) return add_numbers(places_by_row(order, ties, run_));
    Piece piece(Type{.kind = Kind::decimal, .scale = 1});
    for (const double place : fractional_places_by_row(order, run_))
      place == 0 ? piece.add_null() : piece.add_integer(static_cast<std::int64_t>(place * 10));
    add_column(std::move(piece));
  }

  // Calls work(begin, ranked end, end) for the positions of every group.
  template <class Work>
  void each_group(const Work& work) const {
    for (std::size_t begin = 0; begin < order_->size();) {
      std::size_t end = begin + 1, ranked = begin;
      while (end < order_->size() && !order_->starts_group(end)) ++end;
      while (ranked < end && order_->ranked(ranked)) ++ranked;
      work(begin, ranked, end);
      begin = end;
    }
  }

  // (place - less) / (ranked - less), with six decimals: a division of counts.
  void add_ratio(Ties ties, std::uint32_t less) {
    const std::vector<std::uint32_t> place = places(*order_, ties, run_);
    std::vector<std::int64_t> millionths(place.size(), int64_null);
    each_group([&](std::size_t begin, std::size_t ranked, std::size_t) {
      const auto whole = static_cast<std::int64_t>(ranked - begin) - less;
      for (std::size_t i = begin; i < ranked; ++i)
        millionths[i] =
            whole == 0
                ? 0
                : static_cast<std::int64_t>(divide_half_even(int128{place[i] - less} * 1'000'000, int128{whole}));
    });
    Piece piece(Type{.kind = Kind::decimal, .scale = 6});
    for (const std::int64_t one : by_input_row(*order_, millionths))
      one == int64_null ? piece.add_null() : piece.add_integer(one);
    add_column(std::move(piece));
  }

  // Of each entry, its value's part of the sum over its group, unranked entries included; or the sum up to its peers.
  void add_shares(const Column& of, bool running) {
    std::vector<Value> out(entries_.count);
    const auto rows = order_->rows();
    const bool exact = of.type().exact();
    const int scale = exact ? std::min(of.type().scale + 6, Decimal::max_digits) : 0;
    each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
      int128 whole = 0, so_far = 0;
      ExactSum whole_floats, floats_so_far;
      const auto add = [&](std::size_t i, int128& sum, ExactSum& floats) {
        if (of.is_null(rows[i])) return;
        if (!exact)
          floats.add(of.float64(rows[i]));
        else if (__builtin_add_overflow(sum, of.integer(rows[i]), &sum))
          throw Error(Problem{Code::overflow, "the sum behind a share has more than 38 digits", {}, {}, {}});
      };
      for (std::size_t i = begin; i < end; ++i) add(i, whole, whole_floats);
      const double divisor = whole_floats.value();
      if (exact ? whole == 0 : divisor == 0) return;  // no share of nothing
      const auto part = [&](int128 sum, double floats) -> Value {
        if (!exact) return floats / divisor;
        int128 quotient = 0;
        if (!divide_decimals(sum, of.type().scale, whole, of.type().scale, scale, quotient))
          throw Error(Problem{Code::overflow, "a share has more than 38 digits", {}, {}, {}});
        return Decimal(quotient, scale);
      };
      for (std::size_t i = begin; !running && i < end; ++i)
        if (!of.is_null(rows[i])) out[rows[i]] = part(exact ? of.integer(rows[i]) : 0, exact ? 0 : of.float64(rows[i]));
      for (std::size_t i = begin; running && i < ranked;) {
        std::size_t last = i;
        do add(last++, so_far, floats_so_far);
        while (last < ranked && !order_->starts_peers(last));
        const Value share = part(so_far, exact ? 0 : floats_so_far.value());
        for (; i < last; ++i) out[rows[i]] = share;
      }
    });
    Piece piece(exact ? Type{.kind = Kind::decimal, .scale = scale} : Type{.kind = Kind::floating});
    for (const Value& value : out) piece.add(value);
    add_column(std::move(piece));
  }

  void account(const JoinedRows& rows) {
    Accounting& a = data_->accounting;
    a.read = q_.tables.front().table.rows();
    for (std::size_t j = 0; j < q_.joins.size(); ++j) {
      const JoinedRows::Report& report = rows.reports()[j];
      const JoinKind kind = q_.joins[j].kind;
      a.joins.push_back({q_.tables[q_.joins[j].table].source->name(), report.unmatched, report.without_rows,
                         kind == JoinKind::inner || kind == JoinKind::right ? report.unmatched : 0,
                         kind == JoinKind::right || kind == JoinKind::full ? report.without_rows : 0, report.more});
    }
    a.left_out = entries_.left_out;
    a.unknown = entries_.unknown;
    a.counted = entries_.counted;
    a.entries = entries_before_;
    a.ineligible = static_cast<std::size_t>(std::count(eligible_.begin(), eligible_.end(), is_false));
    a.eligibility_unknown = static_cast<std::size_t>(std::count(eligible_.begin(), eligible_.end(), is_unknown));
    if (order_) {
      a.groups = order_->groups();
      a.ranked = static_cast<std::size_t>(std::count(data_->ranked.begin(), data_->ranked.end(), 1));
      a.unranked = entries_.count - a.ranked;
    }
  }

  // The entries to list, in the order of places.
  void keep() {
    if (q_.keep_where) {
      passes_ = truths(*q_.keep_where, columns_);
      for (std::uint8_t& one : passes_) one = one == is_true;
      data_->accounting.not_kept = static_cast<std::size_t>(std::count(passes_.begin(), passes_.end(), 0));
    }
    if (!order_) {
      for (std::uint32_t e = 0; e < entries_.count; ++e)
        if (passes(e)) data_->rows.push_back(e);
      return;
    }
    const auto rows = order_->rows();
    const std::optional<std::size_t> best = q_.level->best, worst = q_.level->worst;
    const bool strict = q_.level->cut == Cut::strict;
    const bool with_unranked = q_.level->unranked || (!best && !worst && !q_.keep_where);
    std::vector<std::size_t> in;  // positions of a group's ranked entries that keep.where lets through
    each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
      in.clear();
      for (std::size_t i = begin; i < ranked; ++i)
        if (passes(rows[i])) in.push_back(i);
      // Of these the first `front` are among the best, those from `back` on among the worst. A cut lies between two;
      // when they are peers it goes through a tie.
      const auto tied = [&](std::size_t cut) { return competition_[in[cut]] == competition_[in[cut - 1]]; };
      const std::size_t count = in.size();
      std::size_t front = best || !worst ? count : 0, back = count;
      if (best && *best < count) {
        front = *best;
        if (tied(front)) cuts_.push_back({in[front], in[front - 1], true});
        while (!strict && front < count && tied(front)) ++front;
      }
      if (worst) {
        back = count - std::min(count, *worst);
        if (back > 0 && back < count && tied(back)) cuts_.push_back({in[back], in[back - 1], false});
        while (!strict && back > 0 && back < count && tied(back)) --back;
      }
      for (std::size_t i = 0; i < count; ++i) {
        if (i >= front && i < back) continue;
        data_->rows.push_back(rows[in[i]]);
        data_->passed_over.push_back(i == back && front > 0 && back > front ? static_cast<std::uint32_t>(back - front)
                                                                            : 0);
      }
      for (std::size_t i = ranked; i < end && with_unranked; ++i) {
        if (!passes(rows[i])) continue;
        data_->rows.push_back(rows[i]);
        data_->passed_over.push_back(0);
      }
    });
  }
  bool passes(std::uint32_t entry) const { return passes_.empty() || passes_[entry] != 0; }

  void list() {
    if (q_.list_as_input || !q_.list_order.empty()) data_->passed_over.clear();
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
      if (index >= q_.entry_columns.size()) {
        const std::size_t place = index - q_.entry_columns.size();
        column.ties = place == 0 ? q_.level->ties : q_.level->also[place - 1].ties;
      }
      data_->tied_by.push_back(index > q_.entry_columns.size() ? also_tied_[index - q_.entry_columns.size() - 1]
                                                               : std::vector<std::uint8_t>{});
      mark_sort(column, listed.column);
      data_->columns.push_back(std::move(column));
      data_->values.push_back(values);
    }
    data_->accounting.listed = data_->rows.size();
    mark_groups();
  }

  Role role_of(std::size_t index) const {
    if (index > q_.entry_columns.size() &&
        q_.level->also[index - q_.entry_columns.size() - 1].measure != Measure::place)
      return Role::measure;
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
    if (q_.row_level()) return joined_->place_of(entries_.first_rows[entry]);
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
    if (q_.having) s += "; " + entry_nouns() + " take part where " + q_.level->having;
    if (q_.eligible) s += "; ranked are those with " + q_.level->eligible;
    if (q_.places) {
      s += "; " + std::string(ties_name(q_.level->ties)) + " places";
      if (!ladder_.levels.front().tiebreak.empty()) s += ", ties told apart by " + ladder_.levels.front().tiebreak;
      if (q_.keep_where) s += "; kept where " + q_.level->where;
      if (q_.level->best || q_.level->worst)
        s += (q_.keep_where ? ", of these " : "; ") + kept_words() + (q_.within.empty() ? "" : " of each") +
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
    for (std::size_t p = 0; p < q_.periods.size(); ++p) s += " " + period_sentence(p);
    for (const auto& overall : q_.overalls)
      if (overall->written) s += " " + capitalized(overall->text) + " is " + shown(overall->value) + ".";
    return s;
  }

  // A constant that is a day; none where the period is open, or over no rows.
  std::optional<std::int64_t> day_of(const NodePtr& node) const {
    if (!node) return std::nullopt;
    const ColumnSource nothing(1, {});
    const ColumnPtr value = evaluate_column(*node, nothing, q_.slots, run_);
    if (value->is_null(0)) return std::nullopt;
    const std::int64_t at = value->int64(0);
    return node->type.kind == Kind::date ? at
                                         : at / 86'400'000'000 - (at % 86'400'000'000 < 0 ? 1 : 0);  // towards the past
  }
  static std::string day_text(std::int64_t day) { return Date{static_cast<std::int32_t>(day)}.text(); }

  // "`recent` is 2025-03-02 to 2025-03-31: 480 lines, on 29 of 30 days."
  std::string period_sentence(std::size_t p) const {
    const PeriodUse& period = q_.periods[p];
    const Entries::Caught& caught = entries_.caught[p];
    const auto first = day_of(period.first), last = day_of(period.last);
    std::string s = quoted(period.name) + " is ";
    if (first && last)
      s += *first == *last ? day_text(*last) : day_text(*first) + " to " + day_text(*last);
    else if (first || last)
      s += first ? "from " + day_text(*first) + " on" : "up to " + day_text(*last);
    else
      return s + "empty: no " + row_noun() + " has a date.";
    s += ": " + counted(caught.rows, row_noun());
    if (caught.rows == 0) return s + ".";
    const std::string days = with_commas(caught.days.size());
    if (first && last)
      s += ", on " +
           (days + " of " + counted(static_cast<std::size_t>(std::max<std::int64_t>(*last - *first + 1, 0)), "day"));
    else
      s += ", on " + counted(caught.days.size(), "day");
    const bool narrower = (first && *caught.days.begin() > *first) || (last && *caught.days.rbegin() < *last);
    if (narrower || !first || !last)
      s += ", the first " + day_text(*caught.days.begin()) + " and the last " + day_text(*caught.days.rbegin());
    return s + ".";
  }

  void remark_periods() {
    for (std::size_t p = 0; p < q_.periods.size(); ++p) {
      const PeriodUse& period = q_.periods[p];
      const Entries::Caught& caught = entries_.caught[p];
      const auto first = day_of(period.first), last = day_of(period.last);
      if (caught.rows == 0) {
        say("period-empty", "no " + row_noun() + " that counts lies in " + quoted(period.name) +
                                (first && last ? ", " + day_text(*first) + " to " + day_text(*last) : ""));
        continue;
      }
      if (!first || !last) continue;
      std::vector<std::string> missing;
      std::size_t count = 0;
      for (std::int64_t day = *first; day <= *last; ++day) {
        if (caught.days.contains(day)) continue;
        ++count;
        if (missing.size() < 3) missing.push_back(day_text(day));
      }
      if (count == 0) continue;
      if (count > missing.size()) missing.push_back(counted(count - missing.size(), "other"));
      say("days-missing", counted(count, "day") + " of " + quoted(period.name) + " " + (count == 1 ? "has" : "have") +
                              " no " + plural(row_noun()) + ": " + listed(missing));
    }
  }

  // "the best 3", "the worst 3", "the best 3 and the worst 5"
  std::string kept_words() const {
    std::string words;
    if (q_.level->best) words = "the best " + with_commas(*q_.level->best);
    if (q_.level->worst) words += (words.empty() ? "the worst " : " and the worst ") + with_commas(*q_.level->worst);
    return words;
  }

  std::string foot() const {
    const Accounting& a = data_->accounting;
    std::string s = a.listed == a.entries ? counted_entries(a.entries)
                                          : with_commas(a.listed) + " of " + counted_entries(a.entries);
    const bool repeated = std::any_of(a.joins.begin(), a.joins.end(), [](const auto& join) { return join.more > 0; });
    if (!q_.row_level()) s += ", " + counted(a.counted, repeated ? "joined row" : row_noun());
    return s;
  }

  // ---- remarks

  void say(std::string code, std::string text) { data_->remarks.push_back({std::move(code), std::move(text)}); }

  void remark(const JoinedRows& rows) {
    for (const TableUse& use : q_.tables)
      for (const Remark& doubt : use.table.doubts()) data_->remarks.push_back(doubt);
    remark_joins(rows);
    if (entries_.unknown > 0) {
      say("unknown-condition",
          "for " + counted(entries_.unknown, row_noun()) + " the condition " + quoted(ladder_.where) +
              " is neither true nor false, because of a blank: " + (entries_.unknown == 1 ? "it does" : "they do") +
              " not count" + " (the first is " + joined_->place_of(entries_.unknown_example) + ")");
    }
    remark_periods();
    remark_blanks();
    remark_blank_groups();
    if (q_.places) {
      remark_unranked();
      remark_cuts();
      if (q_.row_level() && order_->undecided() > 0) remark_undecided();
    }
    remark_orderings();
    if (entries_.count == 0)
      say("nothing-counts", entries_.read == 0 ? "the table has no rows"
                                               : "no " + row_noun() + " counts: the condition holds for none of " +
                                                     with_commas(entries_.read));
  }

  // Entries that only their input order tells apart, and a column that would.
  void remark_undecided() {
    std::vector<std::function<void(KeyList&)>> candidates;
    std::vector<std::string> names;
    for (std::size_t c = 0; c < entries_.columns.size(); ++c) {
      const bool key = std::any_of(q_.by.begin(), q_.by.end(), [&](const SortKey& k) {
        return k.node->op == Op::name && k.node->column == static_cast<int>(c);
      });
      if (key || !entries_.columns[c]) continue;
      names.push_back(q_.entry_columns[c].name);
      candidates.push_back([this, c](KeyList& out) {
        encode(ColumnKey{entries_.columns[c].get(), false, {}}, run_, out);
      });
    }
    const Undecided found = find_undecided(*order_, candidates);
    std::string text = counted(found.rows, row_noun()) + " are equal to another on every key (" +
                       entry_name(found.example->first) + " and " + entry_name(found.example->second) +
                       " for two); their input order decides";
    if (found.would_decide)
      text += "; " + quoted(names[*found.would_decide]) + " as a tie-breaker would tell them apart";
    if (found.would_help)
      text += "; " + quoted(names[*found.would_help]) + " as a tie-breaker would leave " + with_commas(found.left);
    say("input-decides", std::move(text));
  }

  // What custom orders list in vain, and what they forget.
  void remark_orderings() {
    const auto names = [](const std::vector<Value>& values) {
      std::vector<std::string> some;
      for (const Value& value : values) {
        if (some.size() == 3) break;
        some.push_back(quoted(to_text(value)));
      }
      if (values.size() > some.size()) some.push_back(counted(values.size() - some.size(), "other"));
      return lofty::engine::listed(some);
    };
    for (const auto& [column, report] : reports_) {
      if (!report.absent.empty())
        say("listed-value-absent", "orderings." + column + " lists " + names(report.absent) + ", which " +
                                       (report.absent.size() == 1 ? "does" : "do") + " not occur");
      if (!report.forgotten.empty())
        say("sequence-forgot", "the sequence of " + quoted(column) + " does not name " + names(report.forgotten) +
                                   "; " + (report.forgotten.size() == 1 ? "it comes" : "they come") + " behind it");
    }
    for (std::size_t o = 0; o < ladder_.orderings.size(); ++o)
      if (!orderings_used_.contains(o))
        say("unused-ordering", "orderings." + ladder_.orderings[o].column + " changes nothing: nothing is sorted by " +
                                   quoted(ladder_.orderings[o].column));
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
                                  ": " + keys + examples(report.unmatched_examples, report.unmatched_examples.size()) +
                                  (data_->accounting.joins[j].left_out == 0 ? ""
                                   : report.unmatched == 1                  ? "; it is left out"
                                                                            : "; they are left out"));
      if (report.without_rows > 0)
        say("entries-without-rows", counted(report.without_rows, noun_of_table(other.alias)) + " of " +
                                        other.source->name() + " " + (report.without_rows == 1 ? "has" : "have") +
                                        " no " + plural(row_noun()) + ": " + keys +
                                        examples(report.without_examples, report.without_rows) +
                                        (data_->accounting.joins[j].added == 0 ? ""
                                         : report.without_rows == 1            ? "; it stands as a row of its own"
                                                                               : "; each stands as a row of its own"));
      if (report.several > 0)
        say("rows-multiplied", counted(report.several, row_noun()) + " found several partners in " +
                                   other.source->name() + ", and " + (report.several == 1 ? "counts" : "count") +
                                   " with each: there are " + counted(report.more, row_noun()) + " more");
    }
  }

  // Sums and means over lines without a value: they add nothing, which may not be what was meant.
  void remark_blanks() {
    // Of several totals over one argument, filtered or not, the one that meets most of them speaks for all.
    const auto concerned = [&](std::size_t a) {
      const AggregateKind kind = q_.aggregates[a]->kind;
      return entries_.blanks[a].rows > 0 && (kind == AggregateKind::sum || kind == AggregateKind::average);
    };
    const auto same_argument = [&](std::size_t a, std::size_t b) {
      const Node &x = *q_.aggregates[a]->argument, &y = *q_.aggregates[b]->argument;
      return x.origin == y.origin && x.begin == y.begin;
    };
    for (std::size_t a = 0; a < q_.aggregates.size(); ++a) {
      const Aggregate& aggregate = *q_.aggregates[a];
      if (!concerned(a)) continue;
      bool another_speaks = false;
      for (std::size_t b = 0; b < q_.aggregates.size(); ++b) {
        if (b == a || !concerned(b) || !same_argument(a, b)) continue;
        const std::size_t mine = entries_.blanks[a].rows, its = entries_.blanks[b].rows;
        another_speaks = another_speaks || its > mine || (its == mine && b < a);
      }
      if (another_speaks) continue;
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
    const auto rows = order_->rows();
    const auto unranked = [&](const char* code, const auto& is_one, const std::string& because,
                              const std::string& advice) {
      std::size_t count = 0;
      std::vector<std::string> names;
      for (std::size_t i = 0; i < rows.size(); ++i) {
        if (order_->ranked(i) || !is_one(rows[i])) continue;
        ++count;
        if (names.size() < 3) names.push_back(entry_name(rows[i]));
      }
      if (count == 0) return;
      if (count > names.size()) names.push_back(counted(count - names.size(), "other"));
      say(code, counted_entries(count) + (count == 1 ? " has" : " have") + " no place, because " + because + ": " +
                    listed(names) + (advice.empty() ? "" : advice + (count == 1 ? "it" : "them")));
    };
    const auto truth = [&](std::uint32_t entry) {
      return eligible_.empty() ? std::uint8_t{is_true} : eligible_[entry];
    };
    unranked(
        "unranked", [&](std::uint32_t e) { return truth(e) == is_true; }, quoted(q_.by.front().text) + " is null",
        q_.row_level() ? "" : "; coalesce(..., 0) in the total would rank ");
    if (eligible_.empty()) return;
    unranked(
        "ineligible", [&](std::uint32_t e) { return truth(e) == is_false; }, quoted(q_.level->eligible) + " is false",
        "");
    unranked(
        "eligibility-unknown", [&](std::uint32_t e) { return truth(e) == is_unknown; },
        quoted(q_.level->eligible) + " is neither true nor false, because of a blank", "");
  }

  void remark_cuts() {
    for (const auto& [at, before, best] : cuts_) {
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
        std::size_t more = 0;
        for (std::size_t i = from; i < to; ++i) {
          if (!passes(rows[i])) continue;
          if (names.size() < 4)
            names.push_back(entry_name(rows[i]));
          else
            ++more;
        }
        if (more > 0) names.push_back(counted(more, "other"));
        return listed(names);
      };
      std::size_t sharing = 0;
      for (std::size_t i = begin; i < end; ++i) sharing += passes(rows[i]);
      const std::string tie = counted_entries(sharing) + " share place " + with_commas(competition_[begin]) + group +
                              " (" + quoted(q_.by.front().text) + " " + value + ")";
      const std::string asked = std::string("; the ") + (best ? "best " : "worst ") +
                                with_commas(best ? *q_.level->best : *q_.level->worst) + " were asked for";
      if (q_.level->cut == Cut::with_ties)
        say("tie-at-cut", tie + asked + ", and all that tie are listed: " + name(begin, end));
      else
        say("tie-at-cut", tie + asked + ", strictly: " + (best ? name(at, end) : name(begin, at)) + " left out, " +
                              (best ? name(begin, at) : name(at, end)) + " kept, decided by " + decider(before, at));
    }
  }

  // The key that told the last kept entry from the first one left out.
  std::string decider(std::size_t before, std::size_t at) const {
    const std::uint32_t last = order_->rows()[before], next = order_->rows()[at];
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
  const Run run_, rows_run_;  // the rows' one tells how far they are; what comes after takes little
  std::shared_ptr<StandingsData> data_;
  const JoinedRows* joined_ = nullptr;  // while answer() runs
  Entries entries_;
  std::vector<ColumnPtr> columns_;  // entries' columns, then places
  std::vector<ColumnPtr> by_columns_;
  std::optional<Order> order_;
  std::vector<std::uint32_t> competition_;  // by position
  struct TiedCut {
    std::size_t at, before;  // the positions behind the cut, and in front of it
    bool best;               // of the best, or of the worst
  };
  std::vector<TiedCut> cuts_;
  std::size_t entries_before_ = 0;                    // rank.having
  std::vector<std::uint8_t> eligible_;                // by entry: a Truth; empty: all are
  std::vector<std::uint8_t> passes_;                  // by entry: keep.where is true; empty: all do
  std::vector<std::vector<std::uint8_t>> also_tied_;  // by column of rank.also: of its own order, if it has one
  std::set<std::size_t> orderings_used_;
  std::vector<std::pair<std::string, CustomReport>> reports_;  // by column, of its own order
};

}  // namespace

Standings engine::answer(const Ladder& ladder, Question& question, const Run& run) {
  Standings answer(Asking(ladder, question, run).answer());
  if (run.progress) run.progress(1);
  return answer;
}

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  resolve(ladder, catalog, true, run, problems);
  return problems;
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  Question question = resolve(ladder, catalog, true, part_of(run, 0, reading_share), problems);
  if (!problems.empty()) throw Error(std::move(problems));
  return engine::answer(ladder, question, run);
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
bool Standings::tied(std::size_t row, std::size_t column) const {
  if (data_->columns[column].role != Role::place) return false;
  const auto& own = data_->tied_by[column];
  return own.empty() ? tied(row) : own[data_->rows[row]] != 0;
}
bool Standings::ranked(std::size_t row) const { return !data_->ranked.empty() && data_->ranked[data_->rows[row]] != 0; }
std::size_t Standings::passed_over(std::size_t row) const {
  return data_->passed_over.empty() ? 0 : data_->passed_over[row];
}
bool Standings::starts_group(std::size_t row) const { return data_->group_start[row] != 0; }
std::vector<WouldStand> Standings::where_would(const std::string& name, const Value& value) const {
  const auto fail = [&](Code code, std::string sentence, std::string advice) {
    return Error(Problem{code, std::move(sentence), {}, {}, std::move(advice)});
  };
  if (!data_->order) throw fail(Code::bad_value, "nothing is ranked here, so nothing has a place", "--by 'spend desc'");
  if (name != data_->by_name)
    throw fail(Code::unknown_word, "places go by " + quoted(data_->by_name) + ", not by " + quoted(name),
               data_->by_name + " = ...");
  const Column& by = *data_->by;
  // Texts are ordered by a language's rules, which single values do not know.
  if (by.type().kind == Kind::text || !holds(by.type(), value))
    throw fail(Code::wrong_type,
               quoted(to_text(value)) + " cannot stand among values of " + quoted(name) + ", which is " +
                   kind_name(by.type().kind),
               {});
  std::vector<WouldStand> out;
  const Order& order = *data_->order;
  const auto rows = order.rows();
  for (std::size_t begin = 0; begin < order.size() || (begin == 0 && order.size() == 0 && out.empty());) {
    std::size_t end = std::min(begin + 1, order.size());
    while (end < order.size() && !order.starts_group(end)) ++end;
    WouldStand one;
    for (const ColumnPtr& group : data_->within) one.group.push_back(group->value(rows[begin]));
    for (std::size_t i = begin; i < end && order.ranked(i); ++i) {
      const Value here = by.value(rows[i]);
      ++one.standing.ranked;
      if (here == value) {
        ++one.standing.equal;
      } else if ((here < value) != data_->descending) {
        ++one.standing.better;
        one.standing.better_values += i == begin || by.value(rows[i - 1]) != here;
        one.ahead = here;
      } else if (!one.behind) {
        one.behind = here;
      }
    }
    out.push_back(std::move(one));
    if (order.size() == 0) break;
    begin = end;
  }
  return out;
}

Ties Standings::ties() const { return data_->ties; }
const std::vector<Remark>& Standings::remarks() const { return data_->remarks; }
const Accounting& Standings::accounting() const { return data_->accounting; }

}  // namespace lofty
