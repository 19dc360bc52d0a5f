#include "relation/row_pass.hpp"

#include <algorithm>

#include "base/mix.hpp"
#include "relation/dealt_totals.hpp"
#include "value/zone.hpp"

namespace lofty::engine {
namespace {

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

// The row of a batch that has the greatest or least value.
std::optional<std::size_t> best_of(const Vector& v, const std::vector<unsigned char>& mask, bool greatest) {
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
void improve(Value& best, const Value& value, bool greatest) {
  const bool better = is_null(best) || (greatest ? best < value : value < best);
  if (better) best = value;
}

void note_unknown(const std::vector<unsigned char>& mask, const Vector& truth, std::size_t begin, std::size_t unknown,
                  Entries::UnknownFilter& noted) {
  for (std::size_t i = 0; noted.example == no_row && i < mask.size(); ++i)
    if (mask[i] != 0 && truth.ints[i] == int64_null) noted.example = static_cast<std::uint32_t>(begin + i);
  noted.rows += unknown;
}

// The rows that count, without a branch a row; all are added to `counts`.
void choose(std::vector<unsigned char>& mask, std::size_t begin, RowCounts& counts,
            std::vector<std::uint32_t>& chosen) {
  chosen.resize(mask.size());
  std::size_t count = 0, unknown = 0;
  for (std::size_t i = 0; i < mask.size(); ++i) {
    chosen[count] = static_cast<std::uint32_t>(begin + i);
    count += mask[i] == 1;
    unknown += mask[i] == 2;
  }
  chosen.resize(count);
  counts.read += mask.size();
  counts.left_out += mask.size() - count - unknown;
  counts.unknown += unknown;
  counts.counted += count;
  if (unknown > 0) {
    const auto first = static_cast<std::size_t>(std::find(mask.begin(), mask.end(), 2) - mask.begin());
    counts.unknown_example = std::min(counts.unknown_example, static_cast<std::uint32_t>(begin + first));
  }
  for (unsigned char& m : mask) m = m == 1;
}

// The rows of a piece on their way into its part, a batch at a time.
class PieceTotals {
 public:
  PieceTotals(const Question& question, const JoinedRows& rows, const Inside* inside, const RowRange& range,
              PartialTotals& part)
      : question_(question), evaluator_(rows, rows.context()), range_(range), part_(part) {
    if (inside != nullptr) inside_.emplace(question, *inside, range.size());
    if (part.direct.empty()) part.direct.resize(part.keys.size(), DirectNumbers(range.size()));
  }

  void run(const Run& run) {
    for (begin_ = range_.begin; begin_ < range_.end; begin_ += batch_rows) {
      check_stop(run);
      count_ = std::min(batch_rows, range_.end - begin_);
      take_batch();
    }
    if (part_.dealt) part_.direct.clear();
  }

 private:
  void take_batch() {
    filter_.apply(evaluator_, begin_, count_, mask_);
    choose(mask_, begin_, part_.rows, chosen_);
    catch_periods();
    if (question_.probe.any()) probe();
    if (inside_) inside_->apply(evaluator_, begin_, count_, mask_, chosen_);
    if (question_.row_level()) {
      if (part_.chosen_rows.empty()) part_.chosen_rows.reserve(range_.size());
      part_.chosen_rows.insert(part_.chosen_rows.end(), chosen_.begin(), chosen_.end());
      part_.chosen_ends.push_back(static_cast<std::uint32_t>(part_.chosen_rows.size()));
    } else if (!chosen_.empty()) {
      part_.dealt ? deal() : total();
    }
  }

  // The entries that the rows are of, and what these carry and total.
  void total() {
    const std::size_t known = part_.groups();
    number();
    std::size_t carried = 0;
    for (const EntryColumn& column : question_.entry_columns) {
      if (!part_.carries(column)) continue;
      Carried& values = part_.carried[carried++];
      if (!column.determined)
        values.add(chosen_, ids_, begin_, evaluator_.evaluate(*column.node, begin_, count_, mask_.data()),
                   part_.groups());
      else if (part_.groups() > known)
        take_first_rows(known, *column.node, values);
    }
    for (std::size_t a = 0; a < part_.states.size(); ++a) {
      const Totalled all = totalled(a);
      part_.states[a].add(chosen_, ids_, begin_, all.values, all.filter, part_.groups());
    }
    if (part_.groups() > part_.deals_from) part_.dealt = std::make_unique<DealtRows>(dealt_cells(part_));
  }

  // What the first rows of the groups from `known` on have in this column.
  void take_first_rows(std::size_t known, const Node& node, Carried& values) {
    std::vector<std::uint32_t> rows, ids;
    std::vector<unsigned char> first(count_, 0);
    for (auto group = static_cast<std::uint32_t>(known); group < part_.groups(); ++group) {
      ids.push_back(group);
      rows.push_back(part_.first_rows[group] - part_.rows_before);
      first[rows.back() - begin_] = 1;
    }
    values.add(rows, ids, begin_, evaluator_.evaluate(node, begin_, count_, first.data()), part_.groups());
  }

  // An aggregate's values, and which of the rows its filter lets through; null where it has none.
  struct Totalled {
    const Vector *values = nullptr, *filter = nullptr;
  };
  Totalled totalled(std::size_t a) {
    const Aggregate& aggregate = *question_.aggregates[a];
    Totalled all;
    const unsigned char* active = mask_.data();
    if (aggregate.filter) {
      all.filter = &evaluator_.evaluate(*aggregate.filter, begin_, count_, mask_.data());
      narrowed_.resize(count_);
      std::size_t unknown = 0;
      unsigned char* const narrowed = narrowed_.data();
      const unsigned char* const mask = mask_.data();
      const std::int64_t* const truth = all.filter->ints.data();
      for (std::size_t i = 0, count = count_; i < count; ++i) {
        narrowed[i] = mask[i] && truth[i] == 1;
        unknown += mask[i] && truth[i] == int64_null;
      }
      if (unknown > 0) note_unknown(mask_, *all.filter, begin_, unknown, part_.unknown_filters[a]);
      active = narrowed_.data();
    }
    if (aggregate.argument) all.values = &evaluator_.evaluate(*aggregate.argument, begin_, count_, active);
    return all;
  }

  // The rows go to their partitions, with the cells of their keys, of what entries carry, and of what they total.
  void deal() {
    DealtRows& dealt = *part_.dealt;
    dealt.begin(chosen_.size());
    for (std::size_t k = 0; k < chosen_.size(); ++k) dealt.put_row(k, part_.rows_before + chosen_[k]);

    std::vector<std::uint64_t>& hashes = hashes_;
    hashes.assign(chosen_.size(), 0);
    std::size_t cell = 0, key = 0, carried = 0;
    for (const EntryColumn& column : question_.entry_columns) {
      if (column.from != EntryColumn::From::key) continue;
      const Vector& v = evaluator_.evaluate(*column.node, begin_, count_, mask_.data());
      CellMaker& cells = part_.keys[key++];
      for (std::size_t k = 0; k < chosen_.size(); ++k) {
        const Cell one = cells.cell(v, chosen_[k] - begin_);
        dealt.put(k, cell, one);
        hashes[k] = mix_two(hashes[k], cells.hash(one));
      }
      ++cell;
    }
    for (const EntryColumn& column : question_.entry_columns) {
      if (!part_.carries(column)) continue;
      const Vector& v = evaluator_.evaluate(*column.node, begin_, count_, mask_.data());
      CellMaker& cells = part_.carried[carried++].cells();
      for (std::size_t k = 0; k < chosen_.size(); ++k) dealt.put(k, cell, cells.cell(v, chosen_[k] - begin_));
      ++cell;
    }
    for (std::size_t a = 0; a < part_.states.size(); ++a) {
      const Totalled all = totalled(a);
      if (!is_dealt(*question_.aggregates[a])) continue;
      const bool counts = question_.aggregates[a]->kind == AggregateKind::count;
      for (std::size_t k = 0; k < chosen_.size(); ++k) {
        const std::size_t i = chosen_[k] - begin_;
        if (all.filter != nullptr && all.filter->ints[i] != 1)
          dealt.put(k, cell, {0, filtered_out});
        else if (all.values == nullptr || (counts && !all.values->is_null(i)))
          dealt.put(k, cell, {0, CellMaker::number});
        else
          dealt.put(k, cell, counts ? Cell() : part_.states[a].cells().cell(*all.values, i));
      }
      ++cell;
    }
    dealt.deal(hashes);
  }

  // How each condition judges the rows in question, separately.
  void probe() {
    std::vector<unsigned char> asked(count_, 0);
    if (question_.probe.row) {
      if (*question_.probe.row >= begin_ && *question_.probe.row < begin_ + count_)
        asked[*question_.probe.row - begin_] = 1;
    } else {
      const Vector& truth = evaluator_.evaluate(*question_.probe.condition, begin_, count_, nullptr);
      for (std::size_t i = 0; i < count_; ++i) asked[i] = truth.ints[i] == 1;
    }

    // Those rows alone.
    const auto met = static_cast<std::size_t>(std::count(asked.begin(), asked.end(), 1));
    part_.probed.rows += met;
    if (question_.probe.alone) std::erase_if(chosen_, [&](std::uint32_t row) { return asked[row - begin_] == 0; });

    // Each condition separately.
    std::size_t at = 0;
    for (const auto* terms : {&question_.where_first, &question_.where_last})
      for (const NodePtr& term : *terms) {
        if (part_.probed.terms.size() <= at) part_.probed.terms.push_back({term->source()});
        Probed::Term& counts = part_.probed.terms[at++];
        if (met == 0) continue;
        const bool null = term->op == Op::null;
        const Vector* const judged = null ? nullptr : &evaluator_.evaluate(*term, begin_, count_, asked.data());
        for (std::size_t i = 0; i < count_; ++i) {
          if (asked[i] == 0) continue;
          counts.left_out += judged != nullptr && judged->ints[i] == 0;
          counts.unknown += judged == nullptr || judged->ints[i] == int64_null;
        }
      }
  }

  // What each period holds of the rows that count.
  void catch_periods() {
    for (std::size_t p = 0; p < question_.periods.size(); ++p) {
      const PeriodUse& period = question_.periods[p];
      Entries::Caught& caught = part_.caught[p];
      const Vector& moments = evaluator_.evaluate(*period.on, begin_, count_, mask_.data());
      const Vector& within = evaluator_.evaluate(*period.condition, begin_, count_, mask_.data());
      std::int64_t before = int64_null;
      std::size_t* of_day = nullptr;
      for (std::size_t i = 0; i < count_; ++i) {
        if (mask_[i] == 0 || within.ints[i] != 1) continue;
        ++caught.rows;
        const std::int64_t day = day_at(moments.type, moments.ints[i]);
        if (day != before || of_day == nullptr) of_day = &caught.days[day];  // neighbours often share their day
        ++*of_day;
        before = day;
      }
    }
  }

  // Which entry each row is of: ids_.
  void number() {
    std::vector<std::uint32_t>& ids = ids_;
    ids.assign(chosen_.size(), 0);
    std::size_t key = 0;
    for (const EntryColumn& column : question_.entry_columns) {
      if (column.from != EntryColumn::From::key) continue;
      const Vector& v = evaluator_.evaluate(*column.node, begin_, count_, mask_.data());
      CellMaker& cells = part_.keys[key];
      GroupTable& table = part_.tables[key];
      if (DirectNumbers::takes(v, *column.node) && part_.direct[key].pays()) {
        part_.direct[key].number(v, begin_, chosen_, ids, [&](std::size_t i, std::uint32_t prefix) {
          return table.find_or_add({cells.cell(v, i), prefix});
        });
      } else {
        std::vector<GroupKey>& keys = keys_;
        keys.resize(chosen_.size());
        for (std::size_t k = 0; k < chosen_.size(); ++k) keys[k] = {cells.cell(v, chosen_[k] - begin_), ids[k]};
        table.number_all(keys.data(), keys.size(), keys.data(), [](std::size_t) {});
        const NumbersOver numbers(keys.data());
        for (std::size_t k = 0; k < chosen_.size(); ++k) ids[k] = numbers.get(k);
      }
      ++key;
    }

    // New groups get their first rows.
    const std::size_t known = part_.groups(), groups = part_.tables.back().size();
    if (groups > known) {  // new ones come in their order
      part_.row_counts.resize(groups);
      for (std::size_t k = 0; part_.groups() < groups; ++k)
        if (ids[k] == part_.groups()) part_.first_rows.push_back(part_.rows_before + chosen_[k]);
    }
    std::uint32_t* const counts = part_.row_counts.data();
    for (const std::uint32_t id : ids) ++counts[id];
  }

  const Question& question_;
  Evaluator evaluator_;
  const RowFilter filter_{{&question_.where_first, &question_.where_last}};
  std::optional<InsideFilter> inside_;
  const RowRange range_;
  PartialTotals& part_;
  // Of the batch: its rows, which of them count, and which of those a filter lets through.
  std::size_t begin_ = 0, count_ = 0;
  std::vector<unsigned char> mask_, narrowed_;
  std::vector<std::uint32_t> chosen_, ids_;  // rows that count, and their entries
  std::vector<GroupKey> keys_;
  std::vector<std::uint64_t> hashes_;
};

}  // namespace

RowPass::RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run,
                 const RowRanges& pieces)
    : question_(question),
      rows_(rows),
      // Units from the first to the last of all rows that count need all of them.
      inside_(question.fill ? nullptr : inside),
      run_(run),
      pieces_(pieces) {}

std::vector<Value> RowPass::find_overalls(std::vector<Value> so_far) const {
  std::vector<Value> values = std::move(so_far);
  values.resize(question_.overalls.size());
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

RowsThatCount RowPass::counted() const {
  std::vector<RowsThatCount> of_piece(pieces_.count());
  parallel_for(pieces_, run_, [&](const RowRange& range, std::size_t piece) {
    Evaluator evaluator(rows_, rows_.context());
    const RowFilter filter({&question_.where_first, &question_.where_last});
    std::vector<unsigned char> mask;
    std::vector<std::uint32_t> chosen;
    each_batch(range, [&](std::size_t begin, std::size_t count) {
      filter.apply(evaluator, begin, count, mask);
      choose(mask, begin, of_piece[piece].counts, chosen);
      of_piece[piece].rows.insert(of_piece[piece].rows.end(), chosen.begin(), chosen.end());
    });
  });
  RowsThatCount all;
  for (const RowsThatCount& some : of_piece) {
    all.rows.insert(all.rows.end(), some.rows.begin(), some.rows.end());
    all.counts.add(some.counts);
  }
  return all;
}

void RowPass::add_to(std::vector<std::unique_ptr<PartialTotals>>& parts) const {
  Progress progress(run_, rows_.counting_rows());
  parallel_for(pieces_, progress, [&](const RowRange& range, std::size_t piece) {
    PieceTotals(question_, rows_, inside_, range, *parts[piece]).run(run_);
  });
}

void add_counts(const std::vector<std::unique_ptr<PartialTotals>>& parts, const Question& question, Entries& entries) {
  for (const auto& part : parts) {
    entries.rows.add(part->rows);
    entries.probed.add(part->probed);
  }
  entries.caught.resize(question.periods.size());
  for (const auto& part : parts)
    for (std::size_t p = 0; p < part->caught.size(); ++p) {
      entries.caught[p].rows += part->caught[p].rows;
      for (const auto& [day, rows] : part->caught[p].days) entries.caught[p].days[day] += rows;
    }

  entries.unknown_filters.resize(question.aggregates.size());
  for (const auto& part : parts)
    for (std::size_t a = 0; a < part->unknown_filters.size(); ++a) {
      entries.unknown_filters[a].rows += part->unknown_filters[a].rows;
      entries.unknown_filters[a].example =
          std::min(entries.unknown_filters[a].example, part->unknown_filters[a].example);
    }
}

}  // namespace lofty::engine
