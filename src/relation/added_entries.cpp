#include "relation/added_entries.hpp"

#include <algorithm>
#include <optional>
#include <unordered_set>

#include "base/parallel.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "value/zone.hpp"

namespace lofty::engine {
namespace {

constexpr std::size_t most_added = 1'000'000;

// The key columns, in the order of PartialTotals::keys.
std::vector<std::size_t> key_columns(const Question& question) {
  std::vector<std::size_t> out;
  for (std::size_t c = 0; c < question.entry_columns.size(); ++c)
    if (question.entry_columns[c].from == EntryColumn::From::key) out.push_back(c);
  return out;
}

// The group of these cells, which has no rows where it is new; `row` then speaks for it.
std::uint32_t group_of(PartialTotals& all, const std::vector<Cell>& cells, std::uint32_t row) {
  std::uint32_t id = 0;
  for (std::size_t k = 0; k < cells.size(); ++k) id = all.tables[k].find_or_add({cells[k], id});
  all.meet(id, row, 0);
  return id;
}

// Totals over no rows, and no carried values, for the groups that were added.
void make_room(const Question& question, PartialTotals& all) {
  std::size_t c = 0;
  for (const EntryColumn& column : question.entry_columns)
    if (column.from == EntryColumn::From::carried && !column.determined) {
      Carried none(*column.node);
      all.carried[c++].merge(none, {}, all.groups());
    }
  for (std::size_t a = 0; a < all.states.size(); ++a) {
    AggregateStates none(*question.aggregates[a]);
    all.states[a].merge(none, {}, all.groups());
  }
}

// Are all names below those of one table's columns?
bool only_of_table(const Question& question, const Node& node, std::size_t table) {
  bool only = true;
  each_node_below(node, [&](const Node& at) {
    if (at.op != Op::name || at.column < 0) return;
    const RowColumn& column = question.row_columns[static_cast<std::size_t>(at.column)];
    only = only && !column.of_window() && column.table == table;
  });
  return only;
}

}  // namespace

void add_included(const Question& question, const JoinedRows& rows, PartialTotals& all, const Run& run) {
  const std::size_t table = question.joins[*question.include].table;
  std::vector<std::uint32_t> speaks(rows.tables()[table].rows(), no_row);  // a row of the relation for each
  for (std::size_t row = 0; row < rows.rows(); ++row) {
    if (row % 65536 == 0) check_stop(run);
    const std::uint32_t own = rows.row_of_table(table, row);
    if (own != no_row && speaks[own] == no_row) speaks[own] = static_cast<std::uint32_t>(row);
  }

  // Entry by entry, in the order of the table.
  Evaluator evaluator(rows, rows.context());
  const std::vector<std::size_t> keys = key_columns(question);
  std::vector<Cell> cells(keys.size());
  std::vector<std::pair<std::uint32_t, std::uint32_t>> added;  // group, row
  for (const std::uint32_t row : speaks) {
    if (row == no_row) continue;
    for (std::size_t k = 0; k < keys.size(); ++k)
      cells[k] = all.keys[k].cell(evaluator.evaluate(*question.entry_columns[keys[k]].node, row, 1, nullptr), 0);
    const std::size_t before = all.groups();
    const std::uint32_t group = group_of(all, cells, row);
    if (all.groups() > before) added.emplace_back(group, row);
  }
  make_room(question, all);

  // What the table says of them.
  std::size_t c = 0;
  for (const EntryColumn& column : question.entry_columns) {
    if (column.from != EntryColumn::From::carried || column.determined) continue;
    Carried& carried = all.carried[c++];
    if (!only_of_table(question, *column.node, table)) continue;
    for (const auto& [group, row] : added)
      carried.add({row}, {group}, row, evaluator.evaluate(*column.node, row, 1, nullptr), all.groups());
  }
}

namespace {

// The first and the last unit; none where there is neither a period nor a date.
std::optional<std::pair<std::int64_t, std::int64_t>> bounds(const Question& question, const JoinedRows& rows,
                                                            const std::vector<std::int64_t>& present) {
  const Question::Fill& fill = *question.fill;
  std::int64_t first = int64_null, last = int64_null;
  if (fill.period) {
    const PeriodUse& period = question.periods[*fill.period];
    const auto day = [&](const Node& node) {
      const ColumnPtr value = evaluate_column(node, ColumnSource(1, {}), rows.context(), Run{});
      return value->is_null(0) ? int64_null : day_at(node.type, value->int64(0));
    };
    first = day(*period.first);
    last = day(*period.last);
  }

  // Else those of the rows that count.
  if (first == int64_null || last == int64_null) {
    first = last = int64_null;
    for (const std::int64_t one : present) {
      if (one == int64_null) continue;
      first = first == int64_null ? one : std::min(first, one);
      last = std::max(last, one);
    }
  }
  if (first == int64_null) return std::nullopt;
  return std::pair{start_of_unit(fill.unit, first, question.ladder->first_month),
                   start_of_unit(fill.unit, last, question.ladder->first_month)};
}

}  // namespace

std::vector<std::uint8_t> add_missing_units(const Question& question, const JoinedRows& rows, PartialTotals& all,
                                            const Run& run) {
  const Question::Fill& fill = *question.fill;
  const std::vector<std::size_t> keys = key_columns(question);
  const auto at = static_cast<std::size_t>(std::find(keys.begin(), keys.end(), fill.key) - keys.begin());
  std::vector<std::uint8_t> added(all.groups(), 0);

  // The units that are there.
  const std::size_t there = all.groups();
  std::vector<std::int64_t> present(there);
  for (std::uint32_t g = 0; g < there; ++g) {
    const Cell cell = all.cell(at, g);
    present[g] = cell.tag == CellMaker::null ? int64_null : static_cast<std::int64_t>(cell.code);
  }
  const auto range = bounds(question, rows, present);
  if (!range) return added;

  // All that occurs of the other keys: a group of each.
  struct OtherKeys {
    std::size_t operator()(const std::vector<Cell>& cells) const {
      std::uint64_t hash = 0;
      for (const Cell& cell : cells) hash = mix(hash ^ (cell.code * 4 + cell.tag));
      return static_cast<std::size_t>(hash);
    }
  };
  std::unordered_set<std::vector<Cell>, OtherKeys> seen;
  std::vector<std::uint32_t> combinations;
  const auto cells_of = [&](std::uint32_t group) {
    std::vector<Cell> cells(keys.size());
    for (std::size_t k = 0; k < keys.size(); ++k) cells[k] = all.cell(k, group);
    return cells;
  };
  for (std::uint32_t g = 0; g < there; ++g) {
    std::vector<Cell> others = cells_of(g);
    others[at] = {};
    if (seen.insert(std::move(others)).second) combinations.push_back(g);
  }

  // Unit by unit.
  const auto add_units = [&](std::vector<Cell> cells, std::uint32_t row) {
    check_stop(run);
    for (std::int64_t unit = range->first; unit <= range->second;
         unit = start_of_unit_after(fill.unit, unit, question.ladder->first_month)) {
      cells[at] = {static_cast<std::uint64_t>(unit), CellMaker::number};
      group_of(all, cells, row);
      if (all.groups() - there > most_added)
        throw Error(Problem{Code::beyond_limit,
                            "`fill` adds more than " + with_commas(most_added) + " entries without rows",
                            {},
                            {},
                            "a shorter period, a longer unit, or fewer columns in `each`"});
    }
  };
  for (const std::uint32_t group : combinations) add_units(cells_of(group), all.first_rows[group]);

  // Without other keys the units of a period are known even if no row counts.
  if (there == 0 && keys.size() == 1) add_units(std::vector<Cell>(1), no_row);
  make_room(question, all);
  added.resize(all.groups(), 1);
  return added;
}

bool goes_by_unit(const Question& question, const Node& column) {
  const Node& key = *question.entry_columns[question.fill->key].node;
  std::vector<RowColumn> dates;
  each_node_below(key, [&](const Node& at) {
    if (at.op == Op::name && at.column >= 0) dates.push_back(question.row_columns[static_cast<std::size_t>(at.column)]);
  });
  const auto is_date = [&](const RowColumn& one) { return std::find(dates.begin(), dates.end(), one) != dates.end(); };

  // A date itself, or a column of a table that is joined by it.
  bool found = false;
  each_node_below(column, [&](const Node& at) {
    if (at.op != Op::name || at.column < 0) return;
    const RowColumn& own = question.row_columns[static_cast<std::size_t>(at.column)];
    found = found || own.of_window() || is_date(own);
    for (const JoinUse& join : question.joins)
      if (join.table == own.table)
        for (const JoinUse::Pair& pair : join.on) found = found || is_date({pair.left_table, pair.left_column});
  });
  return found;
}

}  // namespace lofty::engine
