#pragma once
// What a Standings holds.

#include <string>
#include <vector>

#include "lofty/standings.hpp"
#include "table/column.hpp"

namespace lofty::engine {

struct StandingsData {
  std::string title, question, shown_of_total;
  std::vector<StandingColumn> columns;
  std::vector<ColumnPtr> values;           // by listed column; all entries
  std::vector<std::uint32_t> rows;         // the listed entries
  std::vector<std::uint8_t> tied, ranked;  // by entry
  std::vector<std::uint8_t> group_start;   // by listed row
  std::vector<Remark> remarks;
  Accounting accounting;
};

}  // namespace lofty::engine
