#include "relation/stretch_totals.hpp"

#include <algorithm>

#include "relation/ordered_totals.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"

namespace lofty::engine {

bool takes_stretches(const Question& question) {
  const auto joins_as_it_goes = [](const JoinUse& join) {
    return (join.type == JoinType::left || join.type == JoinType::inner) && !join.include;
  };
  const auto by_order = [](const auto& aggregate) { return goes_by_order(aggregate->kind); };
  return !question.row_level() && question.row_windows.empty() && question.overalls.empty() && !question.probe &&
         !question.probed_row && !question.include && !question.every &&
         std::all_of(question.joins.begin(), question.joins.end(), joins_as_it_goes) &&
         std::none_of(question.aggregates.begin(), question.aggregates.end(), by_order);
}

StretchTotals::StretchTotals(const Question& question, const Run& run)
    : question_(question),
      run_(run),
      kept_(std::make_shared<KeptStates>(question, AggregateStates::ByOrder(), true)),
      all_(kept_->part()),
      ascending_(question.aggregates.size()) {
  for (const EntryColumn& column : question.entry_columns) of_first_rows_.emplace_back(column.type);
  const Table& table = question.tables.front().table;
  for (std::size_t c = 0; c < table.headings().size(); ++c)
    if (table.holds(c) && table.type(c).kind == Kind::text) {
      texts_.push_back(c);
      entries_.texts_met[c];
    }
}

void StretchTotals::add(std::size_t rows_before) {
  Stopwatch watch;
  const JoinedRows rows(question_, run_, joins_);
  watch.lap();
  std::vector<std::unique_ptr<Part>> parts =
      RowPass(question_, rows, nullptr, run_, Pieces::per_thread(rows.counting_rows(), run_, batch_rows)).parts();
  entries_.read += rows.counting_rows();
  for (std::size_t a = 0; first_ && a < ascending_.size(); ++a) expect_distinct_ascend(parts, a);
  first_ = false;

  // Part by part, with rows as the whole table counts them.
  const auto in_table = [&](std::uint32_t row) {
    return static_cast<std::uint32_t>(rows_before + rows.row_of_table(0, row));
  };
  for (auto& part : parts) {
    for (std::size_t a = 0; a < ascending_.size(); ++a) set_apart(*part, a);
    const std::vector<std::uint32_t> first_rows = part->first_rows;
    part->renumber_rows(in_table);
    const std::size_t known = all_.groups();
    take_first_rows(rows, first_rows, merge_part(all_, *part), known);
  }
  add_counts(parts, question_, entries_);
  for (const Carried& values : all_.carried)
    if (values.conflict()) throw RowsNeeded{};
  count_texts();
  entries_.total_seconds += watch.lap();
}

// Whether a distinct count's numbers ascend in the first stretch.
void StretchTotals::expect_distinct_ascend(const std::vector<std::unique_ptr<Part>>& parts, std::size_t aggregate) {
  if (question_.aggregates[aggregate]->kind != AggregateKind::count_distinct || question_.keeps_states) return;
  Ascending& ascending = ascending_[aggregate];
  ascending.expected = true;
  std::int64_t greatest = ascending.greatest;
  for (const auto& part : parts) {
    const AggregateStates::Range range = part->states[aggregate].distinct_range();
    if (range.least > range.greatest && !range.others) continue;  // nothing
    ascending.expected =
        ascending.expected && part->states[aggregate].distinct_ascend() && !range.others && range.least >= greatest;
    greatest = std::max(greatest, range.greatest);
  }
}

// Which of a part's distinct values no other part can have.
void StretchTotals::set_apart(Part& part, std::size_t aggregate) {
  if (question_.aggregates[aggregate]->kind != AggregateKind::count_distinct) return;
  AggregateStates& states = part.states[aggregate];
  Ascending& ascending = ascending_[aggregate];
  using Range = AggregateStates::Range;
  if (!ascending.expected) return states.set_apart({Range{.others = true}});
  const Range range = states.distinct_range();
  if (range.least > range.greatest && !range.others) return states.set_apart({});
  if (range.others || range.least < ascending.greatest) throw RowsNeeded{};
  constexpr std::int64_t first = std::numeric_limits<std::int64_t>::min(),
                         last = std::numeric_limits<std::int64_t>::max();
  states.set_apart({Range{first, ascending.greatest, false}, Range{range.greatest, last, false}});
  ascending.greatest = range.greatest;
}

// The columns that an entry's first row tells, of the entries that a part brought; `known` were there before.
void StretchTotals::take_first_rows(const JoinedRows& rows, const std::vector<std::uint32_t>& first_rows,
                                    const std::vector<std::uint32_t>& ids, std::size_t known) {
  Evaluator evaluator(rows, rows.context());
  for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) {
    const EntryColumn& column = question_.entry_columns[c];
    if (column.from != EntryColumn::From::carried || !column.determined) continue;
    for (std::size_t g = 0; g < ids.size(); ++g)
      if (ids[g] >= known) append(of_first_rows_[c], evaluator.evaluate(*column.node, first_rows[g], 1, nullptr), 0);
  }
}

// How many rows have each text of the first table.
void StretchTotals::count_texts() {
  const TableData& table = question_.tables.front().table.data();
  for (const std::size_t c : texts_) {
    TextsMet& met = entries_.texts_met[c];
    const Column& column = *table.columns[c];
    if (met.too_many()) continue;
    if (column.dictionary().size() > TextsMet::most) {
      met.add_too_many();
      continue;
    }

    // By code of this stretch, each thread some rows.
    const Pieces pieces = Pieces::per_thread(column.rows(), run_);
    std::vector<std::vector<std::size_t>> counts(pieces.count());
    parallel_for(pieces, run_, [&](const RowRange& range, std::size_t piece) {
      std::vector<std::size_t>& own = counts[piece];
      own.resize(column.dictionary().size() + 1);
      std::vector<std::uint32_t> codes(batch_rows);
      for (std::size_t begin = range.begin; begin < range.end; begin += batch_rows) {
        const std::size_t count = std::min(batch_rows, range.end - begin);
        column.decode_code(begin, count, codes.data());
        for (std::size_t i = 0; i < count; ++i) ++own[std::min<std::size_t>(codes[i], own.size() - 1)];  // null: last
      }
    });
    for (std::uint32_t code = 0; code < column.dictionary().size(); ++code) {
      std::size_t rows = 0;
      for (const auto& own : counts) rows += own[code];
      met.add(column.dictionary().text(code), rows);
    }
  }
}

TotalledRows StretchTotals::finish() {
  make_entries(
      all_, question_, AggregateStates::ByOrder(),
      [this](const EntryColumn& column) {
        return std::move(of_first_rows_[static_cast<std::size_t>(&column - question_.entry_columns.data())]);
      },
      [](const EntryColumn&, const Carried&, std::size_t) { throw RowsNeeded{}; }, entries_);
  if (question_.keeps_states) entries_.regroup = kept_;
  entries_.context = {.slots = question_.slots};
  auto joined = std::make_unique<JoinedRows>(question_, entries_.read, joins_.reports(question_));
  return {std::move(entries_), std::move(joined)};
}

}  // namespace lofty::engine
