#include "relation/totals.hpp"

#include <algorithm>
#include <mutex>
#include <optional>

#include "relation/added_entries.hpp"
#include "relation/direct_numbers.hpp"
#include "relation/ordered_totals.hpp"
#include "relation/part.hpp"
#include "relation/windows.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/zone.hpp"

namespace lofty::engine {
namespace {

// All states of all entries, for taking entries together.
class KeptStates final : public Regroup {
 public:
  KeptStates(const Question& question, AggregateStates::ByOrder by_order)
      : question_(question), by_order_(std::move(by_order)), part_(question) {}
  Part& part() { return part_; }

  std::vector<ColumnPtr> totals(const std::vector<std::uint32_t>& group_of, std::size_t groups) override {
    std::vector<ColumnPtr> out(question_.entry_columns.size());
    for (std::size_t c = 0; c < out.size(); ++c) {
      const EntryColumn& column = question_.entry_columns[c];
      if (column.from != EntryColumn::From::aggregate) continue;
      AggregateStates& fine = part_.states[column.index];
      if (!ready_ && question_.aggregates[column.index]->kind == AggregateKind::count_distinct)
        fine.set_apart({AggregateStates::Range{.others = true}});
      AggregateStates coarse(*question_.aggregates[column.index]);
      coarse.merge(fine, group_of, groups + 1);  // the last one is left out
      Entries::Blank unused;
      out[c] = coarse.finish(groups, unused, by_order_);
    }
    ready_ = true;
    return out;
  }

 private:
  const Question& question_;
  AggregateStates::ByOrder by_order_;
  Part part_;
  bool ready_ = false;  // distinct values are where merging looks for them
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
  RowStages(const Question& question, const JoinedRows& rows, const Ladder& ladder, const Inside* inside,
            const Run& run)
      : question_(question),
        rows_(rows),
        ladder_(ladder),
        // Units from the first to the last of all rows that count need all of them.
        inside_(question.every ? nullptr : inside),
        run_(run),
        pieces_(Pieces::few(rows.counting_rows(), batch_rows)) {}

  // The constants over all rows that count, by Question::overalls.
  std::vector<Value> find_overalls() const {
    std::vector<Value> values(question_.overalls.size());
    if (values.empty()) return values;
    std::vector<std::vector<Value>> best(pieces_.count(), std::vector<Value>(question_.overalls.size()));
    parallel_for(pieces_, run_, [&](const RowRange& rows, std::size_t piece) {
      Evaluator evaluator(rows_, rows_.context());
      const RowFilter filter({&question_.where_first});
      std::vector<unsigned char> mask;
      each_batch(rows, [&](std::size_t begin, std::size_t count) {
        filter.apply(evaluator, begin, count, mask);
        for (unsigned char& m : mask) m = m == 1;
        for (std::size_t o = 0; o < question_.overalls.size(); ++o) {
          const Overall& overall = *question_.overalls[o];
          const Vector& v = evaluator.evaluate(*overall.argument, begin, count, mask.data());
          if (const auto i = best_of(v, mask, overall.greatest)) improve(best[piece][o], v.value(*i), overall.greatest);
        }
      });
    });
    for (std::size_t o = 0; o < values.size(); ++o)
      for (const auto& of_piece : best)
        if (!is_null(of_piece[o])) improve(values[o], of_piece[o], question_.overalls[o]->greatest);
    return values;
  }

  // The rows that count, ascending.
  std::vector<std::uint32_t> counted() const {
    std::vector<std::vector<std::uint32_t>> of_piece(pieces_.count());
    parallel_for(pieces_, run_, [&](const RowRange& range, std::size_t piece) {
      Evaluator evaluator(rows_, rows_.context());
      const RowFilter filter({&question_.where_first, &question_.where_last});
      std::vector<unsigned char> mask;
      each_batch(range, [&](std::size_t begin, std::size_t count) {
        filter.apply(evaluator, begin, count, mask);
        for (std::size_t i = 0; i < count; ++i)
          if (mask[i] == 1) of_piece[piece].push_back(static_cast<std::uint32_t>(begin + i));
      });
    });
    std::vector<std::uint32_t> rows;
    for (const auto& some : of_piece) rows.insert(rows.end(), some.begin(), some.end());
    return rows;
  }

  Entries run() {
    std::vector<std::unique_ptr<Part>> parts(pieces_.count());
    Progress progress(run_, rows_.counting_rows());
    parallel_for(pieces_, progress, [&](const RowRange& range, std::size_t piece) {
      parts[piece] = std::make_unique<Part>(question_);
      run_piece(range, *parts[piece]);
    });

    // What the pieces found, in their order.
    Entries entries;
    entries.read = rows_.counting_rows();
    for (const auto& part : parts) {
      entries.left_out += part->left_out;
      entries.unknown += part->unknown;
      entries.counted += part->counted;
      entries.unknown_example = std::min(entries.unknown_example, part->unknown_example);
    }
    for (const auto& part : parts) entries.probed.add(part->probed);
    entries.caught.resize(question_.periods.size());
    for (const auto& part : parts)
      for (std::size_t p = 0; p < part->caught.size(); ++p) {
        entries.caught[p].rows += part->caught[p].rows;
        for (const auto& [day, rows] : part->caught[p].days) entries.caught[p].days[day] += rows;
      }

    entries.unknown_filters.resize(question_.aggregates.size());
    for (const auto& part : parts)
      for (std::size_t a = 0; a < part->unknown_filters.size(); ++a) {
        entries.unknown_filters[a].rows += part->unknown_filters[a].rows;
        entries.unknown_filters[a].example =
            std::min(entries.unknown_filters[a].example, part->unknown_filters[a].example);
      }

    // Their entries together.
    entries.columns.resize(question_.entry_columns.size());
    entries.blanks.resize(question_.aggregates.size());
    if (question_.row_level())
      collect_rows(parts, entries);
    else
      merge(parts, entries);
    return entries;
  }

 private:
  // The row of a batch that has the greatest or least value.
  static std::optional<std::size_t> best_of(const Vector& v, const std::vector<unsigned char>& mask, bool greatest) {
    std::optional<std::size_t> best;
    const bool whole = v.lane == Vector::Lane::int64;
    for (std::size_t i = 0; i < mask.size(); ++i) {
      if (mask[i] == 0 || v.is_null(i)) continue;
      const bool better = !best || (whole ? (greatest ? v.ints[*best] < v.ints[i] : v.ints[i] < v.ints[*best])
                                          : (greatest ? v.value(*best) < v.value(i) : v.value(i) < v.value(*best)));
      if (better) best = i;
    }
    return best;
  }
  static void improve(Value& best, const Value& value, bool greatest) {
    const bool better = is_null(best) || (greatest ? best < value : value < best);
    if (better) best = value;
  }

  template <class Work>
  void each_batch(const RowRange& rows, const Work& work) const {
    for (std::size_t begin = rows.begin; begin < rows.end; begin += batch_rows) {
      check_stop(run_);
      work(begin, std::min(batch_rows, rows.end - begin));
    }
  }

  void run_piece(const RowRange& rows, Part& part) {
    Evaluator evaluator(rows_, rows_.context());
    const RowFilter filter({&question_.where_first, &question_.where_last});
    std::vector<unsigned char> mask;
    std::vector<std::uint32_t> chosen, ids;
    std::vector<DirectNumbers> direct(part.keys.size(), DirectNumbers(rows.size()));
    std::vector<unsigned char> narrowed;
    std::optional<InsideFilter> inside;
    if (inside_ != nullptr) inside.emplace(question_, *inside_, rows.size());
    each_batch(rows, [&](std::size_t begin, std::size_t count) {
      filter.apply(evaluator, begin, count, mask);
      choose(mask, begin, part, chosen);
      part.counted += chosen.size();
      catch_periods(evaluator, begin, count, mask, part);
      if (question_.probe || question_.probed_row) probe(evaluator, begin, count, part, chosen);
      if (inside) inside->apply(evaluator, begin, count, mask, chosen);
      if (question_.row_level()) {
        if (part.chosen_rows.empty()) part.chosen_rows.reserve(rows.size());
        part.chosen_rows.insert(part.chosen_rows.end(), chosen.begin(), chosen.end());
        part.chosen_ends.push_back(static_cast<std::uint32_t>(part.chosen_rows.size()));
        return;
      }

      // The entries that they are of, and what these carry and total.
      if (chosen.empty()) return;
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
          std::size_t unknown = 0;
          for (std::size_t i = 0; i < count; ++i) {
            narrowed[i] = mask[i] && filtered->ints[i] == 1;
            unknown += mask[i] && filtered->ints[i] == int64_null;
          }
          if (unknown > 0) note_unknown(mask, *filtered, begin, unknown, part.unknown_filters[a]);
          active = narrowed.data();
        }
        const Vector* const values =
            aggregate.argument ? &evaluator.evaluate(*aggregate.argument, begin, count, active) : nullptr;
        part.states[a].add(chosen, ids, begin, values, filtered, part.groups());
      }
    });
  }

  static void note_unknown(const std::vector<unsigned char>& mask, const Vector& truth, std::size_t begin,
                           std::size_t unknown, Entries::UnknownFilter& noted) {
    for (std::size_t i = 0; noted.example == no_row && i < mask.size(); ++i)
      if (mask[i] != 0 && truth.ints[i] == int64_null) noted.example = static_cast<std::uint32_t>(begin + i);
    noted.rows += unknown;
  }

  // How each condition judges the rows in question, separately.
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

    // Those rows alone.
    const auto met = static_cast<std::size_t>(std::count(asked.begin(), asked.end(), 1));
    part.probed.rows += met;
    if (question_.only_probed) std::erase_if(chosen, [&](std::uint32_t row) { return asked[row - begin] == 0; });

    // Each condition separately.
    std::size_t at = 0;
    for (const auto* terms : {&question_.where_first, &question_.where_last})
      for (const NodePtr& term : *terms) {
        if (part.probed.terms.size() <= at) part.probed.terms.push_back({term->source()});
        Probed::Term& counts = part.probed.terms[at++];
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
              std::vector<std::uint32_t>& ids, std::vector<DirectNumbers>& direct) const {
    ids.assign(chosen.size(), 0);
    std::size_t key = 0;
    for (const EntryColumn& column : question_.entry_columns) {
      if (column.from != EntryColumn::From::key) continue;
      const Vector& v = evaluator.evaluate(*column.node, begin, count, mask.data());
      CellMaker& cells = part.keys[key];
      GroupTable& table = part.tables[key];
      if (DirectNumbers::takes(v, *column.node) && direct[key].pays()) {
        direct[key].number(v, begin, chosen, ids, [&](std::size_t i, std::uint32_t prefix) {
          return table.find_or_add({cells.cell(v, i), prefix});
        });
      } else {
        std::vector<GroupKey>& keys = part.batch_keys;
        keys.resize(chosen.size());
        for (std::size_t k = 0; k < chosen.size(); ++k) keys[k] = {cells.cell(v, chosen[k] - begin), ids[k]};
        table.number_all(keys.data(), keys.size(), keys.data(), [](std::size_t) {});
        const NumbersOver numbers(keys.data());
        for (std::size_t k = 0; k < chosen.size(); ++k) ids[k] = numbers.get(k);
      }
      ++key;
    }

    // New groups get their first rows.
    const std::size_t known = part.groups(), groups = part.tables.back().size();
    if (groups > known) {  // new ones come in their order
      part.row_counts.resize(groups);
      for (std::size_t k = 0; part.groups() < groups; ++k)
        if (ids[k] == part.groups()) part.first_rows.push_back(chosen[k]);
    }
    std::uint32_t* const counts = part.row_counts.data();
    for (const std::uint32_t id : ids) ++counts[id];
  }

  void merge(std::vector<std::unique_ptr<Part>>& parts, Entries& entries) const {
    const AggregateStates::ByOrder by_order = [this, &entries](
                                                  const Aggregate& aggregate, const std::vector<std::uint32_t>& rows,
                                                  const std::vector<std::uint32_t>& groups, std::size_t count) {
      InputDecided decided;
      ColumnPtr column = ordered_total(aggregate, rows_, rows, groups, count, ladder_, question_, run_, &decided);
      for (std::size_t a = 0; decided.groups > 0 && a < question_.aggregates.size(); ++a)
        if (question_.aggregates[a].get() == &aggregate)
          entries.undecided.push_back({a, decided.groups, decided.one, decided.other});
      return column;
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

    // Entries without rows, and the columns of all.
    if (question_.include) add_included(question_, rows_, all, run_);
    std::vector<std::uint8_t> without_rows;
    if (question_.every) without_rows = add_every_unit(question_, rows_, ladder_, all, run_);
    finish(all, entries, by_order, without_rows);
    if (question_.keeps_states) entries.regroup = std::move(whole);
  }

  // The columns of the entries, from all pieces together.
  // `filled`: by entry, whether a row of another unit speaks for it (rank.every); empty: for none.
  void finish(Part& all, Entries& entries, const AggregateStates::ByOrder& by_order,
              const std::vector<std::uint8_t>& filled) const {
    entries.count = all.groups();
    entries.first_rows = all.first_rows;
    entries.row_counts = all.row_counts;

    // Column by column.
    std::size_t key = 0, carried = 0;
    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) {
      const EntryColumn& column = question_.entry_columns[c];
      Piece piece(column.type);
      switch (column.from) {
        case EntryColumn::From::key:
          for (std::uint32_t g = 0; g < all.groups(); ++g) all.keys[key].put(all.cell(key, g), piece);
          ++key;
          break;
        case EntryColumn::From::carried:
          if (column.determined)
            put_of_first_rows(column, all, filled, piece);
          else
            put_carried(column, all, carried++, piece);
          break;
        case EntryColumn::From::aggregate:
          entries.columns[c] = all.states[column.index].finish(all.groups(), entries.blanks[column.index], by_order);
          if (all.states[column.index].exact_mean())
            entries.means.push_back(all.states[column.index].mean(static_cast<int>(c), all.groups()));
          continue;
        default: continue;
      }
      entries.columns[c] = Column::seal(std::move(piece));
    }
  }
  // The first row speaks for all.
  void put_of_first_rows(const EntryColumn& column, const Part& all, const std::vector<std::uint8_t>& filled,
                         Piece& piece) const {
    Evaluator evaluator(rows_, rows_.context());
    const bool by_unit = !filled.empty() && goes_by_unit(question_, *column.node);
    for (std::size_t g = 0; g < all.groups(); ++g) {
      if (by_unit && filled[g] != 0)
        piece.add_null();
      else
        append(piece, evaluator.evaluate(*column.node, all.first_rows[g], 1, nullptr), 0);
    }
  }
  void put_carried(const EntryColumn& column, const Part& all, std::size_t number, Piece& piece) const {
    const Carried& values = all.carried[number];
    if (const auto conflict = values.conflict()) several_values(column, values, all, *conflict);
    for (std::size_t g = 0; g < all.groups(); ++g) values.cells().put(values.values()[g], piece);
  }

  // Tells each piece's distinct count with which stretches of numbers the other pieces may overlap.
  void set_apart(std::vector<std::unique_ptr<Part>>& parts, std::size_t a) const {
    if (question_.aggregates[a]->kind != AggregateKind::count_distinct) return;
    if (question_.keeps_states) {  // counts of what a piece holds alone could not be taken together later
      for (auto& part : parts) part->states[a].set_apart({AggregateStates::Range{.others = true}});
      return;
    }
    std::vector<AggregateStates::Range> ranges(parts.size());
    parallel_for(parts.size(), run_, [&](std::size_t p) { ranges[p] = parts[p]->states[a].distinct_range(); });
    parallel_for(parts.size(), run_, [&](std::size_t p) {
      const AggregateStates::Range& mine = ranges[p];
      std::vector<AggregateStates::Range> meeting;
      for (std::size_t other = 0; other < parts.size(); ++other) {
        const AggregateStates::Range& theirs = ranges[other];
        if (other != p &&
            (mine.others || theirs.others || (mine.least <= theirs.greatest && theirs.least <= mine.greatest)))
          meeting.push_back(theirs);
      }
      parts[p]->states[a].set_apart(meeting);
    });
  }

  [[noreturn]] void several_values(const EntryColumn& column, const Carried& values, const Part& all,
                                   std::size_t group) const {
    Evaluator evaluator(rows_, rows_.context());
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
    for (const auto& part : parts) entries.count += part->chosen_rows.size();
    entries.first_rows.reserve(entries.count);
    for (const auto& part : parts)
      entries.first_rows.insert(entries.first_rows.end(), part->chosen_rows.begin(), part->chosen_rows.end());

    // Windows over entries come later.
    const auto later = [&](std::size_t c) {
      const EntryColumn::From from = question_.entry_columns[c].from;
      return from == EntryColumn::From::windowed || from == EntryColumn::From::window;
    };

    // A column of a table in which every row counts is there already; numbers are picked where some do not. (Texts that
    // do not occur would stay in the dictionary.)
    const bool all = entries.count == rows_.rows();
    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) {
      const EntryColumn& column = question_.entry_columns[c];
      if (later(c) || column.node->op != Op::name || column.type.zoned) continue;
      const ColumnPtr own = rows_.as_it_is(column.node->column);
      if (!own || !(own->type() == column.type)) continue;
      if (all)
        entries.columns[c] = own;
      else if (own->lane() == Lane::int64)
        entries.columns[c] = Column::picked(*own, entries.first_rows, run_);
    }

    // The columns of the rows that count, piece by piece.
    bool whole = true;
    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) whole = whole && (later(c) || entries.columns[c]);
    if (whole) return;
    std::vector<std::vector<Piece>> pieces(question_.entry_columns.size());
    for (std::size_t c = 0; c < pieces.size(); ++c)
      for (std::size_t p = 0; p < parts.size(); ++p) pieces[c].emplace_back(question_.entry_columns[c].type);
    parallel_for(pieces_, run_, [&](const RowRange& rows, std::size_t p) {
      Evaluator evaluator(rows_, rows_.context());
      std::size_t batch = 0;
      std::vector<unsigned char> mask;
      std::vector<std::uint32_t> chosen;
      std::vector<Appender> appenders(pieces.size());
      each_batch(rows, [&](std::size_t begin, std::size_t count) {
        const auto from = parts[p]->chosen_rows.begin() + (batch > 0 ? parts[p]->chosen_ends[batch - 1] : 0);
        chosen.assign(from, parts[p]->chosen_rows.begin() + parts[p]->chosen_ends[batch++]);
        if (chosen.empty()) return;
        mask.assign(count, 0);
        for (const std::uint32_t row : chosen) mask[row - begin] = 1;
        for (std::size_t c = 0; c < pieces.size(); ++c) {
          if (later(c) || entries.columns[c]) continue;
          const Vector& v = evaluator.evaluate(*question_.entry_columns[c].node, begin, count, mask.data());
          appenders[c].append(pieces[c][p], v, chosen, begin);
        }
      });
    });
    for (std::size_t c = 0; c < pieces.size(); ++c)
      if (!later(c) && !entries.columns[c])
        entries.columns[c] = Column::seal(question_.entry_columns[c].type, std::move(pieces[c]), run_);
  }

  const Question& question_;
  const JoinedRows& rows_;
  const Ladder& ladder_;
  const Inside* const inside_;
  const Run& run_;
  const Pieces pieces_;
};

}  // namespace

Entries run_rows(const Question& question, JoinedRows& rows, const Ladder& ladder, const Inside* inside,
                 const Run& run) {
  const Phases phases(run, {question.row_windows.empty() ? 0.0 : 2.0, 3.0});
  RowStages stages(question, rows, ladder, inside, phases[1]);
  rows.set_overalls(stages.find_overalls());
  std::vector<WindowNotes> notes;
  WindowTimes times;
  std::vector<std::uint32_t> listed;
  Stopwatch watch;
  double count_seconds = 0;
  if (!question.row_windows.empty()) {
    const std::vector<std::uint32_t> counted = stages.counted();
    count_seconds = watch.lap();
    notes = work_out_row_windows(question, rows, counted, ladder, phases[0], times, listed);
  }
  watch.lap();
  Entries entries = stages.run();
  entries.total_seconds = watch.lap();
  entries.count_seconds = count_seconds;
  entries.window_notes = std::move(notes);
  entries.window_times = std::move(times);
  entries.listed = std::move(listed);
  entries.context = rows.context();
  return entries;
}

}  // namespace lofty::engine
