#pragma once
// What a Standings holds.

#include <optional>
#include <string>
#include <vector>

#include "answer/whole_order.hpp"
#include "lofty/cost.hpp"
#include "lofty/order.hpp"
#include "lofty/standings.hpp"
#include "relation/totals.hpp"
#include "table/column.hpp"

namespace lofty::engine {

using EntryKey = std::vector<Value>;  // the values that make an entry
inline EntryKey key_at(const std::vector<ColumnPtr>& columns, std::uint32_t row) {
  EntryKey key;
  for (const ColumnPtr& column : columns) key.push_back(column->value(row));
  return key;
}

}  // namespace lofty::engine

namespace lofty {

struct Standings::Data {
  std::string title, question, shown_of_total;
  std::vector<StandingColumn> columns;
  std::size_t entries = 0;                          // that rank.having left, listed or not
  std::vector<engine::ColumnPtr> values;            // by listed column; all entries
  std::vector<std::uint32_t> rows;                  // the listed entries
  std::shared_ptr<const engine::WholeOrder> whole;  // not null: below, "entry" means one of those that are left
  std::vector<std::uint8_t> tied, ranked;           // by entry
  std::vector<std::uint8_t> marked;                 // by entry: Question::mark is true; empty without one
  std::vector<std::uint32_t> first_rows;            // by entry: its first row that counts; empty likewise
  engine::Probed probed;                            // where the question asks for it
  std::vector<std::uint8_t> group_start;            // by listed row
  std::vector<std::uint32_t> passed_over;           // by listed row; empty: all 0
  std::vector<std::vector<std::uint8_t>> tied_by;   // by listed column, then entry; empty: as `tied`
  std::vector<CutTie> cut_ties;
  std::vector<SummaryLine> summaries;
  // Levels inside levels, outermost first: the rows below are then those of all levels, each after the entry that it
  // belongs to, and `values`, `rows`, `tied` ... are theirs. Empty without.
  std::vector<std::shared_ptr<const Data>> levels;
  struct NestedRow {
    std::size_t level = 0, row = 0;  // in levels[level]->rows
    std::size_t outer = 0;           // the nested row that it belongs to; its own where it is of the outermost level
  };
  std::vector<NestedRow> nested;
  static constexpr std::size_t none = ~std::size_t{0};
  std::vector<std::vector<std::size_t>> column_in;  // by level: which of its columns each column is, or none
  std::vector<Remark> remarks;
  Accounting accounting;
  Cost cost;
  // What makes an entry, rank.within first, by entry.
  std::vector<std::string> key_names;
  std::vector<engine::ColumnPtr> keys;
  std::string place_name;
  engine::ColumnPtr place;  // the first place column, by entry; null when nothing is ranked
  engine::ColumnPtr label;  // what a reader calls the entries, by entry; null: their keys
  std::vector<Departed> departed;
  // What places go by; none when nothing is ranked.
  std::optional<Order> order;
  engine::ColumnPtr by;  // the first key, by entry
  std::vector<engine::ColumnPtr> within;
  std::string by_name;
  bool descending = false;
  Ties ties = Ties::competition;
};

namespace engine {
using StandingsData = Standings::Data;
}

}  // namespace lofty
