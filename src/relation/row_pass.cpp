#include "relation/row_pass.hpp"

#include <algorithm>

#include "order/mix.hpp"
#include "relation/dealt_totals.hpp"
#include "table/zone.hpp"

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

// The rows that count, without a branch a row; and what becomes of the others, added to `counts`.
template <class Counts>
void choose(std::vector<unsigned char>& mask, std::size_t begin, Counts& counts, std::vector<std::uint32_t>& chosen) {
  chosen.resize(mask.size());
  std::size_t count = 0, unknown = 0;
  for (std::size_t i = 0; i < mask.size(); ++i) {
    chosen[count] = static_cast<std::uint32_t>(begin + i);
    count += mask[i] == 1;
    unknown += mask[i] == 2;
  }
  chosen.resize(count);
  counts.left_out += mask.size() - count - unknown;
  counts.unknown += unknown;
  if (unknown > 0) {
    const auto first = static_cast<std::size_t>(std::find(mask.begin(), mask.end(), 2) - mask.begin());
    counts.unknown_example = std::min(counts.unknown_example, static_cast<std::uint32_t>(begin + first));
  }
  for (unsigned char& m : mask) m = m == 1;
}

}  // namespace

RowPass::RowPass(const Question& question, const JoinedRows& rows, const Inside* inside, const Run& run,
                 const Pieces& pieces)
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
      choose(mask, begin, of_piece[piece], chosen);
      of_piece[piece].rows.insert(of_piece[piece].rows.end(), chosen.begin(), chosen.end());
    });
  });
  RowsThatCount all;
  for (const RowsThatCount& some : of_piece) {
    all.rows.insert(all.rows.end(), some.rows.begin(), some.rows.end());
    all.left_out += some.left_out;
    all.unknown += some.unknown;
    all.unknown_example = std::min(all.unknown_example, some.unknown_example);
  }
  return all;
}

std::vector<std::unique_ptr<Part>> RowPass::parts(bool may_deal) const {
  std::vector<std::unique_ptr<Part>> parts(pieces_.count());
  Progress progress(run_, rows_.counting_rows());
  parallel_for(pieces_, progress, [&](const RowRange& range, std::size_t piece) {
    parts[piece] = std::make_unique<Part>(question_);
    if (may_deal) parts[piece]->deals_from = most_entries_together / pieces_.count();
    run_piece(range, *parts[piece]);
    parts[piece]->direct.clear();
    if (parts[piece]->dealt) parts[piece]->dealt->finish();
  });
  return parts;
}

void RowPass::add_to(std::vector<std::unique_ptr<Part>>& parts) const {
  parallel_for(pieces_, run_, [&](const RowRange& range, std::size_t piece) { run_piece(range, *parts[piece]); });
}

void RowPass::run_piece(const RowRange& rows, Part& part) const {
  Evaluator evaluator(rows_, rows_.context());
  const RowFilter filter({&question_.where_first, &question_.where_last});
  std::vector<unsigned char> mask;
  std::vector<std::uint32_t> chosen;
  if (part.direct.empty()) part.direct.resize(part.keys.size(), DirectNumbers(rows.size()));
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

    if (chosen.empty()) return;
    if (part.dealt)
      deal(part, evaluator, begin, count, mask, chosen, narrowed);
    else
      total(part, evaluator, begin, count, mask, chosen, narrowed);
  });
  if (part.dealt) part.direct.clear();
}

// The entries that the rows are of, and what these carry and total.
void RowPass::total(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
                    const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
                    std::vector<unsigned char>& narrowed) const {
  const std::size_t known = part.groups();
  std::vector<std::uint32_t>& ids = part.batch_ids;
  number(part, evaluator, begin, count, mask, chosen, ids);
  std::size_t carried = 0;
  for (const EntryColumn& column : question_.entry_columns) {
    if (!part.carries(column)) continue;
    Carried& values = part.carried[carried++];
    if (!column.determined)
      values.add(chosen, ids, begin, evaluator.evaluate(*column.node, begin, count, mask.data()), part.groups());
    else if (part.groups() > known)
      take_first_rows(part, evaluator, begin, count, known, *column.node, values);
  }
  for (std::size_t a = 0; a < part.states.size(); ++a) {
    const Totalled all = totalled(part, a, evaluator, begin, count, mask, narrowed);
    part.states[a].add(chosen, ids, begin, all.values, all.filter, part.groups());
  }
  if (part.groups() > part.deals_from) part.dealt = std::make_unique<DealtRows>(dealt_cells(part));
}

// What the first rows of the groups from `known` on have in this column.
void RowPass::take_first_rows(const Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
                              std::size_t known, const Node& node, Carried& values) const {
  std::vector<std::uint32_t> rows, ids;
  std::vector<unsigned char> first(count, 0);
  for (auto group = static_cast<std::uint32_t>(known); group < part.groups(); ++group) {
    ids.push_back(group);
    rows.push_back(part.first_rows[group] - part.rows_before);
    first[rows.back() - begin] = 1;
  }
  values.add(rows, ids, begin, evaluator.evaluate(node, begin, count, first.data()), part.groups());
}

// An aggregate's values, and which of the rows its filter lets through; null where it has none.
RowPass::Totalled RowPass::totalled(Part& part, std::size_t a, Evaluator& evaluator, std::size_t begin,
                                    std::size_t count, const std::vector<unsigned char>& mask,
                                    std::vector<unsigned char>& narrowed) const {
  const Aggregate& aggregate = *question_.aggregates[a];
  Totalled all;
  const unsigned char* active = mask.data();
  if (aggregate.filter) {
    all.filter = &evaluator.evaluate(*aggregate.filter, begin, count, mask.data());
    narrowed.resize(count);
    std::size_t unknown = 0;
    for (std::size_t i = 0; i < count; ++i) {
      narrowed[i] = mask[i] && all.filter->ints[i] == 1;
      unknown += mask[i] && all.filter->ints[i] == int64_null;
    }
    if (unknown > 0) note_unknown(mask, *all.filter, begin, unknown, part.unknown_filters[a]);
    active = narrowed.data();
  }
  if (aggregate.argument) all.values = &evaluator.evaluate(*aggregate.argument, begin, count, active);
  return all;
}

// The rows go to their partitions, with the cells of their keys, of what entries carry, and of what they total.
void RowPass::deal(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
                   const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
                   std::vector<unsigned char>& narrowed) const {
  DealtRows& dealt = *part.dealt;
  dealt.begin(chosen.size());
  for (std::size_t k = 0; k < chosen.size(); ++k) dealt.put_row(k, part.rows_before + chosen[k]);

  std::vector<std::uint64_t>& hashes = part.batch_hashes;
  hashes.assign(chosen.size(), 0);
  std::size_t cell = 0, key = 0, carried = 0;
  for (const EntryColumn& column : question_.entry_columns) {
    if (column.from != EntryColumn::From::key) continue;
    const Vector& v = evaluator.evaluate(*column.node, begin, count, mask.data());
    CellMaker& cells = part.keys[key++];
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      const Cell one = cells.cell(v, chosen[k] - begin);
      dealt.put(k, cell, one);
      hashes[k] = mix_two(hashes[k], cells.hash(one));
    }
    ++cell;
  }
  for (const EntryColumn& column : question_.entry_columns) {
    if (!part.carries(column)) continue;
    const Vector& v = evaluator.evaluate(*column.node, begin, count, mask.data());
    CellMaker& cells = part.carried[carried++].cells();
    for (std::size_t k = 0; k < chosen.size(); ++k) dealt.put(k, cell, cells.cell(v, chosen[k] - begin));
    ++cell;
  }
  for (std::size_t a = 0; a < part.states.size(); ++a) {
    const Totalled all = totalled(part, a, evaluator, begin, count, mask, narrowed);
    if (!is_dealt(*question_.aggregates[a])) continue;
    const bool counts = question_.aggregates[a]->kind == AggregateKind::count;
    for (std::size_t k = 0; k < chosen.size(); ++k) {
      const std::size_t i = chosen[k] - begin;
      if (all.filter != nullptr && all.filter->ints[i] != 1)
        dealt.put(k, cell, {0, filtered_out});
      else if (all.values == nullptr || (counts && !all.values->is_null(i)))
        dealt.put(k, cell, {0, CellMaker::number});
      else
        dealt.put(k, cell, counts ? Cell() : part.states[a].cells().cell(*all.values, i));
    }
    ++cell;
  }
  dealt.deal(hashes);
}

// How each condition judges the rows in question, separately.
void RowPass::probe(Evaluator& evaluator, std::size_t begin, std::size_t count, Part& part,
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
void RowPass::catch_periods(Evaluator& evaluator, std::size_t begin, std::size_t count,
                            const std::vector<unsigned char>& mask, Part& part) const {
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

void RowPass::number(Part& part, Evaluator& evaluator, std::size_t begin, std::size_t count,
                     const std::vector<unsigned char>& mask, const std::vector<std::uint32_t>& chosen,
                     std::vector<std::uint32_t>& ids) const {
  ids.assign(chosen.size(), 0);
  std::size_t key = 0;
  for (const EntryColumn& column : question_.entry_columns) {
    if (column.from != EntryColumn::From::key) continue;
    const Vector& v = evaluator.evaluate(*column.node, begin, count, mask.data());
    CellMaker& cells = part.keys[key];
    GroupTable& table = part.tables[key];
    if (DirectNumbers::takes(v, *column.node) && part.direct[key].pays()) {
      part.direct[key].number(v, begin, chosen, ids, [&](std::size_t i, std::uint32_t prefix) {
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
      if (ids[k] == part.groups()) part.first_rows.push_back(part.rows_before + chosen[k]);
  }
  std::uint32_t* const counts = part.row_counts.data();
  for (const std::uint32_t id : ids) ++counts[id];
}

void add_counts(const std::vector<std::unique_ptr<Part>>& parts, const Question& question, Entries& entries) {
  for (const auto& part : parts) {
    entries.left_out += part->left_out;
    entries.unknown += part->unknown;
    entries.counted += part->counted;
    entries.unknown_example = std::min(entries.unknown_example, part->unknown_example);
  }
  for (const auto& part : parts) entries.probed.add(part->probed);
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
