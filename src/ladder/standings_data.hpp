#pragma once
// What a Standings holds.

#include <optional>
#include <string>
#include <vector>

#include "lofty/order.hpp"
#include "lofty/standings.hpp"
#include "table/column.hpp"

namespace lofty::engine {

struct StandingsData {
  std::string title, question, shown_of_total;
  std::vector<StandingColumn> columns;
  std::vector<ColumnPtr> values;                   // by listed column; all entries
  std::vector<std::uint32_t> rows;                 // the listed entries
  std::vector<std::uint8_t> tied, ranked;          // by entry
  std::vector<std::uint8_t> group_start;           // by listed row
  std::vector<std::uint32_t> passed_over;          // by listed row; empty: all 0
  std::vector<std::vector<std::uint8_t>> tied_by;  // by listed column, then entry; empty: as `tied`
  std::vector<Remark> remarks;
  Accounting accounting;
  // What makes an entry, rank.within first, by entry; empty where every row is one.
  std::vector<std::string> key_names;
  std::vector<ColumnPtr> keys;
  // What places go by; none when nothing is ranked.
  std::optional<Order> order;
  ColumnPtr by;  // the first key, by entry
  std::vector<ColumnPtr> within;
  std::string by_name;
  bool descending = false;
  Ties ties = Ties::competition;
};

}  // namespace lofty::engine
