#pragma once
// A piece of the rows taken together by entries.
// Covered by tests/ladder/standings_test.cpp.

#include <algorithm>
#include <cstdint>
#include <memory>
#include <vector>

#include "relation/aggregate_states.hpp"
#include "relation/carried.hpp"
#include "relation/dealt_rows.hpp"
#include "relation/direct_numbers.hpp"
#include "relation/entries.hpp"
#include "relation/group_keys.hpp"
#include "table/table_data.hpp"

namespace lofty::engine {

// Is this a column of a joined table? Those stay where the first table's rows come and go, and its texts with them.
inline bool is_joined_column(const Question& question, const Node& node) {
  return node.op == Op::name && node.column >= 0 &&
         question.row_columns[static_cast<std::size_t>(node.column)].table != 0;
}

// The totals of one piece of the rows; pieces are merged in their order.
struct PartialTotals {
  // `outlasts_rows`: it outlasts the rows of the first table, so that it keeps their texts, and the columns that a
  // group's first row tells.
  explicit PartialTotals(const Question& question, bool outlasts_rows = false) : takes_determined(outlasts_rows) {
    const auto keeps_texts = [&](const Node& node) { return outlasts_rows && !is_joined_column(question, node); };
    for (const EntryColumn& column : question.entry_columns) {
      if (column.from == EntryColumn::From::key) keys.emplace_back(*column.node, keeps_texts(*column.node));
      if (carries(column)) carried.emplace_back(*column.node, keeps_texts(*column.node));
    }
    tables.resize(keys.size());
    for (const auto& aggregate : question.aggregates)
      states.emplace_back(*aggregate, aggregate->argument && keeps_texts(*aggregate->argument));
    caught.resize(question.periods.size());
    unknown_filters.resize(question.aggregates.size());
  }

  // Is this entry column among `carried`? Those that the keys determine need one row of a group, which is there later
  // unless the part outlasts it.
  bool carries(const EntryColumn& column) const {
    return column.from == EntryColumn::From::carried && (takes_determined || !column.determined);
  }

  bool takes_determined;
  std::vector<CellMaker> keys;
  std::vector<GroupTable> tables;     // one a key: (id so far, cell) -> id
  std::vector<DirectNumbers> direct;  // one a key
  std::uint32_t rows_before = 0;      // of the relation, before those that it is being given
  std::vector<std::uint32_t> first_rows, row_counts;
  std::vector<Carried> carried;
  std::vector<AggregateStates> states;
  RowCounts rows;
  std::vector<std::uint32_t> chosen_rows;               // row level: rows that count
  std::vector<std::uint32_t> chosen_ends;               // and how many there were after each batch
  std::vector<Entries::Caught> caught;                  // by Question::periods
  std::vector<Entries::UnknownFilter> unknown_filters;  // by Question::aggregates
  Probed probed;
  std::size_t deals_from = most_rows;  // with more groups, further rows are dealt out
  std::unique_ptr<DealtRows> dealt;    // those

  std::size_t groups() const { return first_rows.size(); }

  // The first table holds other rows now, and its texts have other codes.
  void next_rows(const Question& question, std::size_t relation_rows_before) {
    rows_before = static_cast<std::uint32_t>(relation_rows_before);
    for (CellMaker& cells : keys) cells.forget_codes();
    for (Carried& column : carried) column.cells().forget_codes();
    for (AggregateStates& state : states) state.forget_codes();
    std::size_t key = 0;
    for (const EntryColumn& column : question.entry_columns) {
      if (column.from != EntryColumn::From::key) continue;
      const Node& node = *column.node;
      const bool changes = node.op == Op::name && node.type.kind == Kind::text && !is_joined_column(question, node);
      if (changes && key < direct.size()) direct[key] = DirectNumbers(most_rows);
      ++key;
    }
  }

  void meet(std::uint32_t id, std::uint32_t row, std::uint32_t count) {
    if (id == first_rows.size()) {
      first_rows.push_back(row);
      row_counts.push_back(0);
    }
    first_rows[id] = std::min(first_rows[id], row);  // parts may have taken turns with the rows
    row_counts[id] += count;
  }
  Cell cell(std::size_t key, std::uint32_t group) const {
    for (std::size_t k = keys.size() - 1; k > key; --k) group = tables[k].keys()[group].prefix;
    return tables[key].keys()[group].cell;
  }
  // Gives back what tells which groups there are; their values stay.
  void drop_groups() {
    tables.clear();
    direct = {};
    first_rows = row_counts = {};
  }
  // The number that one group of another part has in this one, where it is added if it is unknown.
  std::uint32_t meet_group(const PartialTotals& other, std::uint32_t group) {
    std::uint32_t id = 0;
    for (std::size_t k = 0; k < keys.size(); ++k)
      id = tables[k].find_or_add({keys[k].translate(other.cell(k, group), other.keys[k]), id});
    meet(id, other.first_rows[group], other.row_counts[group]);
    return id;
  }
  // The number that each group of another part has in this one, where unknown groups are added.
  std::vector<std::uint32_t> meet_groups(const PartialTotals& other) {
    std::vector<std::uint32_t> prefixes{0}, ids;  // of the other's table before: its id -> ours
    for (std::size_t k = 0; k < keys.size(); ++k) {
      ids.clear();
      for (const GroupKey& key : other.tables[k].keys())
        ids.push_back(tables[k].find_or_add({keys[k].translate(key.cell, other.keys[k]), prefixes[key.prefix]}));
      prefixes.swap(ids);
    }
    for (std::uint32_t g = 0; g < prefixes.size(); ++g) meet(prefixes[g], other.first_rows[g], other.row_counts[g]);
    return prefixes;
  }
};

}  // namespace lofty::engine
