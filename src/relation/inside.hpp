#pragma once
// What an inner level leaves out before it totals: rows of entries that the level outside does not list.
// Covered by tests/ladder/levels_test.cpp and tests/ladder/whole_test.cpp.

#include <cstdint>
#include <set>
#include <vector>

#include "formula/evaluator.hpp"
#include "question/question.hpp"
#include "relation/cell_maker.hpp"
#include "relation/group_keys.hpp"

namespace lofty::engine {

// The entries of the level outside that it lists: rows of others are of no entry that is left.
struct Inside {
  std::vector<std::size_t> columns;   // of the entries: the keys of the level outside
  std::set<std::vector<Value>> keys;  // their values
};

// Leaves out the rows that are inside no entry of the level outside. One a piece.
class InsideFilter {
 public:
  InsideFilter(const Question& question, const Inside& inside) : inside_(inside), tables_(inside.columns.size()) {
    for (const std::size_t column : inside.columns) {
      nodes_.push_back(question.entry_columns[column].node.get());
      cells_.emplace_back(*nodes_.back());
    }
  }

  // Takes rows out of `chosen` and of the mask, which is 1 for those that are in it.
  void apply(Evaluator& evaluator, std::size_t begin, std::size_t count, std::vector<unsigned char>& mask,
             std::vector<std::uint32_t>& chosen) {
    ids_.assign(chosen.size(), 0);
    std::vector<const Vector*> values;
    for (std::size_t k = 0; k < nodes_.size(); ++k) {
      values.push_back(&evaluator.evaluate(*nodes_[k], begin, count, mask.data()));
      keys_.resize(chosen.size());
      for (std::size_t i = 0; i < chosen.size(); ++i)
        keys_[i] = {cells_[k].cell(*values[k], chosen[i] - begin), ids_[i]};
      tables_[k].number_all(keys_.data(), keys_.size(), keys_.data(), [](std::size_t) {});
      const NumbersOver numbers(keys_.data());
      for (std::size_t i = 0; i < chosen.size(); ++i) ids_[i] = numbers.get(i);
    }

    // Each combination is looked up once.
    std::size_t left = 0;
    for (std::size_t i = 0; i < chosen.size(); ++i) {
      if (ids_[i] == is_inside_.size()) {
        std::vector<Value> key;
        for (const Vector* const of_key : values) key.push_back(of_key->value(chosen[i] - begin));
        is_inside_.push_back(inside_.keys.contains(key));
      }
      const unsigned char stays = is_inside_[ids_[i]];
      mask[chosen[i] - begin] = stays;
      chosen[left] = chosen[i];
      left += stays;
    }
    chosen.resize(left);
  }

 private:
  const Inside& inside_;
  std::vector<const Node*> nodes_;
  std::vector<CellMaker> cells_;
  std::vector<GroupTable> tables_;
  std::vector<GroupKey> keys_;
  std::vector<std::uint32_t> ids_;
  std::vector<unsigned char> is_inside_;  // by combination of keys
};

}  // namespace lofty::engine
