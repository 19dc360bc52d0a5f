#include "ladder/totals.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <mutex>
#include <optional>

#include "ladder/ordered_totals.hpp"
#include "ladder/windows.hpp"
#include "rank/exact_sum.hpp"
#include "rank/groups.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/zone.hpp"

namespace lofty::engine {
namespace {

// Turns a node's values into cells, batch by batch. Codes of a table's text column are used as they are; texts that
// a formula made, and integers beyond 64 bits, are numbered by a dictionary of this object.
class CellMaker {
 public:
  enum Tag : std::uint8_t { null, number, column_code, own_code };

  explicit CellMaker(const Node& node) : node_(&node) {}

  Cell cell(const Vector& v, std::size_t i) {
    switch (v.lane) {
      case Vector::Lane::int64:
        if (v.ints[i] == int64_null) return {};
        return {static_cast<std::uint64_t>(v.ints[i]), number};
      case Vector::Lane::int128: {
        if (v.wide[i] == int128_min) return {};
        if (fits_int64(v.wide[i]) && v.wide[i] != int64_null)
          return {static_cast<std::uint64_t>(static_cast<std::int64_t>(v.wide[i])), number};
        return own(std::string_view(reinterpret_cast<const char*>(&v.wide[i]), sizeof(int128)));
      }
      case Vector::Lane::float64: {
        if (std::isnan(v.doubles[i])) return {};
        std::uint64_t bits;
        std::memcpy(&bits, &v.doubles[i], sizeof bits);
        return {bits, number};
      }
      case Vector::Lane::code:
        if (v.codes[i] == Dictionary::none) return {};
        if (node_->op == Op::name) {
          dictionary_ = v.dictionary;
          return {v.codes[i], column_code};
        }
        return own(v.dictionary->text(v.codes[i]));
      case Vector::Lane::text:
        if (v.texts[i].data() == nullptr) return {};
        return own(v.texts[i]);
    }
    return {};
  }

  // A cell of another maker of the same node, as this one numbers it.
  Cell translate(const Cell& cell, const CellMaker& from) {
    if (cell.tag == column_code) dictionary_ = from.dictionary_;
    return cell.tag == own_code ? own(from.own_.text(static_cast<std::uint32_t>(cell.code))) : cell;
  }

  void put(const Cell& cell, Piece& piece) const {
    switch (cell.tag) {
      case null: return piece.add_null();
      case column_code: return piece.add_text(dictionary_->text(static_cast<std::uint32_t>(cell.code)));
      case own_code: {
        const std::string_view bytes = own_.text(static_cast<std::uint32_t>(cell.code));
        if (node_->type.kind == Kind::text) return piece.add_text(bytes);
        int128 value;
        std::memcpy(&value, bytes.data(), sizeof value);
        return piece.add_wide(value);
      }
      default: break;
    }
    if (node_->type.kind == Kind::floating) {
      double value;
      std::memcpy(&value, &cell.code, sizeof value);
      return piece.add_double(value);
    }
    piece.add_integer(static_cast<std::int64_t>(cell.code));
  }

 private:
  Cell own(std::string_view bytes) { return {own_.add(bytes), own_code}; }
  const Node* node_;
  const Dictionary* dictionary_ = nullptr;
  Dictionary own_;
};

// The one value that a column has in each entry, or proof that it has several.
class Carried {
 public:
  explicit Carried(const Node& node) : cells_(node) {}

  void add(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
           const Vector& v, std::size_t groups) {
    grow(groups);
    for (std::size_t k = 0; k < rows.size(); ++k) meet(ids[k], cells_.cell(v, rows[k] - begin), rows[k]);
  }
  void merge(Carried& other, const std::vector<std::uint32_t>& ids, std::size_t groups) {
    grow(groups);
    for (std::size_t g = 0; g < ids.size(); ++g) {
      meet(ids[g], cells_.translate(other.value_[g], other.cells_), other.first_[g]);
      // `other`'s second value differs from its first; it is news only where that first one agreed with ours.
      if (other.second_[g] != no_row && second_[ids[g]] == no_row) second_[ids[g]] = other.second_[g];
    }
  }
  const CellMaker& cells() const { return cells_; }
  const std::vector<Cell>& values() const { return value_; }
  // The entry with several values whose second one comes first among the rows; none when there is no such entry.
  std::optional<std::size_t> conflict() const {
    std::optional<std::size_t> found;
    for (std::size_t g = 0; g < second_.size(); ++g)
      if (second_[g] != no_row && (!found || second_[g] < second_[*found])) found = g;
    return found;
  }
  std::uint32_t first(std::size_t g) const { return first_[g]; }
  std::uint32_t second(std::size_t g) const { return second_[g]; }

 private:
  void grow(std::size_t groups) {
    value_.resize(groups);
    first_.resize(groups, no_row);
    second_.resize(groups, no_row);
  }
  void meet(std::uint32_t id, const Cell& cell, std::uint32_t row) {
    if (first_[id] == no_row) {
      first_[id] = row;
      value_[id] = cell;
    } else if (second_[id] == no_row && !(value_[id] == cell)) {
      second_[id] = row;
    }
  }
  CellMaker cells_;
  std::vector<Cell> value_;
  std::vector<std::uint32_t> first_, second_;
};

// Different (group, value) pairs. As long as numbers come in ascending order, as order numbers do, a pair is new when
// its number is; a table is made only when one comes out of order.
class DistinctPairs {
 public:
  void add(std::uint32_t group, const Cell& cell) {
    if (table_.size() == 0 && cell.tag == CellMaker::number) {
      const auto value = static_cast<std::int64_t>(cell.code);
      if (run_values_.empty() || value > run_values_.back()) {
        run_values_.push_back(value);
        run_groups_.push_back(group);
        return;
      }
      if (value == run_values_.back() && run_groups_.back() == group) return;
    }
    for (std::uint32_t at = 0; at < run_values_.size(); ++at) table_.find_or_add(run_groups_[at], run_cell(at));
    run_values_ = {};
    run_groups_ = {};
    table_.find_or_add(group, cell);
  }
  std::uint32_t size() const {
    return static_cast<std::uint32_t>(run_values_.empty() ? table_.size() : run_values_.size());
  }
  std::uint32_t group(std::uint32_t at) const { return run_values_.empty() ? table_.prefix(at) : run_groups_[at]; }
  Cell cell(std::uint32_t at) const { return run_values_.empty() ? table_.cell(at) : run_cell(at); }

 private:
  Cell run_cell(std::uint32_t at) const { return {static_cast<std::uint64_t>(run_values_[at]), CellMaker::number}; }
  std::vector<std::int64_t> run_values_;  // ascending
  std::vector<std::uint32_t> run_groups_;
  IdTable table_;
};

// The states of one aggregate for all groups, as arrays.
class State {
 public:
  explicit State(const Aggregate& aggregate) : aggregate_(&aggregate) {
    if (aggregate.argument) cells_.emplace(*aggregate.argument);
  }

  void add(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
           const Vector* v, const Vector* filter, std::size_t groups) {
    grow(groups);
    if (v != nullptr && v->lane == Vector::Lane::int64 && filter == nullptr) {  // the usual cases, without a call a row
      if (aggregate_->kind == AggregateKind::sum) return sum_integers(rows, ids, begin, v->ints.data());
      if (aggregate_->kind == AggregateKind::count_distinct)
        return tell_integers_apart(rows, ids, begin, v->ints.data());
    }
    const auto passes = [&](std::size_t i) { return filter == nullptr || filter->ints[i] == 1; };
    const bool any_value = aggregate_->kind == AggregateKind::first || aggregate_->kind == AggregateKind::last;
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const std::size_t i = rows[k] - begin;
      if (!passes(i)) continue;
      if (goes_by_order(aggregate_->kind) && (any_value || !v->is_null(i))) {
        collected_rows_.push_back(rows[k]);
        collected_ids_.push_back(ids[k]);
        ++counts_[ids[k]];
        continue;
      }
      if (v != nullptr && v->is_null(i))
        blank(ids[k]);
      else
        take(ids[k], v, i);
    }
  }

  void merge(State& other, const std::vector<std::uint32_t>& ids, std::size_t groups) {
    grow(groups);
    for (std::size_t g = 0; g < ids.size(); ++g) {
      const std::uint32_t id = ids[g];
      blanks_[id] += other.blanks_[g];
      if (other.counts_[g] == 0) continue;
      switch (aggregate_->kind) {
        case AggregateKind::sum:
        case AggregateKind::average:
          if (floating())
            float_sums_[id].add(other.float_sums_[g]);
          else
            add_exact(id, other.exact_[g]);
          break;
        case AggregateKind::least:
        case AggregateKind::greatest: better(id, other.best_of(g)); break;
        default: break;
      }
      counts_[id] += other.counts_[g];
    }
    merge_distinct(other, ids);
    collected_rows_.insert(collected_rows_.end(), other.collected_rows_.begin(), other.collected_rows_.end());
    for (const std::uint32_t id : other.collected_ids_) collected_ids_.push_back(ids[id]);
  }

  // How far the numbers reach that are to be told apart; pieces whose ranges do not meet cannot share one.
  struct Range {
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), greatest = std::numeric_limits<std::int64_t>::min();
    bool others = false;  // texts and the like: compared in full
  };
  Range distinct_range() const {
    Range range;
    for (std::uint32_t at = 0; at < distinct_.size(); ++at) {
      const Cell cell = distinct_.cell(at);
      const auto value = static_cast<std::int64_t>(cell.code);
      range.others = range.others || cell.tag != CellMaker::number;
      range.least = std::min(range.least, value);
      range.greatest = std::max(range.greatest, value);
    }
    return range;
  }
  // Counts the values that only this piece can hold, given where the other pieces' ranges lie; merging then has to look
  // up the rest alone.
  void set_apart(const std::vector<Range>& others) {
    alone_.resize(counts_.size());
    const bool texts = std::any_of(others.begin(), others.end(), [](const Range& r) { return r.others; });
    for (std::uint32_t at = 0; at < distinct_.size(); ++at) {
      const Cell cell = distinct_.cell(at);
      const auto value = static_cast<std::int64_t>(cell.code);
      if (texts || cell.tag != CellMaker::number || std::any_of(others.begin(), others.end(), [&](const Range& r) {
            return value >= r.least && value <= r.greatest;
          }))
        elsewhere_.push_back(at);
      else
        ++alone_[distinct_.group(at)];
    }
  }

  bool exact_mean() const { return aggregate_->kind == AggregateKind::average && !floating(); }
  Entries::Mean mean(int column, std::size_t groups) const {
    const auto count = static_cast<std::ptrdiff_t>(groups);
    return {column, {exact_.begin(), exact_.begin() + count}, {counts_.begin(), counts_.begin() + count}};
  }

  // What totals that go by an order need: the rows themselves.
  using ByOrder = std::function<ColumnPtr(const Aggregate&, const std::vector<std::uint32_t>&,
                                          const std::vector<std::uint32_t>&, std::size_t)>;
  ColumnPtr finish(std::size_t groups, Entries::Blank& blank_report, const ByOrder& by_order) {
    grow(groups);
    for (const std::uint32_t rows : blanks_) {
      blank_report.rows += rows;
      blank_report.entries += rows > 0;
    }
    if (aggregate_->kind == AggregateKind::count_distinct) {
      counts_.assign(counts_.size(), 0);
      for (std::size_t g = 0; g < alone_.size(); ++g) counts_[g] = alone_[g];
      for (std::uint32_t at = 0; at < distinct_.size(); ++at) ++counts_[distinct_.group(at)];
    }
    if (goes_by_order(aggregate_->kind)) return by_order(*aggregate_, collected_rows_, collected_ids_, groups);
    Piece piece(aggregate_->type);
    for (std::size_t g = 0; g < groups; ++g) put(piece, g);
    return Column::seal(std::move(piece));
  }

 private:
  struct Best {
    int128 exact;
    double number;
    std::string_view text;
  };

  void merge_distinct(State& other, const std::vector<std::uint32_t>& ids) {
    if (aggregate_->kind != AggregateKind::count_distinct) return;
    alone_.resize(std::max(alone_.size(), counts_.size()));
    for (std::size_t g = 0; g < ids.size(); ++g) alone_[ids[g]] += other.alone_[g];
    for (const std::uint32_t at : other.elsewhere_)
      distinct_.add(ids[other.distinct_.group(at)], cells_->translate(other.distinct_.cell(at), *other.cells_));
  }

  void sum_integers(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
                    const std::int64_t* values) {
    std::int64_t* const counts = counts_.data();
    int128* const sums = exact_.data();
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const std::int64_t value = values[rows[k] - begin];
      if (value == int64_null) {
        blank(ids[k]);
        continue;
      }
      ++counts[ids[k]];
      sums[ids[k]] += value;  // fewer than 2^32 rows of 64 bits each
    }
  }

  void tell_integers_apart(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids,
                           std::size_t begin, const std::int64_t* values) {
    std::int64_t last = int64_null;  // the lines of an order follow one another
    std::uint32_t last_id = no_row;
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const std::int64_t value = values[rows[k] - begin];
      if (value == int64_null) {
        blank(ids[k]);
      } else if (value != last || ids[k] != last_id) {
        distinct_.add(ids[k], {static_cast<std::uint64_t>(value), CellMaker::number});
        last = value;
        last_id = ids[k];
      }
    }
  }

  bool floating() const { return aggregate_->argument && aggregate_->argument->type.kind == Kind::floating; }
  bool texts() const { return aggregate_->argument && aggregate_->argument->type.kind == Kind::text; }

  void grow(std::size_t groups) {
    if (counts_.size() >= groups) return;
    const std::size_t room = std::max(groups, counts_.size() * 2);  // groups come one batch at a time
    counts_.resize(room);
    blanks_.resize(room);
    switch (aggregate_->kind) {
      case AggregateKind::sum:
      case AggregateKind::average:
        if (floating())
          float_sums_.resize(room);
        else
          exact_.resize(room);
        break;
      case AggregateKind::least:
      case AggregateKind::greatest:
        if (texts())
          best_texts_.resize(room);
        else if (floating())
          best_numbers_.resize(room);
        else
          exact_.resize(room);
        break;
      default: break;
    }
  }

  void blank(std::uint32_t id) { ++blanks_[id]; }

  void add_exact(std::uint32_t id, int128 value) {
    if (__builtin_add_overflow(exact_[id], value, &exact_[id]))
      throw Error(problem(Code::overflow, "the sum has more than 38 digits"));
  }

  Problem problem(Code code, std::string sentence) const {
    Problem p{code, std::move(sentence), {}, {}, "cast the values as float"};
    const Node& node = *aggregate_->argument;
    p.place.key = node.origin->key;
    p.place.text = node.origin->text;
    p.place.offset = node.begin;
    p.place.length = node.end - node.begin;
    return p;
  }

  void take(std::uint32_t id, const Vector* v, std::size_t i) {
    switch (aggregate_->kind) {
      case AggregateKind::count_rows:
      case AggregateKind::count: break;
      case AggregateKind::count_distinct: distinct_.add(id, cells_->cell(*v, i)); break;
      case AggregateKind::sum:
      case AggregateKind::average:
        if (floating())
          float_sums_[id].add(v->doubles[i]);
        else
          add_exact(id, v->exact(i));
        break;
      case AggregateKind::least:
      case AggregateKind::greatest: {
        Best best{};
        if (texts())
          best.text = v->text(i);
        else if (floating())
          best.number = v->doubles[i];
        else
          best.exact = v->exact(i);
        better(id, best);
        break;
      }
      default: break;  // collected
    }
    ++counts_[id];
  }

  Best best_of(std::size_t g) const {
    Best best{};
    if (texts())
      best.text = best_texts_[g];
    else if (floating())
      best.number = best_numbers_[g];
    else
      best.exact = exact_[g];
    return best;
  }

  void better(std::uint32_t id, const Best& candidate) {
    const bool greatest = aggregate_->kind == AggregateKind::greatest;
    const bool first = counts_[id] == 0;
    if (texts()) {
      const std::string_view old = best_texts_[id];
      if (first || (greatest ? candidate.text > old : candidate.text < old))
        best_texts_[id] = std::string(candidate.text);
    } else if (floating()) {
      if (first || (greatest ? candidate.number > best_numbers_[id] : candidate.number < best_numbers_[id]))
        best_numbers_[id] = candidate.number;
    } else if (first || (greatest ? candidate.exact > exact_[id] : candidate.exact < exact_[id])) {
      exact_[id] = candidate.exact;
    }
  }

  void put(Piece& piece, std::size_t g) const {
    const std::int64_t count = counts_[g];
    switch (aggregate_->kind) {
      case AggregateKind::count_rows:
      case AggregateKind::count:
      case AggregateKind::count_distinct: return piece.add_integer(count);
      default: break;
    }
    if (count == 0) return piece.add_null();
    if (aggregate_->kind == AggregateKind::sum || aggregate_->kind == AggregateKind::average) {
      const bool mean = aggregate_->kind == AggregateKind::average;
      if (floating()) {
        const double sum = float_sums_[g].value();
        if (!std::isfinite(sum)) throw Error(problem(Code::overflow, "the sum is beyond the range of floats"));
        return piece.add_double(mean ? sum / static_cast<double>(count) : sum);
      }
      int128 value = exact_[g];
      const int scale = aggregate_->argument->type.scale;
      if (!fits_decimal(value) || (mean && !divide_decimals(value, scale, count, 0, aggregate_->type.scale, value)))
        throw Error(problem(Code::overflow, "the sum has more than 38 digits"));
      return piece.add_wide(value);
    }
    if (texts()) return piece.add_text(best_texts_[g]);
    if (floating()) return piece.add_double(best_numbers_[g]);
    piece.add_wide(exact_[g]);
  }

  const Aggregate* aggregate_;
  std::optional<CellMaker> cells_;
  std::vector<std::int64_t> counts_;
  std::vector<std::uint32_t> blanks_;
  std::vector<int128> exact_;
  std::vector<ExactSum> float_sums_;
  std::vector<double> best_numbers_;
  std::vector<std::string> best_texts_;
  std::vector<std::uint32_t> collected_rows_, collected_ids_;  // of totals that go by an order
  DistinctPairs distinct_;                                     // (group, value)
  std::vector<std::int64_t> alone_;                            // by group: different values that only one piece holds
  std::vector<std::uint32_t> elsewhere_;                       // in distinct_: those that others may hold too
};

// What one piece of the rows amounts to; pieces are merged in their order.
struct Part {
  explicit Part(const Question& question) {
    for (const EntryColumn& column : question.entry_columns) {
      if (column.from == EntryColumn::From::key) keys.emplace_back(*column.node);
      if (column.from == EntryColumn::From::carried && !column.determined) carried.emplace_back(*column.node);
    }
    tables.resize(keys.size());
    for (const auto& aggregate : question.aggregates) states.emplace_back(*aggregate);
    caught.resize(question.periods.size());
  }

  std::vector<CellMaker> keys;
  std::vector<IdTable> tables;  // one a key: (id so far, cell) -> id
  std::vector<std::uint32_t> first_rows, row_counts;
  std::vector<Carried> carried;
  std::vector<State> states;
  std::size_t left_out = 0, unknown = 0, counted = 0;
  std::uint32_t unknown_example = no_row;
  std::vector<std::vector<std::uint32_t>> chosen_rows;  // row level: rows that count
  std::vector<Entries::Caught> caught;                  // by Question::periods
  std::size_t probed_rows = 0;
  std::vector<Question::TermCount> probed;

  std::size_t groups() const { return first_rows.size(); }

  void meet(std::uint32_t id, std::uint32_t row, std::uint32_t count) {
    if (id == first_rows.size()) {
      first_rows.push_back(row);
      row_counts.push_back(0);
    }
    row_counts[id] += count;
  }
  Cell cell(std::size_t key, std::uint32_t group) const {
    for (std::size_t k = keys.size() - 1; k > key; --k) group = tables[k].prefix(group);
    return tables[key].cell(group);
  }
  // The number that each group of another part has in this one, where unknown groups are added.
  std::vector<std::uint32_t> meet_groups(const Part& other) {
    std::vector<std::uint32_t> prefixes{0}, ids;  // of the other's table before: its id -> ours
    for (std::size_t k = 0; k < keys.size(); ++k) {
      ids.clear();
      for (std::uint32_t id = 0; id < other.tables[k].size(); ++id)
        ids.push_back(tables[k].find_or_add(prefixes[other.tables[k].prefix(id)],
                                            keys[k].translate(other.tables[k].cell(id), other.keys[k])));
      prefixes.swap(ids);
    }
    for (std::uint32_t g = 0; g < prefixes.size(); ++g) meet(prefixes[g], other.first_rows[g], other.row_counts[g]);
    return prefixes;
  }
};

// All states of all entries, for whoever takes entries together.
class KeptStates final : public Regroup {
 public:
  KeptStates(const Question& question, State::ByOrder by_order)
      : question_(question), by_order_(std::move(by_order)), part_(question) {}
  Part& part() { return part_; }

  std::vector<ColumnPtr> totals(const std::vector<std::uint32_t>& group_of, std::size_t groups) override {
    std::vector<ColumnPtr> out(question_.entry_columns.size());
    for (std::size_t c = 0; c < out.size(); ++c) {
      const EntryColumn& column = question_.entry_columns[c];
      if (column.from != EntryColumn::From::aggregate) continue;
      State& fine = part_.states[column.index];
      if (!ready_ && question_.aggregates[column.index]->kind == AggregateKind::count_distinct)
        fine.set_apart({State::Range{.others = true}});
      State coarse(*question_.aggregates[column.index]);
      coarse.merge(fine, group_of, groups + 1);  // the last one is left out
      Entries::Blank unused;
      out[c] = coarse.finish(groups, unused, by_order_);
    }
    ready_ = true;
    return out;
  }

 private:
  const Question& question_;
  State::ByOrder by_order_;
  Part part_;
  bool ready_ = false;  // distinct values lie where merging looks for them
};

// The rows of one batch that count.
class RowFilter {
 public:
  RowFilter(const std::vector<const std::vector<NodePtr>*>& terms) : terms_(terms) {}

  // mask[i]: 1 the row counts, 0 a term was false, 2 none was false and one unknown.
  void apply(Evaluator& evaluator, std::size_t begin, std::size_t count, std::vector<unsigned char>& mask) const {
    mask.assign(count, 1);
    std::vector<unsigned char>& active = active_;
    active.assign(count, 1);
    for (const auto* list : terms_)
      for (const NodePtr& term : *list) {
        if (term->op == Op::null) {
          for (unsigned char& m : mask) m = m == 1 ? 2 : m;
          continue;
        }
        const Vector& truth = evaluator.evaluate(*term, begin, count, active.data());
        for (std::size_t i = 0; i < count; ++i) {
          if (!active[i]) continue;
          if (truth.ints[i] == 0)
            mask[i] = active[i] = 0;
          else if (truth.ints[i] == int64_null)
            mask[i] = 2;
        }
      }
  }

 private:
  std::vector<const std::vector<NodePtr>*> terms_;
  mutable std::vector<unsigned char> active_;
};

class RowStages {
 public:
  RowStages(Question& question, const JoinedRows& rows, const Ladder& ladder, const Run& run)
      : question_(question), rows_(rows), ladder_(ladder), run_(run), total_(rows.rows()) {
    // Pieces depend on the number of rows only. Each has tables of its own, so there are few; and each is a whole
    // number of batches.
    const std::size_t wanted = std::clamp<std::size_t>(total_ / 500'000, 1, 16);
    piece_rows_ = std::max<std::size_t>(batch_rows, (total_ / wanted / batch_rows + 1) * batch_rows);
    pieces_ = (total_ + piece_rows_ - 1) / piece_rows_;
  }

  void find_overalls() {
    if (question_.overalls.empty()) return;
    std::vector<std::vector<Value>> best(pieces_, std::vector<Value>(question_.overalls.size()));
    parallel_for(pieces_, run_, [&](std::size_t piece) {
      Evaluator evaluator(rows_, question_.slots);
      const RowFilter filter({&question_.where_first});
      std::vector<unsigned char> mask;
      each_batch(piece, [&](std::size_t begin, std::size_t count) {
        filter.apply(evaluator, begin, count, mask);
        for (unsigned char& m : mask) m = m == 1;
        for (std::size_t o = 0; o < question_.overalls.size(); ++o) {
          const Overall& overall = *question_.overalls[o];
          const Vector& v = evaluator.evaluate(*overall.argument, begin, count, mask.data());
          for (std::size_t i = 0; i < count; ++i)
            if (mask[i] && !v.is_null(i)) improve(best[piece][o], v.value(i), overall.greatest);
        }
      });
    });
    for (std::size_t o = 0; o < question_.overalls.size(); ++o) {
      Value value;
      for (const auto& of_piece : best)
        if (!is_null(of_piece[o])) improve(value, of_piece[o], question_.overalls[o]->greatest);
      question_.overalls[o]->value = value;
      for (Node* use : question_.overalls[o]->uses) use->value = value;
    }
  }

  // The rows that count, ascending.
  std::vector<std::uint32_t> counted() const {
    std::vector<std::vector<std::uint32_t>> of_piece(pieces_);
    parallel_for(pieces_, run_, [&](std::size_t piece) {
      Evaluator evaluator(rows_, question_.slots);
      const RowFilter filter({&question_.where_first, &question_.where_last});
      std::vector<unsigned char> mask;
      const std::size_t end = std::min(total_, (piece + 1) * piece_rows_);
      for (std::size_t begin = piece * piece_rows_; begin < end; begin += batch_rows) {
        const std::size_t count = std::min(batch_rows, end - begin);
        filter.apply(evaluator, begin, count, mask);
        for (std::size_t i = 0; i < count; ++i)
          if (mask[i] == 1) of_piece[piece].push_back(static_cast<std::uint32_t>(begin + i));
      }
    });
    std::vector<std::uint32_t> rows;
    for (const auto& some : of_piece) rows.insert(rows.end(), some.begin(), some.end());
    return rows;
  }

  Entries run() {
    std::vector<std::unique_ptr<Part>> parts(pieces_);
    parallel_for(pieces_, run_, [&](std::size_t piece) {
      parts[piece] = std::make_unique<Part>(question_);
      run_piece(piece, *parts[piece]);
    });
    Entries entries;
    entries.read = total_;
    for (const auto& part : parts) {
      entries.left_out += part->left_out;
      entries.unknown += part->unknown;
      entries.counted += part->counted;
      entries.unknown_example = std::min(entries.unknown_example, part->unknown_example);
    }
    for (const auto& part : parts) {
      question_.probed_rows += part->probed_rows;
      if (question_.probed.size() < part->probed.size()) question_.probed.resize(part->probed.size());
      for (std::size_t t = 0; t < part->probed.size(); ++t) {
        question_.probed[t].text = part->probed[t].text;
        question_.probed[t].left_out += part->probed[t].left_out;
        question_.probed[t].unknown += part->probed[t].unknown;
      }
    }
    entries.caught.resize(question_.periods.size());
    for (const auto& part : parts)
      for (std::size_t p = 0; p < part->caught.size(); ++p) {
        entries.caught[p].rows += part->caught[p].rows;
        for (const auto& [day, rows] : part->caught[p].days) entries.caught[p].days[day] += rows;
      }
    entries.columns.resize(question_.entry_columns.size());
    entries.blanks.resize(question_.aggregates.size());
    if (question_.row_level())
      collect_rows(parts, entries);
    else
      merge(parts, entries);
    return entries;
  }

 private:
  static void improve(Value& best, const Value& value, bool greatest) {
    const bool better = is_null(best) || (greatest ? best < value : value < best);
    if (better) best = value;
  }

  template <class Work>
  void each_batch(std::size_t piece, const Work& work) const {
    const std::size_t end = std::min(total_, (piece + 1) * piece_rows_);
    for (std::size_t begin = piece * piece_rows_; begin < end; begin += batch_rows) {
      check_stop(run_);
      work(begin, std::min(batch_rows, end - begin));
    }
    if (run_.progress) {
      const std::scoped_lock lock(progress_mutex_);
      run_.progress(static_cast<double>(++done_) / static_cast<double>(pieces_));
    }
  }

  void run_piece(std::size_t piece, Part& part) {
    Evaluator evaluator(rows_, question_.slots);
    const RowFilter filter({&question_.where_first, &question_.where_last});
    std::vector<unsigned char> mask;
    std::vector<std::uint32_t> chosen, ids;
    // A single integer key of a small range needs no table: its value is the index.
    std::vector<std::uint32_t> direct;
    std::vector<unsigned char> narrowed;
    each_batch(piece, [&](std::size_t begin, std::size_t count) {
      filter.apply(evaluator, begin, count, mask);
      choose(mask, begin, part, chosen);
      part.counted += chosen.size();
      catch_periods(evaluator, begin, count, mask, part);
      if (question_.probe || question_.probed_row) probe(evaluator, begin, count, part, chosen);
      if (question_.row_level()) {
        part.chosen_rows.push_back(chosen);
        return;
      }
      number(part, evaluator, begin, count, mask, chosen, ids, direct);
      std::size_t carried = 0;
      for (const EntryColumn& column : question_.entry_columns)
        if (column.from == EntryColumn::From::carried && !column.determined)
          part.carried[carried++].add(chosen, ids, begin, evaluator.evaluate(*column.node, begin, count, mask.data()),
                                      part.groups());
      for (std::size_t a = 0; a < part.states.size(); ++a) {
        const Aggregate& aggregate = *question_.aggregates[a];
        const Vector* filtered = nullptr;
        const unsigned char* active = mask.data();
        if (aggregate.filter) {
          filtered = &evaluator.evaluate(*aggregate.filter, begin, count, mask.data());
          narrowed.resize(count);
          for (std::size_t i = 0; i < count; ++i) narrowed[i] = mask[i] && filtered->ints[i] == 1;
          active = narrowed.data();
        }
        const Vector* const values =
            aggregate.argument ? &evaluator.evaluate(*aggregate.argument, begin, count, active) : nullptr;
        part.states[a].add(chosen, ids, begin, values, filtered, part.groups());
      }
    });
  }

  // How each condition judges the rows that somebody asked about, by itself.
  void probe(Evaluator& evaluator, std::size_t begin, std::size_t count, Part& part,
             std::vector<std::uint32_t>& chosen) const {
    std::vector<unsigned char> asked(count, 0);
    if (question_.probed_row) {
      if (*question_.probed_row >= begin && *question_.probed_row < begin + count)
        asked[*question_.probed_row - begin] = 1;
    } else {
      const Vector& truth = evaluator.evaluate(*question_.probe, begin, count, nullptr);
      for (std::size_t i = 0; i < count; ++i) asked[i] = truth.ints[i] == 1;
    }
    const auto met = static_cast<std::size_t>(std::count(asked.begin(), asked.end(), 1));
    part.probed_rows += met;
    if (question_.only_probed) std::erase_if(chosen, [&](std::uint32_t row) { return asked[row - begin] == 0; });
    std::size_t at = 0;
    for (const auto* terms : {&question_.where_first, &question_.where_last})
      for (const NodePtr& term : *terms) {
        if (part.probed.size() <= at) part.probed.push_back({term->source()});
        Question::TermCount& counts = part.probed[at++];
        if (met == 0) continue;
        const bool null = term->op == Op::null;
        const Vector* const judged = null ? nullptr : &evaluator.evaluate(*term, begin, count, asked.data());
        for (std::size_t i = 0; i < count; ++i) {
          if (asked[i] == 0) continue;
          counts.left_out += judged != nullptr && judged->ints[i] == 0;
          counts.unknown += judged == nullptr || judged->ints[i] == int64_null;
        }
      }
  }

  // What each period holds of the rows that count.
  void catch_periods(Evaluator& evaluator, std::size_t begin, std::size_t count, const std::vector<unsigned char>& mask,
                     Part& part) const {
    for (std::size_t p = 0; p < question_.periods.size(); ++p) {
      const PeriodUse& period = question_.periods[p];
      Entries::Caught& caught = part.caught[p];
      const Vector& moments = evaluator.evaluate(*period.on, begin, count, mask.data());
      const Vector& within = evaluator.evaluate(*period.condition, begin, count, mask.data());
      std::int64_t before = int64_null;
      std::size_t* of_day = nullptr;
      for (std::size_t i = 0; i < count; ++i) {
        if (mask[i] == 0 || within.ints[i] != 1) continue;
        ++caught.rows;
        const std::int64_t day = day_at(moments.type, moments.ints[i]);
        if (day != before || of_day == nullptr) of_day = &caught.days[day];  // neighbours often share their day
        ++*of_day;
        before = day;
      }
    }
  }

  // The rows that count, without a branch a row; and what becomes of the others.
  static void choose(std::vector<unsigned char>& mask, std::size_t begin, Part& part,
                     std::vector<std::uint32_t>& chosen) {
    chosen.resize(mask.size());
    std::size_t count = 0, unknown = 0;
    for (std::size_t i = 0; i < mask.size(); ++i) {
      chosen[count] = static_cast<std::uint32_t>(begin + i);
      count += mask[i] == 1;
      unknown += mask[i] == 2;
    }
    chosen.resize(count);
    part.left_out += mask.size() - count - unknown;
    part.unknown += unknown;
    if (unknown > 0) {
      const auto first = static_cast<std::size_t>(std::find(mask.begin(), mask.end(), 2) - mask.begin());
      part.unknown_example = std::min(part.unknown_example, static_cast<std::uint32_t>(begin + first));
    }
    for (unsigned char& m : mask) m = m == 1;
  }

  void number(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
              const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
              std::vector<std::uint32_t>& ids, std::vector<std::uint32_t>& direct) const {
    ids.assign(chosen.size(), 0);
    std::size_t key = 0;
    for (const EntryColumn& column : question_.entry_columns) {
      if (column.from != EntryColumn::From::key) continue;
      const Vector& v = evaluator.evaluate(*column.node, begin, count, mask.data());
      CellMaker& cells = part.keys[key];
      IdTable& table = part.tables[key];
      const bool small = part.keys.size() == 1 && v.lane == Vector::Lane::int64;
      if (small) {
        number_small(v.ints.data(), begin, chosen, table, cells, v, direct, ids);
      } else {
        for (std::size_t k = 0; k < chosen.size(); ++k)
          ids[k] = table.find_or_add(ids[k], cells.cell(v, chosen[k] - begin));
      }
      ++key;
    }
    const std::size_t known = part.groups(), groups = part.tables.back().size();
    if (groups > known && !chosen.empty()) {  // new ones come in their order
      part.row_counts.resize(groups);
      for (std::size_t k = 0; part.groups() < groups; ++k)
        if (ids[k] == part.groups()) part.first_rows.push_back(chosen[k]);
    }
    std::uint32_t* const counts = part.row_counts.data();
    for (const std::uint32_t id : ids) ++counts[id];
  }

  static void number_small(const std::int64_t* values, std::size_t begin, const std::vector<std::uint32_t>& chosen,
                           IdTable& table, CellMaker& cells, const Vector& v, std::vector<std::uint32_t>& direct,
                           std::vector<std::uint32_t>& ids) {
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      const std::size_t i = chosen[k] - begin;
      const auto at = static_cast<std::uint64_t>(values[i]);  // null and negative ones lie beyond
      if (at < direct.size() && direct[at] != no_row) {
        ids[k] = direct[at];
        continue;
      }
      ids[k] = table.find_or_add(0, cells.cell(v, i));
      if (at >= direct_range) continue;
      if (at >= direct.size()) direct.resize(std::max<std::size_t>(at + 1, direct.size() * 2), no_row);
      direct[at] = ids[k];
    }
  }

  void merge(std::vector<std::unique_ptr<Part>>& parts, Entries& entries) const {
    const State::ByOrder by_order = [this](const Aggregate& aggregate, const std::vector<std::uint32_t>& rows,
                                           const std::vector<std::uint32_t>& groups, std::size_t count) {
      return ordered_total(aggregate, rows_, rows, groups, count, ladder_, question_, run_);
    };
    // Kept states outlive this, and what they look at outlives them.
    auto whole = std::make_shared<KeptStates>(
        question_,
        [&rows = rows_, &ladder = ladder_, &question = question_](
            const Aggregate& aggregate, const std::vector<std::uint32_t>& of, const std::vector<std::uint32_t>& groups,
            std::size_t count) { return ordered_total(aggregate, rows, of, groups, count, ladder, question, Run{}); });
    Part& all = whole->part();
    for (std::size_t a = 0; a < all.states.size(); ++a) set_apart(parts, a);
    for (auto& part : parts) {
      const std::vector<std::uint32_t> ids = all.meet_groups(*part);
      for (std::size_t c = 0; c < all.carried.size(); ++c) all.carried[c].merge(part->carried[c], ids, all.groups());
      for (std::size_t a = 0; a < all.states.size(); ++a) all.states[a].merge(part->states[a], ids, all.groups());
      part.reset();
    }
    entries.count = all.groups();
    entries.first_rows = all.first_rows;
    entries.row_counts = all.row_counts;
    std::size_t key = 0, carried = 0;
    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) {
      const EntryColumn& column = question_.entry_columns[c];
      Piece piece(column.type);
      switch (column.from) {
        case EntryColumn::From::key:
          for (std::uint32_t g = 0; g < all.groups(); ++g) all.keys[key].put(all.cell(key, g), piece);
          ++key;
          break;
        case EntryColumn::From::carried: {
          if (column.determined) {  // the first row speaks for all
            Evaluator evaluator(rows_, question_.slots);
            for (const std::uint32_t row : all.first_rows)
              append(piece, evaluator.evaluate(*column.node, row, 1, nullptr), 0);
            break;
          }
          const Carried& values = all.carried[carried++];
          if (const auto conflict = values.conflict()) several_values(column, values, all, *conflict);
          for (std::size_t g = 0; g < all.groups(); ++g) values.cells().put(values.values()[g], piece);
          break;
        }
        case EntryColumn::From::aggregate:
          entries.columns[c] = all.states[column.index].finish(all.groups(), entries.blanks[column.index], by_order);
          if (all.states[column.index].exact_mean())
            entries.means.push_back(all.states[column.index].mean(static_cast<int>(c), all.groups()));
          continue;
        default: continue;
      }
      entries.columns[c] = Column::seal(std::move(piece));
    }
    if (question_.keeps_states) entries.regroup = std::move(whole);
  }

  // Tells each piece's distinct count with which stretches of numbers the other pieces may overlap.
  void set_apart(std::vector<std::unique_ptr<Part>>& parts, std::size_t a) const {
    if (question_.aggregates[a]->kind != AggregateKind::count_distinct) return;
    if (question_.keeps_states) {  // counts of what a piece holds alone could not be taken together later
      for (auto& part : parts) part->states[a].set_apart({State::Range{.others = true}});
      return;
    }
    std::vector<State::Range> ranges(parts.size());
    parallel_for(parts.size(), run_, [&](std::size_t p) { ranges[p] = parts[p]->states[a].distinct_range(); });
    parallel_for(parts.size(), run_, [&](std::size_t p) {
      const State::Range& mine = ranges[p];
      std::vector<State::Range> meeting;
      for (std::size_t other = 0; other < parts.size(); ++other) {
        const State::Range& theirs = ranges[other];
        if (other != p &&
            (mine.others || theirs.others || (mine.least <= theirs.greatest && theirs.least <= mine.greatest)))
          meeting.push_back(theirs);
      }
      parts[p]->states[a].set_apart(meeting);
    });
  }

  [[noreturn]] void several_values(const EntryColumn& column, const Carried& values, const Part& all,
                                   std::size_t group) const {
    Evaluator evaluator(rows_, question_.slots);
    const auto shown = [&](const Node& node, std::uint32_t row) {
      const Value value = evaluator.evaluate(node, row, 1, nullptr).value(0);
      return is_null(value) ? std::string("blank") : "`" + to_text(value) + "`";
    };
    std::string entry;
    for (const EntryColumn& key : question_.entry_columns)
      if (key.from == EntryColumn::From::key)
        entry += (entry.empty() ? "" : ", ") + key.name + " " + shown(*key.node, all.first_rows[group]);
    Problem p{Code::several_values,
              "`" + column.name + "` has several values in one entry: " + entry + " has " +
                  shown(*column.node, values.first(group)) + " and " + shown(*column.node, values.second(group)),
              {},
              {},
              "total it (min, max, count), or add it to rank.each"};
    throw Error(std::move(p));
  }

  void collect_rows(const std::vector<std::unique_ptr<Part>>& parts, Entries& entries) const {
    for (const auto& part : parts)
      for (const auto& chosen : part->chosen_rows)
        entries.first_rows.insert(entries.first_rows.end(), chosen.begin(), chosen.end());
    entries.count = entries.first_rows.size();
    // Windows over entries come later.
    const auto later = [&](std::size_t c) {
      const EntryColumn::From from = question_.entry_columns[c].from;
      return from == EntryColumn::From::windowed || from == EntryColumn::From::window;
    };
    std::vector<std::vector<Piece>> pieces(question_.entry_columns.size());
    for (std::size_t c = 0; c < pieces.size(); ++c)
      for (std::size_t p = 0; p < parts.size(); ++p) pieces[c].emplace_back(question_.entry_columns[c].type);
    parallel_for(parts.size(), run_, [&](std::size_t p) {
      Evaluator evaluator(rows_, question_.slots);
      std::size_t batch = 0;
      std::vector<unsigned char> mask;
      each_batch(p, [&](std::size_t begin, std::size_t count) {
        const std::vector<std::uint32_t>& chosen = parts[p]->chosen_rows[batch++];
        if (chosen.empty()) return;
        mask.assign(count, 0);
        for (const std::uint32_t row : chosen) mask[row - begin] = 1;
        for (std::size_t c = 0; c < pieces.size(); ++c) {
          if (later(c)) continue;
          const Vector& v = evaluator.evaluate(*question_.entry_columns[c].node, begin, count, mask.data());
          for (const std::uint32_t row : chosen) append(pieces[c][p], v, row - begin);
        }
      });
    });
    for (std::size_t c = 0; c < pieces.size(); ++c)
      if (!later(c)) entries.columns[c] = Column::seal(question_.entry_columns[c].type, std::move(pieces[c]), run_);
  }

  // 4 bytes for each value of the range: at most 16 MiB a piece.
  static constexpr std::uint64_t direct_range = std::uint64_t{1} << 22;

  Question& question_;
  const JoinedRows& rows_;
  const Ladder& ladder_;
  const Run& run_;
  std::size_t total_, piece_rows_ = 0, pieces_ = 0;
  mutable std::mutex progress_mutex_;
  mutable std::size_t done_ = 0;
};

}  // namespace

Entries run_rows(Question& question, JoinedRows& rows, const Ladder& ladder, const Run& run) {
  RowStages stages(question, rows, ladder, run);
  stages.find_overalls();
  std::vector<WindowNotes> notes;
  WindowTimes times;
  std::vector<std::uint32_t> listed;
  Stopwatch watch;
  double count_seconds = 0;
  if (!question.row_windows.empty()) {
    const std::vector<std::uint32_t> counted = stages.counted();
    count_seconds = watch.lap();
    notes = work_out_row_windows(question, rows, counted, ladder, run, times, listed);
  }
  watch.lap();
  Entries entries = stages.run();
  entries.total_seconds = watch.lap();
  entries.count_seconds = count_seconds;
  entries.window_notes = std::move(notes);
  entries.window_times = std::move(times);
  entries.listed = std::move(listed);
  return entries;
}

}  // namespace lofty::engine
