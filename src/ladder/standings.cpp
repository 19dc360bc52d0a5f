// The stages from entries to the listing, and what is said about them.
// Covered by tests/ladder/standings_test.cpp.
#include "lofty/standings.hpp"

#include <algorithm>
#include <functional>
#include <map>
#include <numeric>
#include <random>
#include <set>

#include "ladder/across.hpp"
#include "ladder/answer.hpp"
#include "ladder/asked.hpp"
#include "ladder/cost.hpp"
#include "ladder/doubtful.hpp"
#include "ladder/prose.hpp"
#include "ladder/read_once.hpp"
#include "ladder/remarks.hpp"
#include "ladder/sort_codes.hpp"
#include "ladder/window_remarks.hpp"
#include "ladder/windows.hpp"
#include "ladder/words.hpp"
#include "order/custom_order.hpp"
#include "order/sort.hpp"
#include "rank/exact_sum.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/table_data.hpp"

namespace lofty {

using namespace engine;

namespace {

// Of the time that a whole job from files takes, near enough.
constexpr double reading_share = 0.88;

class Asking {
 public:
  Asking(const Ladder& ladder, Question& question, std::size_t level, const StandingsData* outer,
         const Earlier* earlier, const Run& run)
      : a_(ladder, question, {.threads = run.threads, .stop = run.stop}),
        words_(a_),
        rows_run_(part_of(run, reading_share, 0.98)) {
    a_.level = level;
    a_.outer = outer;
    a_.earlier = earlier;
  }

  std::shared_ptr<StandingsData> answer() {
    Stopwatch watch;
    JoinedRows rows(a_.question, a_.run);
    a_.joined = &rows;
    try {
      a_.entries = run_rows(a_.question, rows, a_.ladder, rows_run_);
    } catch (const RowFailure& failure) {
      throw Error(row_problem(failure));
    }
    for (std::size_t j = 0; j < rows.reports().size(); ++j) took("join", j, rows.reports()[j].seconds);
    took("count", 0, a_.entries.count_seconds);
    took("total", 0, a_.entries.total_seconds);
    took(a_.entries.window_times, 0);
    watch.lap();
    try {
      if (a_.outer != nullptr) drop_outside();  // first: their totals may be impossible, and nobody asks for them
      work_out_totals();
      drop();
      a_.data->times[time_name("total", a_.level, 0)] += watch.lap();
      if (places_come_first(a_.question)) a_.order.emplace(order_by(a_.question.by, a_.by_columns));
      const Order* const in_places = a_.order ? &*a_.order : nullptr;
      const double places_seconds = watch.lap();
      WindowTimes times;
      work_out_entry_windows(a_.question, a_.entries.count, a_.entries.columns, false, a_.ladder, a_.run,
                             a_.window_notes, times, in_places);
      took(times, 100);
      watch.lap();
      rank();
      took("rank", 0, places_seconds + watch.lap());
      times = {};
      work_out_entry_windows(a_.question, a_.entries.count, a_.columns, true, a_.ladder, a_.run, a_.window_notes, times,
                             in_places);
      took(times, 200);
      watch.lap();
    } catch (const RowFailure& failure) {
      throw Error(entry_problem(failure));
    }
    account(rows);
    if (a_.question.mark) {
      a_.data->marked = truths(*a_.question.mark, a_.columns);
      for (std::uint8_t& one : a_.data->marked) one = one == is_true;
      a_.data->first_rows = a_.entries.first_rows;
    }
    keep();
    list();
    took("list", 0, watch.lap());
    if (a_.entries.regroup) summarize();
    if (a_.earlier != nullptr) find_departed();
    a_.data->label = words_.label();
    add_remarks(a_, a_.data->remarks);
    add_window_remarks(a_, a_.data->remarks);
    if (a_.entries.count > 0) add_doubtful(a_, a_.data->remarks);
    if (a_.order) {
      a_.data->order = a_.order;
      a_.data->by = a_.by_columns.front();
      a_.data->by_name = a_.question.by.front().text;
      a_.data->descending = a_.question.by.front().descending;
      a_.data->ties = a_.question.level->ties;
      for (const std::size_t group : a_.question.within) a_.data->within.push_back(a_.entries.columns[group]);
    }
    for (const auto* part : {&a_.question.within, &a_.question.each})
      for (const std::size_t key : *part) {
        a_.data->key_names.push_back(a_.question.entry_columns[key].name);
        a_.data->keys.push_back(a_.entries.columns[key]);
      }
    a_.data->title = filled_in(a_.ladder.title, a_.ladder.choices);
    a_.data->question = words_.sentence();
    a_.data->shown_of_total = words_.foot();
    took("remark", 0, watch.lap());
    a_.joined = nullptr;
    return a_.data;
  }

 private:
  void took(const char* step, std::size_t number, double seconds) {
    a_.data->times[time_name(step, a_.level, number)] = seconds;
  }
  void took(const WindowTimes& times, std::size_t first) {
    for (std::size_t s = 0; s < times.sorts.size(); ++s) took("sort", first + s, times.sorts[s]);
    for (std::size_t i = 0; i < times.items.size(); ++i) took("window", first + i, times.items[i]);
  }

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
    const std::string place = a_.joined->place_of(failure.row);
    return located(
        failure, "in " + place +
                     (place.find(" of ") == std::string::npos ? " of " + a_.question.tables.front().table.name() : ""));
  }

  Problem entry_problem(const RowFailure& failure) const {
    return located(failure, "for " + words_.entry_name(static_cast<std::uint32_t>(failure.row)));
  }

  // ---- stages

  void work_out_totals() {
    for (const std::size_t total : a_.question.totals) {
      const ColumnSource source(a_.entries.count, a_.entries.columns);
      a_.entries.columns[total] =
          evaluate_column(*a_.question.entry_columns[total].node, source, a_.question.slots, a_.run);
    }
  }

  std::vector<std::uint8_t> truths(const Node& condition, const std::vector<ColumnPtr>& columns) const {
    const ColumnSource source(a_.entries.count, columns);
    const ColumnPtr values = evaluate_column(condition, source, a_.question.slots, a_.run);
    std::vector<std::uint8_t> out(a_.entries.count);
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = values->is_null(i) ? is_unknown : values->int64(i) == 1 ? is_true : is_false;
    return out;
  }

  // Entries that belong to none that the level outside lists.
  void drop_outside() {
    std::set<EntryKey> inside;
    for (const std::uint32_t entry : a_.outer->rows) inside.insert(key_at(a_.outer->keys, entry));
    std::vector<ColumnPtr> keys;
    for (const std::string& name : a_.outer->key_names)
      for (const std::size_t g : a_.question.within)
        if (a_.question.entry_columns[g].name == name) keys.push_back(a_.entries.columns[g]);
    std::vector<std::uint32_t> left;
    for (std::uint32_t e = 0; e < a_.entries.count; ++e)
      if (inside.contains(key_at(keys, e))) left.push_back(e);
    pick(left);
  }

  // rank.having: what it does not let through is gone for all that follows.
  void drop() {
    a_.entries_before = a_.entries.count;
    if (!a_.question.having) return;
    const std::vector<std::uint8_t> passes = truths(*a_.question.having, a_.entries.columns);
    std::vector<std::uint32_t> left;
    for (std::uint32_t i = 0; i < passes.size(); ++i) {
      if (passes[i] == is_true) left.push_back(i);
      a_.data->accounting.dropped += passes[i] == is_false;
      a_.data->accounting.dropped_unknown += passes[i] == is_unknown;
    }
    pick(left);
  }

  // Leaves these entries, which are ascending.
  void pick(const std::vector<std::uint32_t>& left) {
    if (left.size() == a_.entries.count) return;
    if (a_.entries.numbered_as.empty()) {
      a_.entries.numbered_as.resize(a_.entries.count);
      std::iota(a_.entries.numbered_as.begin(), a_.entries.numbered_as.end(), 0u);
      a_.numbered = a_.entries.count;
    }
    const auto pick_from = [&](auto& of) {
      for (std::size_t i = 0; i < left.size() && !of.empty(); ++i) of[i] = of[left[i]];  // left[i] is never before i
      if (!of.empty()) of.resize(left.size());
    };
    pick_from(a_.entries.first_rows);
    pick_from(a_.entries.row_counts);
    pick_from(a_.entries.numbered_as);
    for (Entries::Mean& mean : a_.entries.means) {
      pick_from(mean.sums);
      pick_from(mean.counts);
    }
    for (ColumnPtr& column : a_.entries.columns) {
      if (!column) continue;  // a total that is yet to be worked out
      Piece piece(column->type());
      for (const std::uint32_t row : left) piece.add(column->value(row));
      column = Column::seal(std::move(piece));
    }
    a_.entries.count = left.size();
  }

  // The codes of one column, in the ladder's locale and the column's own order, of which it is remembered what to say.
  void encode_column(const Column& column, const std::string& name, bool descending, Nulls nulls, bool places,
                     KeyList& out) {
    const std::size_t index = ordering_of(a_.question, name);
    CustomReport report;
    const bool listed =
        encode_sort_key(a_.ladder, a_.question, column, name, descending, nulls, places, a_.run, out, &report);
    if (index == no_ordering || (places && column.type().numeric())) return;
    const bool used_before = !a_.orderings_used.insert(index).second;
    if (listed && !used_before) a_.reports.emplace_back(name, std::move(report));
  }

  // Sort keys worked out over the entries, as codes, which refer to the columns that are kept beside them.
  KeyList codes_of(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns,
                   std::vector<ColumnPtr>& kept, bool places = false) {
    KeyList codes;
    const ColumnSource source(a_.entries.count, columns);
    for (const SortKey& key : keys) {
      const bool named = key.node->op == Op::name;
      const auto index = static_cast<std::size_t>(named ? key.node->column : 0);
      kept.push_back(named ? columns[index] : evaluate_column(*key.node, source, a_.question.slots, a_.run));
      encode_column(
          *kept.back(),
          named && index < a_.question.entry_columns.size() ? a_.question.entry_columns[index].name : std::string(),
          key.descending, key.nulls, places, codes);
    }
    return codes;
  }

  KeyList codes_of(const std::vector<std::size_t>& indices) {
    KeyList codes;
    for (const std::size_t index : indices)
      encode_column(*a_.entries.columns[index], a_.question.entry_columns[index].name, false, Nulls::last, false,
                    codes);
    return codes;
  }

  // The order of places by `by`: the level's keys, or those of a column of rank.also.
  Order order_by(const std::vector<SortKey>& by, std::vector<ColumnPtr>& by_columns) {
    SortKeys keys;
    std::vector<ColumnPtr> breakers;
    keys.within = codes_of(a_.question.within);
    KeyList codes = codes_of(by, a_.entries.columns, by_columns, true);
    if (a_.eligible.empty()) {
      encode_nulls(*by_columns.front(), keys.by);
    } else {
      std::vector<std::uint8_t> unranked(a_.entries.count);
      for (std::size_t i = 0; i < unranked.size(); ++i)
        unranked[i] = a_.eligible[i] != is_true || by_columns.front()->is_null(i);
      encode_flags(std::move(unranked), keys.by);
    }
    keys.flagged = !keys.by.empty();
    for (auto& one : codes) keys.by.push_back(std::move(one));
    // Behind the tie-breakers stands the entry's own key, which is unique: shuffled rows give the same standings.
    keys.tiebreak = codes_of(a_.question.tiebreak, a_.entries.columns, breakers);
    for (auto& one : codes_of(a_.question.row_level() ? std::vector<std::size_t>{} : a_.question.each))
      keys.tiebreak.push_back(std::move(one));
    return make_order(a_.entries.count, keys, a_.run);
  }

  void rank() {
    a_.columns = a_.entries.columns;
    if (!a_.question.places) return;
    if (a_.question.eligible) a_.eligible = truths(*a_.question.eligible, a_.entries.columns);
    if (!a_.order) a_.order.emplace(order_by(a_.question.by, a_.by_columns));
    a_.competition = places(*a_.order, Ties::competition, a_.run);
    a_.data->ranked.assign(a_.entries.count, 0);
    const auto rows = a_.order->rows();
    for (std::size_t i = 0; i < rows.size(); ++i) a_.data->ranked[rows[i]] = a_.order->ranked(i);
    a_.data->tied = tied_in(*a_.order);
    add_place_column(*a_.order, a_.question.level->ties);
    a_.data->place = a_.columns.back();
    a_.data->place_name = a_.question.place_names.front();
    for (std::size_t a = 0; a < a_.question.also.size(); ++a) add_also(a_.question.level->also[a], a_.question.also[a]);
    if (a_.earlier != nullptr) compare();
  }

  // `was` and `moved`: the entries' former places, and how many they have gone up since.
  void compare() {
    const std::size_t place = a_.question.entry_columns.size();
    const Type type = a_.columns[place]->type();
    std::vector<ColumnPtr> keys;
    for (const std::string& name : a_.earlier->key_names)
      for (std::size_t c = 0; c < a_.question.entry_columns.size(); ++c)
        if (a_.question.entry_columns[c].name == name && a_.question.entry_columns[c].from == EntryColumn::From::key)
          keys.push_back(a_.entries.columns[c]);
    Piece was(type), moved(type);
    for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
      EntryKey key = key_at(keys, e);
      const auto found = a_.earlier->stood.find(key);
      const Value now = a_.columns[place]->value(e);
      if (found == a_.earlier->stood.end() || is_null(found->second.place)) {
        was.add_null();
        moved.add_null();
      } else {
        const Decimal& stood = std::get<Decimal>(found->second.place);
        const auto before = stood.rescaled(type.scale);
        if (!before || *before != stood)
          throw Error(Problem{Code::wrong_type,
                              "the former place " + to_text(found->second.place) + " is none under the rule " +
                                  quoted(ties_name(a_.question.level->ties)),
                              {},
                              {},
                              "compare places under one rule"});
        was.add(Value(*before));
        if (is_null(now))
          moved.add_null();
        else
          moved.add(Value(Decimal(before->coefficient() - std::get<Decimal>(now).coefficient(), type.scale)));
      }
      entry_of_[std::move(key)] = e;
    }
    add_column(std::move(was));
    add_column(std::move(moved));
  }

  // Who was listed then and is not now.
  void find_departed() {
    const ColumnPtr& place = a_.columns[a_.question.entry_columns.size()];
    std::vector<std::uint8_t> listed(a_.entries.count, 0);
    for (const std::uint32_t entry : a_.data->rows) listed[entry] = 1;
    std::set<EntryKey> outside;  // of nested levels: the entries outside that are listed now
    if (a_.outer != nullptr)
      for (const std::uint32_t entry : a_.outer->rows) outside.insert(key_at(a_.outer->keys, entry));
    for (const auto& [key, stood] : a_.earlier->stood) {
      if (!stood.listed || is_null(stood.place)) continue;
      if (a_.outer != nullptr && !outside.contains(outer_part(key))) continue;  // it went with the entry that held it
      const auto found = entry_of_.find(key);
      if (found != entry_of_.end() && listed[found->second]) continue;
      std::string name = quoted(stood.name);
      if (stood.name.empty()) name = own_key_text(key);
      if (found != entry_of_.end()) name = words_.entry_name(found->second);
      if (a_.outer != nullptr) name += " of " + key_text(a_.outer->key_names, outer_part(key));
      a_.data->departed.push_back(
          {std::move(name), stood.place, found == entry_of_.end() ? Value{} : place->value(found->second)});
    }
    std::stable_sort(a_.data->departed.begin(), a_.data->departed.end(),
                     [](const Departed& a, const Departed& b) { return a.was < b.was; });
  }

  // Of a former entry's key, the values that name the entry outside that held it.
  EntryKey outer_part(const EntryKey& key) const {
    EntryKey out;
    for (const std::string& name : a_.outer->key_names)
      for (std::size_t k = 0; k < key.size(); ++k)
        if (a_.earlier->key_names[k] == name) out.push_back(key[k]);
    return out;
  }

  // A former entry by the keys that are its own level's.
  std::string own_key_text(const EntryKey& key) const {
    std::vector<std::string> names;
    EntryKey own;
    for (std::size_t k = 0; k < key.size(); ++k) {
      const std::string& name = a_.earlier->key_names[k];
      if (a_.outer != nullptr &&
          std::find(a_.outer->key_names.begin(), a_.outer->key_names.end(), name) != a_.outer->key_names.end())
        continue;
      names.push_back(name);
      own.push_back(key[k]);
    }
    return key_text(names, own);
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
    a_.also_tied.emplace_back();
    switch (also.measure) {
      case Measure::place: {
        if (use.by.empty()) return add_place_column(*a_.order, also.ties);
        std::vector<ColumnPtr> by_columns;
        const Order own = order_by(use.by, by_columns);
        a_.also_tied.back() = tied_in(own);
        return add_place_column(own, also.ties);
      }
      case Measure::tiers: {
        const std::vector<std::uint32_t> tier = tiers(*a_.order, static_cast<std::uint32_t>(also.count));
        a_.split_tiers.emplace_back(also.name, split_tiers(a_.order->data(), tier));
        return add_numbers(by_input_row(*a_.order, tier));
      }
      case Measure::percent_rank: return add_ratio(Ties::competition, 1);
      case Measure::cumulative_distribution: return add_ratio(Ties::modified, 0);
      default:
        return add_shares(*a_.entries.columns[static_cast<std::size_t>(use.of)],
                          also.measure == Measure::running_share);
    }
  }

  void add_column(Piece piece) { a_.columns.push_back(Column::seal(std::move(piece))); }

  void add_numbers(const std::vector<std::uint32_t>& numbers) {
    Piece piece(Type{.kind = Kind::integer});
    for (const std::uint32_t number : numbers) number == 0 ? piece.add_null() : piece.add_integer(number);
    add_column(std::move(piece));
  }

  void add_place_column(const Order& order, Ties ties) {
    if (ties != Ties::fractional) return add_numbers(places_by_row(order, ties, a_.run));
    Piece piece(Type{.kind = Kind::decimal, .scale = 1});
    for (const double place : fractional_places_by_row(order, a_.run))
      place == 0 ? piece.add_null() : piece.add_integer(static_cast<std::int64_t>(place * 10));
    add_column(std::move(piece));
  }

  // (place - less) / (ranked - less), with six decimals: a division of counts.
  void add_ratio(Ties ties, std::uint32_t less) {
    const std::vector<std::uint32_t> place = places(*a_.order, ties, a_.run);
    std::vector<std::int64_t> millionths(place.size(), int64_null);
    a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t) {
      const auto whole = static_cast<std::int64_t>(ranked - begin) - less;
      for (std::size_t i = begin; i < ranked; ++i)
        millionths[i] =
            whole == 0
                ? 0
                : static_cast<std::int64_t>(divide_half_even(int128{place[i] - less} * 1'000'000, int128{whole}));
    });
    Piece piece(Type{.kind = Kind::decimal, .scale = 6});
    for (const std::int64_t one : by_input_row(*a_.order, millionths))
      one == int64_null ? piece.add_null() : piece.add_integer(one);
    add_column(std::move(piece));
  }

  // Of each entry, its value's part of the sum over its group, unranked entries included; or the sum up to its peers.
  void add_shares(const Column& of, bool running) {
    std::vector<Value> out(a_.entries.count);
    const auto rows = a_.order->rows();
    const bool exact = of.type().exact();
    const int scale = exact ? std::min(of.type().scale + 6, Decimal::max_digits) : 0;
    a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
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
        while (last < ranked && !a_.order->starts_peers(last));
        const Value share = part(so_far, exact ? 0 : floats_so_far.value());
        for (; i < last; ++i) out[rows[i]] = share;
      }
    });
    Piece piece(exact ? Type{.kind = Kind::decimal, .scale = scale} : Type{.kind = Kind::floating});
    for (const Value& value : out) piece.add(value);
    add_column(std::move(piece));
  }

  void account(const JoinedRows& rows) {
    Accounting& a = a_.data->accounting;
    a.read = a_.question.tables.front().table.rows();
    for (std::size_t j = 0; j < a_.question.joins.size(); ++j) {
      const JoinedRows::Report& report = rows.reports()[j];
      const JoinKind kind = a_.question.joins[j].kind;
      a.joins.push_back({a_.question.tables[a_.question.joins[j].table].source->name(), report.unmatched,
                         report.without_rows, kind == JoinKind::inner || kind == JoinKind::right ? report.unmatched : 0,
                         kind == JoinKind::right || kind == JoinKind::full ? report.without_rows : 0, report.more});
    }
    a.left_out = a_.entries.left_out;
    a.unknown = a_.entries.unknown;
    a.counted = a_.entries.counted;
    a.entries = a_.entries_before;
    a.ineligible = static_cast<std::size_t>(std::count(a_.eligible.begin(), a_.eligible.end(), is_false));
    a.eligibility_unknown = static_cast<std::size_t>(std::count(a_.eligible.begin(), a_.eligible.end(), is_unknown));
    if (a_.order) {
      a.groups = a_.order->groups();
      a.ranked = static_cast<std::size_t>(std::count(a_.data->ranked.begin(), a_.data->ranked.end(), 1));
      a.unranked = a_.entries.count - a.ranked;
    }
  }

  // The entries to list, in the order of places.
  void keep() {
    if (a_.question.keep_where) {
      a_.passes = truths(*a_.question.keep_where, a_.columns);
      for (std::uint8_t& one : a_.passes) one = one == is_true;
      a_.data->accounting.not_kept = static_cast<std::size_t>(std::count(a_.passes.begin(), a_.passes.end(), 0));
    }
    if (!a_.order) {
      for (std::uint32_t e = 0; e < a_.entries.count; ++e)
        if (a_.kept(e)) a_.data->rows.push_back(e);
      return;
    }
    const auto rows = a_.order->rows();
    const std::optional<std::size_t> best = a_.question.level->best, worst = a_.question.level->worst;
    const bool strict = a_.question.level->cut == Cut::strict;
    const bool with_unranked = a_.question.level->unranked || (!best && !worst && !a_.question.keep_where);
    std::vector<std::size_t> in;  // positions of a group's ranked entries that keep.where lets through
    a_.each_group([&](std::size_t begin, std::size_t ranked, std::size_t end) {
      in.clear();
      for (std::size_t i = begin; i < ranked; ++i)
        if (a_.kept(rows[i])) in.push_back(i);
      // Of these the first `front` are among the best, those from `back` on among the worst. A cut lies between two;
      // when they are peers it goes through a tie.
      const auto tied = [&](std::size_t cut) { return a_.competition[in[cut]] == a_.competition[in[cut - 1]]; };
      const std::size_t count = in.size();
      std::size_t front = best || !worst ? count : 0, back = count;
      if (best && *best < count) {
        front = *best;
        if (tied(front)) a_.cuts.push_back({in[front], in[front - 1], true});
        while (!strict && front < count && tied(front)) ++front;
      }
      if (worst) {
        back = count - std::min(count, *worst);
        if (back > 0 && back < count && tied(back)) a_.cuts.push_back({in[back], in[back - 1], false});
        while (!strict && back > 0 && back < count && tied(back)) --back;
      }
      for (std::size_t i = 0; i < count; ++i) {
        if (i >= front && i < back) continue;
        a_.data->rows.push_back(rows[in[i]]);
        a_.data->passed_over.push_back(i == back && front > 0 && back > front ? static_cast<std::uint32_t>(back - front)
                                                                              : 0);
      }
      for (std::size_t i = ranked; i < end && with_unranked; ++i) {
        if (!a_.kept(rows[i])) continue;
        a_.data->rows.push_back(rows[i]);
        a_.data->passed_over.push_back(0);
      }
    });
  }
  void list() {
    if (a_.question.list_as_input || !a_.question.list_order.empty()) a_.data->passed_over.clear();
    if (a_.question.list_as_input) {
      std::sort(a_.data->rows.begin(), a_.data->rows.end(),
                [&](std::uint32_t a, std::uint32_t b) { return a_.entries.first_rows[a] < a_.entries.first_rows[b]; });
    } else if (!a_.entries.listed.empty() && a_.entries.listed.size() == a_.entries.count &&
               a_.entries.numbered_as.empty()) {
      std::vector<std::uint8_t> in(a_.entries.count, 0);
      for (const std::uint32_t entry : a_.data->rows) in[entry] = 1;
      a_.data->rows.clear();
      for (const std::uint32_t entry : a_.entries.listed)
        if (in[entry] != 0) a_.data->rows.push_back(entry);
    } else if (!a_.question.list_order.empty()) {
      std::vector<ColumnPtr> kept;
      const KeyList codes = codes_of(a_.question.list_order, a_.columns, kept);
      SortKeys keys;  // entries equal on all of the list's keys stay in the order of places, in which they stand
      for (const auto& key : codes) keys.by.push_back(picked(*key, a_.data->rows));
      const Order listed = make_order(a_.data->rows.size(), keys, a_.run);
      std::vector<std::uint32_t> rows;
      for (const std::uint32_t at : listed.rows()) rows.push_back(a_.data->rows[at]);
      a_.data->rows.swap(rows);
    }
    if (a_.ladder.list.hide_blank_groups) hide_blanks();
    a_.kept_count = a_.data->rows.size();
    take_some();
    for (const ListColumn& listed : a_.question.list_columns) {
      StandingColumn column;
      column.name = listed.name;
      column.heading = listed.heading == listed.name ? listed.name : filled_in(listed.heading, a_.ladder.choices);
      const auto index = static_cast<std::size_t>(listed.column);
      const ColumnPtr& values = a_.columns[index];
      column.type = values->type();
      column.role = a_.role_of(index);
      if (index >= a_.question.entry_columns.size()) {
        const std::size_t place = index - a_.question.entry_columns.size();
        column.ties = place == 0 || place > a_.question.also.size() ? a_.question.level->ties
                                                                    : a_.question.level->also[place - 1].ties;
      }
      a_.data->tied_by.push_back(index > a_.question.entry_columns.size() &&
                                         index - a_.question.entry_columns.size() <= a_.question.also.size()
                                     ? a_.also_tied[index - a_.question.entry_columns.size() - 1]
                                     : std::vector<std::uint8_t>{});
      mark_sort(column, listed.column);
      a_.data->columns.push_back(std::move(column));
      a_.data->values.push_back(values);
    }
    a_.data->accounting.listed = a_.data->rows.size();
    mark_groups();
  }

  // list.blank_group = "hide"
  void hide_blanks() {
    const auto blank = [&](std::uint32_t entry) {
      const auto null = [&](std::size_t key) { return a_.entries.columns[key]->is_null(entry); };
      return std::any_of(a_.question.within.begin(), a_.question.within.end(), null) ||
             std::any_of(a_.question.each.begin(), a_.question.each.end(), null);
    };
    std::vector<std::uint32_t> rows, gaps;
    for (std::size_t i = 0; i < a_.data->rows.size(); ++i) {
      if (blank(a_.data->rows[i])) continue;
      rows.push_back(a_.data->rows[i]);
      if (!a_.data->passed_over.empty()) gaps.push_back(a_.data->passed_over[i]);
    }
    a_.data->rows.swap(rows);
    a_.data->passed_over.swap(gaps);
  }

  // list.first, list.last, list.sample
  void take_some() {
    const Listing& list = a_.ladder.list;
    std::vector<std::uint32_t>& rows = a_.data->rows;
    const std::size_t count = rows.size();
    std::vector<std::uint8_t> taken(count, 0);
    if (list.sample) {
      // Selection sampling (Knuth, The Art of Computer Programming 2, 3.4.2 S): each row with the chance that it needs.
      std::mt19937_64 random(list.seed);
      std::size_t wanted = std::min(*list.sample, count);
      for (std::size_t i = 0; i < count && wanted > 0; ++i) {
        const auto draw = static_cast<std::size_t>(static_cast<uint128>(random()) * (count - i) >> 64);
        taken[i] = draw < wanted;
        wanted -= taken[i];
      }
    } else if (list.first || list.last) {
      std::fill_n(taken.begin(), std::min(list.first.value_or(0), count), 1);
      std::fill_n(taken.rbegin(), std::min(list.last.value_or(0), count), 1);
    } else {
      return;
    }
    std::vector<std::uint32_t> left, gaps;
    for (std::size_t i = 0, before = 0; i < count; ++i) {
      if (taken[i] == 0) {
        ++before;
        continue;
      }
      left.push_back(rows[i]);
      gaps.push_back(list.sample || left.size() == 1 ? 0 : static_cast<std::uint32_t>(before));
      before = 0;
    }
    rows.swap(left);
    a_.data->passed_over.swap(gaps);
  }

  // The keys that the listing is sorted by: the list's own, or else those of the places.
  void mark_sort(StandingColumn& column, int index) const {
    if (a_.question.list_as_input) return;
    const auto& keys = !a_.question.list_order.empty() ? a_.question.list_order : a_.question.by;
    for (std::size_t k = 0; k < keys.size(); ++k)
      if (keys[k].node->op == Op::name && keys[k].node->column == index) {
        column.sort_position = static_cast<int>(k) + 1;
        column.descending = keys[k].descending;
      }
  }

  void mark_groups() {
    std::vector<std::uint8_t>& start = a_.data->group_start;
    start.assign(a_.data->rows.size(), 0);
    if (a_.question.within.empty() || !a_.order) return;
    // The number of each entry's group.
    std::vector<std::uint32_t>& group = a_.group_of;
    group.resize(a_.entries.count);
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < a_.order->size(); ++i) {
      number += a_.order->starts_group(i);
      group[a_.order->rows()[i]] = number;
    }
    std::vector<bool> seen(number + 1, false);
    for (std::size_t i = 0; i < a_.data->rows.size(); ++i) {
      const std::uint32_t g = group[a_.data->rows[i]];
      start[i] = i == 0 || g != group[a_.data->rows[i - 1]];
      if (start[i] && seen[g]) {  // groups are mixed: breaks would tell lies
        start.assign(a_.data->rows.size(), 0);
        a_.groups_mixed = true;
        return;
      }
      seen[g] = true;
    }
  }

  // The lines for what is not listed, and for all, of every group that lists something.
  void summarize() {
    const std::size_t groups = a_.group_of.empty() || a_.groups_mixed
                                   ? 1
                                   : *std::max_element(a_.group_of.begin(), a_.group_of.end()) + std::size_t{1};
    const auto group_of = [&](std::uint32_t entry) { return groups == 1 ? 0 : a_.group_of[entry]; };
    std::vector<std::uint8_t> listed(a_.entries.count, 0);
    std::vector<std::size_t> last(groups, a_.data->rows.size()), all(groups, 0), left(groups, 0);
    for (std::size_t r = 0; r < a_.data->rows.size(); ++r) {
      listed[a_.data->rows[r]] = 1;
      last[group_of(a_.data->rows[r])] = r;
    }
    std::vector<std::uint32_t> of_all, of_left;  // by entry as it was first numbered
    const auto outside = static_cast<std::uint32_t>(groups);
    of_all.assign(a_.entries.numbered_as.empty() ? a_.entries.count : a_.numbered, outside);
    of_left = of_all;
    for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
      const std::uint32_t first_number = a_.entries.numbered_as.empty() ? e : a_.entries.numbered_as[e];
      of_all[first_number] = group_of(e);
      ++all[group_of(e)];
      if (listed[e]) continue;
      of_left[first_number] = group_of(e);
      ++left[group_of(e)];
    }
    const std::vector<ColumnPtr> left_totals = totals_of(of_left, groups), all_totals = totals_of(of_all, groups);
    std::vector<std::size_t> in_order;  // groups, as they are listed
    for (std::size_t g = 0; g < groups; ++g)
      if (last[g] < a_.data->rows.size()) in_order.push_back(g);
    std::sort(in_order.begin(), in_order.end(), [&](std::size_t a, std::size_t b) { return last[a] < last[b]; });
    for (const std::size_t g : in_order) {
      if (left[g] > 0)
        add_summary(SummaryLine::Of::others, last[g], left[g], "others, " + words_.counted_entries(left[g]),
                    left_totals, g);
      add_summary(SummaryLine::Of::all, last[g], all[g], "all " + words_.counted_entries(all[g]), all_totals, g);
    }
    note_overlaps(group_of, groups, all_totals);
  }

  // The totals of entries that are taken together; null pointers for columns that are none.
  std::vector<ColumnPtr> totals_of(const std::vector<std::uint32_t>& group_of, std::size_t groups) const {
    std::vector<ColumnPtr> columns = a_.entries.regroup->totals(group_of, groups), filled = columns;
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const Type type = a_.question.entry_columns[c].type;
      if (columns[c]) continue;
      Piece nothing(type);  // a key has no one value here
      for (std::size_t g = 0; g < groups; ++g) nothing.add_null();
      filled[c] = Column::seal(std::move(nothing));
    }
    for (const std::size_t total : a_.question.totals) {
      filled[total] = evaluate_column(*a_.question.entry_columns[total].node, ColumnSource(groups, filled),
                                      a_.question.slots, a_.run);
      columns[total] = filled[total];
    }
    return columns;
  }

  void add_summary(SummaryLine::Of of, std::size_t behind, std::size_t entries, std::string label,
                   const std::vector<ColumnPtr>& totals, std::size_t group) {
    SummaryLine line{.of = of, .behind = behind, .entries = entries, .label = std::move(label)};
    line.label_column = label_column();
    for (const ListColumn& column : a_.question.list_columns) {
      const auto c = static_cast<std::size_t>(column.column);
      line.values.push_back(c < totals.size() && totals[c] ? totals[c]->value(group) : Value{});
    }
    a_.data->summaries.push_back(std::move(line));
  }

  // The first listed column of words that is the entries' own, or else the first of their keys.
  std::size_t label_column() const {
    const std::vector<StandingColumn>& columns = a_.data->columns;
    const auto first = [&](const auto& fits) {
      return static_cast<std::size_t>(std::find_if(columns.begin(), columns.end(), fits) - columns.begin());
    };
    const auto is = [](const StandingColumn& c, Role role) { return c.role == role; };
    std::size_t at = first([&](const StandingColumn& c) { return is(c, Role::label) && c.type.kind == Kind::text; });
    // Of an inner level, a label of the entry outside is none of its own.
    if (at < columns.size() && a_.outer != nullptr) {
      const auto outside = [&](const StandingColumn& c) {
        return std::any_of(a_.outer->columns.begin(), a_.outer->columns.end(),
                           [&](const StandingColumn& o) { return o.name == c.name; });
      };
      at = first(
          [&](const StandingColumn& c) { return is(c, Role::label) && c.type.kind == Kind::text && !outside(c); });
    }
    if (at == columns.size()) at = first([&](const StandingColumn& c) { return is(c, Role::key); });
    return at == columns.size() ? 0 : at;
  }

  // Distinct counts of entries that count the same things do not add up.
  template <class GroupOf>
  void note_overlaps(const GroupOf& group_of, std::size_t groups, const std::vector<ColumnPtr>& together) {
    for (const ListColumn& column : a_.question.list_columns) {
      const auto c = static_cast<std::size_t>(column.column);
      if (c >= a_.question.entry_columns.size()) continue;
      const EntryColumn& total = a_.question.entry_columns[c];
      if (total.from != EntryColumn::From::total || total.node->op != Op::name) continue;
      const EntryColumn& behind = a_.question.entry_columns[static_cast<std::size_t>(total.node->column)];
      if (behind.from != EntryColumn::From::aggregate ||
          a_.question.aggregates[behind.index]->kind != AggregateKind::count_distinct)
        continue;
      std::vector<std::int64_t> added(groups, 0);
      for (std::uint32_t e = 0; e < a_.entries.count; ++e) added[group_of(e)] += a_.entries.columns[c]->int64(e);
      for (std::size_t g = 0; g < groups; ++g)
        if (added[g] > together[c]->int64(g)) {
          a_.overlaps.push_back({c, added[g], together[c]->int64(g)});
          break;
        }
    }
  }

  Asked a_;
  std::map<EntryKey, std::uint32_t> entry_of_;  // by key, where there is something to compare with
  const Words words_;
  const Run rows_run_;  // this one tells how far the rows are; what comes after takes little
};

}  // namespace

std::shared_ptr<StandingsData> engine::answer(const Ladder& ladder, std::vector<Question>& questions, const Run& run,
                                              const std::vector<Earlier>& earlier, const Finish& finish) {
  std::vector<std::shared_ptr<StandingsData>> levels;
  for (Question& question : questions) {
    const std::size_t level = levels.size();
    levels.push_back(Asking(ladder, question, level, levels.empty() ? nullptr : levels.back().get(),
                            earlier.empty() ? nullptr : &earlier[level], run)
                         .answer());
  }
  for (std::size_t l = 0; finish && l < levels.size(); ++l) levels[l] = finish(levels[l], l);
  if (run.progress) run.progress(1);
  // The same steps as a plan has, with the sizes that were met.
  Sizes sizes = sizes_before(questions);
  Times times;
  for (std::size_t t = 0; t < questions.front().tables.size(); ++t) {
    sizes.tables[t] = static_cast<double>(questions.front().tables[t].table.rows());
    times[time_name("read", 0, t)] = questions.front().tables[t].seconds;
  }
  sizes.entries.clear();
  for (const auto& level : levels) {
    sizes.entries.push_back(static_cast<double>(level->accounting.entries));
    times.insert(level->times.begin(), level->times.end());
  }
  const Accounting& met = levels.front()->accounting;
  sizes.rows = static_cast<double>(met.counted + met.left_out + met.unknown);
  sizes.counted = static_cast<double>(met.counted);
  const std::shared_ptr<StandingsData> whole =
      levels.size() == 1 ? levels.front() : nest({levels.begin(), levels.end()});
  whole->cost = cost_steps(questions, sizes, {}, &times);
  return whole;
}

namespace {

// What [compare] will want, where its choices may be made.
void want_former(const Ladder& ladder, const ReadOnce& tables) {
  try {
    tables.want(former_question(ladder));
  } catch (const Error&) {
    return;  // said when it is asked
  }
}

}  // namespace

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  resolve_levels(ladder, catalog, true, run, problems);
  for (Problem& p : check_across(ladder, catalog)) problems.push_back(std::move(p));
  // The orders that the listing might be asked for: their names, without reading the tables again.
  Ladder other = ladder;
  for (const NamedFormula& one : ladder.alternatives) {
    if (one.name == ladder.list.order_by) continue;
    other.list.order_by = one.name;
    std::vector<Problem> found;
    resolve_levels(other, catalog, false, run, found);
    for (Problem& p : found)
      if (p.place.key.starts_with("alternatives.")) problems.push_back(std::move(p));
  }
  return problems;
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  // What other questions are asked on the way: their tables are read with those of the first.
  const ReadOnce once(catalog);
  const bool crossed = !ladder.across.empty(), other_choices = !ladder.compare.choose.empty();
  const Catalog& tables = crossed || other_choices ? once : catalog;
  std::vector<Problem> problems = check_across(ladder, tables);
  if (problems.empty()) {
    for (const Ladder& further : crossing_questions(ladder)) once.want(further);
    if (other_choices) want_former(ladder, once);
  }
  std::vector<Problem> found;
  std::vector<Question> questions = resolve_levels(ladder, tables, true, part_of(run, 0, reading_share), found);
  found.insert(found.end(), std::make_move_iterator(problems.begin()), std::make_move_iterator(problems.end()));
  if (!found.empty()) throw Error(std::move(found));
  const Run quiet{.threads = run.threads, .stop = run.stop};
  Stopwatch watch;
  const std::vector<Earlier> before =
      ladder.compare.empty() ? std::vector<Earlier>{} : earlier(ladder, questions, tables, quiet);
  const double compare_seconds = watch.lap();
  double across_seconds = 0;
  std::optional<Crossing> crossing;
  const Finish cross = [&](std::shared_ptr<StandingsData> down, std::size_t level) {
    Stopwatch own;
    if (!crossing) crossing.emplace(ladder, tables, quiet);
    std::shared_ptr<StandingsData> out = crossing->cross(*down, level);
    across_seconds += own.lap();
    return out;
  };
  std::shared_ptr<StandingsData> data = engine::answer(ladder, questions, run, before, crossed ? cross : Finish{});
  add_further_questions(ladder, data->cost, compare_seconds, across_seconds);
  return Standings(std::move(data));
}

const std::string& Standings::title() const { return data_->title; }
const std::string& Standings::question() const { return data_->question; }
const std::string& Standings::shown_of_total() const { return data_->shown_of_total; }
const std::vector<StandingColumn>& Standings::columns() const { return data_->columns; }
std::size_t Standings::rows() const { return data_->nested.empty() ? data_->rows.size() : data_->nested.size(); }
std::size_t Standings::levels() const { return std::max<std::size_t>(data_->levels.size(), 1); }
std::size_t Standings::level(std::size_t row) const { return data_->nested.empty() ? 0 : data_->nested[row].level; }
bool Standings::of_level(std::size_t row, std::size_t column) const {
  if (data_->nested.empty()) return true;
  const std::size_t level = data_->nested[row].level, there = data_->column_in[level][column];
  if (there == StandingsData::none) return false;
  const Role role = data_->levels[level]->columns[there].role;
  if (role != Role::group && role != Role::key && role != Role::label) return true;
  for (std::size_t outer = 0; outer < level; ++outer)
    if (data_->column_in[outer][column] != StandingsData::none) return false;
  return role != Role::group;
}

namespace {

// The data that a row is one of, and its entry there.
struct EntryOf {
  const StandingsData* data;
  std::uint32_t entry;
};
EntryOf entry_of(const StandingsData& data, std::size_t row) {
  if (data.nested.empty()) return {&data, data.rows[row]};
  const StandingsData& level = *data.levels[data.nested[row].level];
  return {&level, level.rows[data.nested[row].row]};
}

}  // namespace

Value Standings::value(std::size_t row, std::size_t column) const {
  if (data_->nested.empty()) return data_->values[column]->value(data_->rows[row]);
  for (bool own = true;; own = false) {
    const StandingsData::NestedRow& at = data_->nested[row];
    const StandingsData& level = *data_->levels[at.level];
    const std::size_t there = data_->column_in[at.level][column];
    if (there != StandingsData::none) {
      const Role role = level.columns[there].role;
      const bool names = role == Role::key || role == Role::group || role == Role::label;
      return own || names ? level.values[there]->value(level.rows[at.row]) : Value{};
    }
    if (at.outer == row) return {};
    row = at.outer;
  }
}
bool Standings::tied(std::size_t row) const {
  const auto [data, entry] = entry_of(*data_, row);
  return !data->tied.empty() && data->tied[entry] != 0;
}
bool Standings::tied(std::size_t row, std::size_t column) const {
  if (data_->columns[column].role != Role::place) return false;
  const auto [data, entry] = entry_of(*data_, row);
  const std::size_t there = data_->nested.empty() ? column : data_->column_in[level(row)][column];
  if (there == StandingsData::none) return false;
  const auto& own = data->tied_by[there];
  return own.empty() ? tied(row) : own[entry] != 0;
}
bool Standings::ranked(std::size_t row) const {
  const auto [data, entry] = entry_of(*data_, row);
  return !data->ranked.empty() && data->ranked[entry] != 0;
}
const std::vector<Departed>& Standings::departed() const { return data_->departed; }
const std::vector<SummaryLine>& Standings::summaries() const { return data_->summaries; }
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
