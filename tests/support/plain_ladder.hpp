#pragma once
// A whole ladder straight from the definitions: joined, limited to a period, level inside level; stage by stage,
// quadratic, values one at a time.

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace plain {

// A row of the table that such ladders are asked of. Amounts in hundredths, days from 2025-03-01. The last two come
// from a second table, where one is joined by `shop`.
struct Row {
  std::optional<std::string> valley = {}, status = {};
  std::optional<long> shop = {}, amount = {}, order = {}, day = {};
  std::optional<std::string> size = {};
  std::optional<long> since = {};
};
struct Shop {
  std::optional<long> shop;
  std::optional<std::string> size;
  std::optional<long> since;
};

using Truth = std::optional<bool>;
// A value of an entry: a key's text, or a total's number as a whole number of its smallest unit.
struct Cell {
  std::optional<std::string> text = {};
  std::optional<long> number = {};
  int scale = 0;
  bool is_text = false;
  bool null() const { return is_text ? !text : !number; }
};
std::string shown(const Cell& cell);

struct Entry {
  std::vector<Cell> within, each, totals;
  std::optional<long> rank;  // competition
};

// A question whose every part is written twice: as a ladder has it, and as what it means.
struct Part {
  std::string text = {};
};
struct RowCondition : Part {
  std::function<Truth(const Row&)> means;
};
struct Column {
  std::string name;
  std::function<Cell(const Row&)> of;
};
struct Total : Part {
  std::string name;
  std::function<Cell(const std::vector<Row>&)> of;
};
struct EntryCondition : Part {
  std::function<Truth(const Entry&)> means;
};
struct Key {
  std::size_t total = 0;
  bool descending = true;
};

struct Level {
  std::vector<Column> within, each;
  EntryCondition having, eligible, keep;
  std::vector<Key> by, tiebreak;
  std::optional<std::size_t> best, worst;
  bool strict = false, unranked = false;
};

struct Question {
  std::optional<lofty::JoinType> join;  // with the shops
  RowCondition where;
  std::optional<long> last_days;  // and only rows of so many days, back from the latest that `where` lets through
  std::vector<Total> totals;
  std::vector<Level> levels;  // the first one's groups are its own, those of inner ones the entries outside
};

// As the library takes it, over tables called "lines" and "shops".
lofty::Ladder ladder_of(const Question& question);
lofty::Catalog catalog_of(const std::vector<Row>& rows, const std::vector<Shop>& shops);
// Would a column that is next to shops have several values in an entry inside what is listed? Rows of both tables
// without a shop are one entry.
bool has_several_values(const Question& question, const std::vector<Row>& rows, const std::vector<Shop>& shops);
// The listing: of each entry its groups, keys (of all levels, nothing for those inside it), place and totals, as texts.
std::vector<std::vector<std::string>> answer(const Question& question, const std::vector<Row>& rows,
                                             const std::vector<Shop>& shops);

}  // namespace plain
