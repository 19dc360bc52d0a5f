#include "relation/totals.hpp"

#include <algorithm>

#include "base/stopwatch.hpp"
#include "relation/added_entries.hpp"
#include "relation/dealt_totals.hpp"
#include "relation/merge_parts.hpp"
#include "relation/ordered_totals.hpp"
#include "relation/row_pass.hpp"
#include "relation/some_rows.hpp"
#include "relation/windows.hpp"

namespace lofty::engine {
namespace {

std::vector<std::uint32_t> chosen_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts) {
  std::vector<std::uint32_t> rows;
  std::size_t count = 0;
  for (const auto& part : parts) count += part->chosen_rows.size();
  rows.reserve(count);
  for (const auto& part : parts) rows.insert(rows.end(), part->chosen_rows.begin(), part->chosen_rows.end());
  return rows;
}

// The totals of each piece.
std::vector<std::unique_ptr<PartialTotals>> totals_of(const RowPass& pass, const Question& question, bool may_deal) {
  std::vector<std::unique_ptr<PartialTotals>> parts;
  for (std::size_t p = 0; p < pass.pieces().count(); ++p) {
    parts.push_back(std::make_unique<PartialTotals>(question));
    if (may_deal) parts.back()->deals_from = most_entries_together / pass.pieces().count();
  }
  pass.add_to(parts);
  for (const auto& part : parts) part->direct.clear();
  return parts;
}

// From what the pieces hold to entries.
class EntryMaker {
 public:
  EntryMaker(const RowPass& pass, const Question& question, const LevelPlan& plan, const JoinedRows& rows,
             const Run& run)
      : pass_(pass), question_(question), plan_(plan), rows_(rows), run_(run) {}

  Entries make(std::vector<std::unique_ptr<PartialTotals>> parts) const {
    Entries entries;
    add_counts(parts, question_, entries);
    const bool dealt = std::any_of(parts.begin(), parts.end(), [](const auto& part) { return part->dealt != nullptr; });
    if (question_.row_level())
      collect_rows(parts, entries);
    else if (dealt)
      take_dealt(parts, entries);
    else
      merge(parts, entries);
    return entries;
  }

 private:
  void merge(std::vector<std::unique_ptr<PartialTotals>>& parts, Entries& entries) const {
    const AggregateStates::ByOrder by_order = [this, &entries](const Aggregate& aggregate, const RowsOfGroups& of) {
      InputDecided decided;
      ColumnPtr column = ordered_total(aggregate, rows_, of, run_, &decided);
      for (std::size_t a = 0; decided.groups > 0 && a < question_.aggregates.size(); ++a)
        if (question_.aggregates[a].get() == &aggregate)
          entries.undecided.push_back({a, decided.groups, decided.one, decided.other});
      return column;
    };
    // Kept states outlive this, and what they look at outlives them.
    auto whole =
        std::make_shared<KeptStates>(question_, [&rows = rows_](const Aggregate& aggregate, const RowsOfGroups& of) {
          return ordered_total(aggregate, rows, of, Run{});
        });
    PartialTotals& all = whole->part();
    for (std::size_t a = 0; a < all.states.size(); ++a) set_apart(parts, a);
    for (auto& part : parts) {
      merge_part(all, *part);
      part.reset();
    }

    // Entries without rows, and the columns of all.
    if (question_.include) add_included(question_, rows_, all, run_);
    std::vector<std::uint8_t> without_rows;
    if (question_.fill) without_rows = add_missing_units(question_, rows_, all, run_);
    make_entries(
        all, question_, by_order, [&](const EntryColumn& column) { return of_first_rows(column, all, without_rows); },
        [&](const EntryColumn& column, const Carried& values, std::size_t entry) {
          several_values(column, values, all, entry);
        },
        entries);
    if (question_.keeps_states) entries.regroup = std::move(whole);
  }

  // More entries than a table is quick with.
  void take_dealt(std::vector<std::unique_ptr<PartialTotals>>& parts, Entries& entries) const {
    const PartitionCalls calls{
        [this](const EntryColumn& column, const PartialTotals& all) { return of_first_rows(column, all, {}); },
        [this](const EntryColumn& column, const Carried& values, const PartialTotals& all, std::size_t entry) {
          several_values(column, values, all, entry);
        }};
    DealtTotals(question_, false, run_).make_entries(parts, calls, entries);
  }

  // The first row speaks for all. `filled`: by entry, whether a row of another unit speaks for it (rank.fill); empty:
  // for none.
  Piece of_first_rows(const EntryColumn& column, const PartialTotals& all,
                      const std::vector<std::uint8_t>& filled) const {
    Piece piece(column.type);
    Evaluator evaluator(rows_, rows_.context());
    const bool by_unit = !filled.empty() && goes_by_unit(question_, *column.node);
    for (std::size_t g = 0; g < all.groups(); ++g) {
      if (all.first_rows[g] == no_row || (by_unit && filled[g] != 0))
        piece.add_null();
      else
        append(piece, evaluator.evaluate(*column.node, all.first_rows[g], 1, nullptr), 0);
    }
    return piece;
  }

  // Tells each piece's distinct count with which stretches of numbers the other pieces may overlap.
  void set_apart(std::vector<std::unique_ptr<PartialTotals>>& parts, std::size_t a) const {
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

  [[noreturn]] void several_values(const EntryColumn& column, const Carried& values, const PartialTotals& all,
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

  void collect_rows(const std::vector<std::unique_ptr<PartialTotals>>& parts, Entries& entries) const {
    entries.columns.resize(question_.entry_columns.size());
    entries.blanks.resize(question_.aggregates.size());
    entries.first_rows = chosen_rows(parts);
    entries.count = entries.first_rows.size();

    // Windows over entries come later.
    const auto later = [&](std::size_t c) {
      const EntryColumn::From from = question_.entry_columns[c].from;
      return from == EntryColumn::From::windowed || from == EntryColumn::From::window ||
             (!plan_.made_late.empty() && plan_.made_late[c]);
    };

    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c)
      if (!later(c))
        entries.columns[c] = values_there(rows_, *question_.entry_columns[c].node, entries.first_rows, run_);

    // The columns of the rows that count, piece by piece.
    bool whole = true;
    for (std::size_t c = 0; c < question_.entry_columns.size(); ++c) whole = whole && (later(c) || entries.columns[c]);
    if (whole) return;
    std::vector<std::vector<Piece>> pieces(question_.entry_columns.size());
    for (std::size_t c = 0; c < pieces.size(); ++c)
      for (std::size_t p = 0; p < parts.size(); ++p) pieces[c].emplace_back(question_.entry_columns[c].type);
    parallel_for(pass_.pieces(), run_, [&](const RowRange& rows, std::size_t p) {
      Evaluator evaluator(rows_, rows_.context());
      std::size_t batch = 0;
      std::vector<unsigned char> mask;
      std::vector<std::uint32_t> chosen;
      std::vector<Appender> appenders(pieces.size());
      pass_.each_batch(rows, [&](std::size_t begin, std::size_t count) {
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

  const RowPass& pass_;
  const Question& question_;
  const LevelPlan& plan_;
  const JoinedRows& rows_;
  const Run& run_;
};

}  // namespace

Entries run_rows(const Question& question, const LevelPlan& plan, JoinedRows& rows, const Inside* inside,
                 const Run& run) {
  // Windows see all rows that count. Single rows that are entries are these, and need no other pass.
  const bool rows_first = question.row_level() && inside == nullptr && !question.probe.any();
  const double windows_share = question.row_windows.empty() ? 0.0 : 2.0;
  const Phases phases(run, {rows_first ? 3.0 : windows_share, rows_first ? windows_share : 3.0});
  const Run &of_pass = phases[rows_first ? 0 : 1], &of_windows = phases[rows_first ? 1 : 0];

  const RowPass pass(question, rows, inside, of_pass);
  rows.set_overalls(pass.find_overalls());
  RowWindows windows;
  std::vector<std::unique_ptr<PartialTotals>> parts;
  Stopwatch watch;
  double count_seconds = 0;
  if (!question.row_windows.empty()) {
    if (rows_first) parts = totals_of(pass, question, plan.may_deal);
    const std::vector<std::uint32_t> counted = rows_first ? chosen_rows(parts) : pass.counted().rows;
    count_seconds = watch.lap();
    windows = work_out_row_windows(question, plan.row_sorts, rows, counted, of_windows);
  }
  watch.lap();
  if (parts.empty()) parts = totals_of(pass, question, plan.may_deal);
  Entries entries = EntryMaker(pass, question, plan, rows, of_pass).make(std::move(parts));
  entries.total_seconds = watch.lap();
  entries.count_seconds = count_seconds;
  entries.windows = std::move(windows);
  entries.context = rows.context();
  return entries;
}

void add_late_columns(const Question& question, const JoinedRows& rows, Entries& entries, const Run& run) {
  for (std::size_t c = 0; c < question.entry_columns.size(); ++c)
    if (question.entry_columns[c].from == EntryColumn::From::row && !entries.columns[c])
      entries.columns[c] = values_at(rows, *question.entry_columns[c].node, entries.first_rows, run);
}

}  // namespace lofty::engine
