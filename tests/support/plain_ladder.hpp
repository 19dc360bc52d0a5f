#pragma once
// A whole ladder straight from the definitions: stage by stage, quadratic, values one at a time.

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "lofty/lofty.hpp"

namespace plain {

// A row of the table that such ladders are asked of. Amounts in hundredths.
struct Row {
  std::optional<std::string> valley, status;
  std::optional<long> shop, amount;
  long order = 0;
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

struct Question {
  RowCondition where;
  std::vector<Total> totals;
  std::vector<Column> within, each;
  EntryCondition having, eligible, keep;
  std::vector<Key> by, tiebreak;
  std::optional<std::size_t> best, worst;
  bool strict = false, unranked = false;
};

// As the library takes it, over a table called "lines".
lofty::Ladder ladder_of(const Question& question);
lofty::Catalog catalog_of(const std::vector<Row>& rows);
// The listing: of each entry its groups, place, keys and totals, as texts.
std::vector<std::vector<std::string>> answer(const Question& question, const std::vector<Row>& rows);

}  // namespace plain
