#include "relation/merge_parts.hpp"

namespace lofty::engine {

std::vector<ColumnPtr> KeptStates::totals(const std::vector<std::uint32_t>& group_of, std::size_t groups) {
  std::call_once(ready_, [this] {
    for (AggregateStates& states : part_.states)
      if (states.aggregate().kind == AggregateKind::count_distinct)
        states.set_apart({AggregateStates::Range{.others = true}});
  });
  const auto outside = static_cast<std::uint32_t>(groups);
  std::vector<ColumnPtr> out(question_.entry_columns.size());
  for (std::size_t c = 0; c < out.size(); ++c) {
    const EntryColumn& column = question_.entry_columns[c];
    if (column.from != EntryColumn::From::aggregate) continue;
    AggregateStates coarse(*question_.aggregates[column.index]);
    coarse.merge(part_.states[column.index], group_of, groups + 1, outside);
    Entries::Blank unused;
    out[c] = coarse.finish(groups, unused, by_order_);
  }
  return out;
}

namespace {

void add_values(PartialTotals& all, PartialTotals& part, const std::vector<std::uint32_t>& ids) {
  for (std::size_t c = 0; c < all.carried.size(); ++c) all.carried[c].merge(part.carried[c], ids, all.groups());
  for (std::size_t a = 0; a < all.states.size(); ++a) all.states[a].merge(part.states[a], ids, all.groups());
}

}  // namespace

void merge_part(PartialTotals& all, PartialTotals& part) { add_values(all, part, all.meet_groups(part)); }

void merge_by_first_rows(PartialTotals& all, std::vector<std::unique_ptr<PartialTotals>>& parts) {
  std::vector<std::vector<std::uint32_t>> ids(parts.size());
  std::vector<std::uint32_t> next(parts.size(), 0);  // each part's groups are in the order of theirs
  for (;;) {
    std::size_t first = parts.size();
    for (std::size_t p = 0; p < parts.size(); ++p)
      if (next[p] < parts[p]->groups() &&
          (first == parts.size() || parts[p]->first_rows[next[p]] < parts[first]->first_rows[next[first]]))
        first = p;
    if (first == parts.size()) break;
    ids[first].push_back(all.meet_group(*parts[first], next[first]++));
  }
  for (auto& part : parts) part->drop_groups();
  for (std::size_t p = 0; p < parts.size(); ++p) {
    add_values(all, *parts[p], ids[p]);
    parts[p].reset();
  }
}

void make_columns(PartialTotals& all, const Question& question, const FirstRowValues& of_first_rows,
                  const SeveralValues& several, const std::function<void(std::size_t c, Piece piece)>& take,
                  const std::function<void(std::size_t c, AggregateStates& states)>& take_totals) {
  std::size_t key = 0, carried = 0;
  for (std::size_t c = 0; c < question.entry_columns.size(); ++c) {
    const EntryColumn& column = question.entry_columns[c];
    Piece piece(column.type);
    switch (column.from) {
      case EntryColumn::From::key:
        for (std::uint32_t g = 0; g < all.groups(); ++g) all.keys[key].put(all.cell(key, g), piece);
        ++key;
        break;
      case EntryColumn::From::carried: {
        if (!all.carries(column)) {
          piece = of_first_rows(column);
          break;
        }
        const Carried& values = all.carried[carried++];
        if (const auto conflict = values.conflict()) several(column, values, *conflict);
        for (std::size_t g = 0; g < all.groups(); ++g) values.cells().put(values.values()[g], piece);
        break;
      }
      case EntryColumn::From::aggregate: take_totals(c, all.states[column.index]); continue;
      default: continue;
    }
    take(c, std::move(piece));
  }
}

void make_entries(PartialTotals& all, const Question& question, const AggregateStates::ByOrder& by_order,
                  const FirstRowValues& of_first_rows, const SeveralValues& several, Entries& entries) {
  entries.count = all.groups();
  entries.first_rows = all.first_rows;
  entries.row_counts = all.row_counts;
  entries.columns.resize(question.entry_columns.size());
  entries.blanks.resize(question.aggregates.size());
  make_columns(
      all, question, of_first_rows, several,
      [&](std::size_t c, Piece piece) { entries.columns[c] = Column::seal(std::move(piece)); },
      [&](std::size_t c, AggregateStates& states) {
        const std::size_t a = question.entry_columns[c].index;
        entries.columns[c] = states.finish(all.groups(), entries.blanks[a], by_order);
        if (states.exact_mean()) entries.means.push_back(states.mean(static_cast<int>(c), all.groups()));
      });
}

}  // namespace lofty::engine
