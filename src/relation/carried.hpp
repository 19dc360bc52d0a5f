#pragma once
// Columns of an entry in addition to its keys.
// Covered by tests/ladder/standings_test.cpp and tests/ladder/property_test.cpp.

#include <cstdint>
#include <optional>
#include <vector>

#include "relation/cell_maker.hpp"
#include "relation/rows.hpp"

namespace lofty::engine {

// The one value that a column has in each entry, or proof that it has several.
class Carried {
 public:
  explicit Carried(const Node& node, bool keeps_texts = false) : cells_(node, keeps_texts) {}

  void add(const std::vector<std::uint32_t>& rows, const std::vector<std::uint32_t>& ids, std::size_t begin,
           const Vector& v, std::size_t groups) {
    grow(groups);
    for (std::size_t k = 0; k < rows.size(); ++k) meet(ids[k], cells_.cell(v, rows[k] - begin), rows[k]);
  }
  void merge(Carried& other, const std::vector<std::uint32_t>& ids, std::size_t groups) {
    grow(groups);
    for (std::size_t g = 0; g < ids.size(); ++g) merge_group(other, g, ids[g]);
  }
  // One group of the other alone. Precondition: there are more than `id` groups.
  void merge_group(const Carried& other, std::size_t g, std::uint32_t id) {
    meet(id, cells_.translate(other.value_[g], other.cells_), other.first_[g]);
    // `other`'s second value differs from its first; it is news only where that first one agreed with ours.
    if (other.second_[g] != no_row && second_[id] == no_row) second_[id] = other.second_[g];
  }
  void grow(std::size_t groups) {
    value_.resize(groups);
    first_.resize(groups, no_row);
    second_.resize(groups, no_row);
  }
  // A row of a group, whose value another maker of the same node has made a cell. Precondition: as above.
  void add(std::uint32_t id, const Cell& cell, const CellMaker& from, std::uint32_t row) {
    meet(id, cells_.translate(cell, from), row);
  }
  CellMaker& cells() { return cells_; }
  const CellMaker& cells() const { return cells_; }
  const std::vector<Cell>& values() const { return value_; }
  // The entry with several values whose second one comes first among the rows; none when there is no such entry.
  std::optional<std::size_t> conflict() const {
    std::optional<std::size_t> found;
    for (std::size_t g = 0; g < second_.size(); ++g)
      if (second_[g] != no_row && (!found || second_[g] < second_[*found])) found = g;
    return found;
  }
  bool has_conflict() const { return has_conflict_; }
  std::uint32_t first(std::size_t g) const { return first_[g]; }
  std::uint32_t second(std::size_t g) const { return second_[g]; }

 private:
  void meet(std::uint32_t id, const Cell& cell, std::uint32_t row) {
    if (first_[id] == no_row) {
      first_[id] = row;
      value_[id] = cell;
    } else if (second_[id] == no_row && !(value_[id] == cell)) {
      second_[id] = row;
      has_conflict_ = true;
    }
  }
  CellMaker cells_;
  bool has_conflict_ = false;  // in rows that were added
  std::vector<Cell> value_;
  std::vector<std::uint32_t> first_, second_;
};

}  // namespace lofty::engine
