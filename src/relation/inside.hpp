#pragma once
// What an inner level leaves out before it totals: rows of entries that the level outside does not list.
// Covered by tests/answer/levels_test.cpp and tests/ladder/whole_test.cpp.

#include <cstdint>
#include <map>
#include <set>
#include <utility>
#include <vector>

#include "formula/evaluator.hpp"
#include "question/question.hpp"
#include "relation/cell_maker.hpp"
#include "relation/direct_numbers.hpp"
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
  // For so many rows.
  InsideFilter(const Question& question, const Inside& inside, std::size_t rows) {
    for (const std::size_t column : inside.columns) steps_.emplace_back(*question.entry_columns[column].node, rows);
    for (const std::vector<Value>& key : inside.keys) {
      std::uint32_t prefix = 0;
      for (std::size_t k = 0; k < steps_.size(); ++k) prefix = steps_[k].list(prefix, key[k]);
    }
  }

  // Takes rows out of `chosen` and of the mask, which is 1 for those that are in it.
  void apply(Evaluator& evaluator, std::size_t begin, std::size_t count, std::vector<unsigned char>& mask,
             std::vector<std::uint32_t>& chosen) {
    prefixes_.assign(chosen.size(), 0);
    for (Step& step : steps_) {
      step.number(evaluator.evaluate(step.node(), begin, count, mask.data()), begin, chosen, prefixes_);

      // A row that the keys so far put outside is not looked at again.
      std::size_t left = 0;
      for (std::size_t i = 0; i < chosen.size(); ++i) {
        const bool stays = prefixes_[i] != outside;
        mask[chosen[i] - begin] = stays ? 1 : 0;
        chosen[left] = chosen[i];
        prefixes_[left] = prefixes_[i];
        left += stays ? 1 : 0;
      }
      chosen.resize(left);
      prefixes_.resize(left);
    }
  }

 private:
  static constexpr std::uint32_t outside = no_row;

  // A key column: from the number that the columns before it give, and a value, to the number that these have together.
  class Step {
   public:
    Step(const Node& node, std::size_t rows) : node_(&node), cells_(node), direct_(rows) {}
    const Node& node() const { return *node_; }

    // The number of a combination that is listed.
    std::uint32_t list(std::uint32_t prefix, const Value& value) {
      return listed_.try_emplace({prefix, value}, static_cast<std::uint32_t>(listed_.size())).first->second;
    }

    // Numbers in place of the prefixes, for each chosen row; `outside` where the combination is none that is listed.
    void number(const Vector& v, std::size_t begin, const std::vector<std::uint32_t>& chosen,
                std::vector<std::uint32_t>& prefixes) {
      const auto find = [&](std::size_t i, std::uint32_t prefix) { return look_up(v, i, prefix); };
      if (DirectNumbers::takes(v, *node_) && direct_.pays())
        direct_.number(v, begin, chosen, prefixes, find);
      else
        for (std::size_t i = 0; i < chosen.size(); ++i) prefixes[i] = find(chosen[i] - begin, prefixes[i]);
    }

   private:
    // Each combination is compared with the listed ones once.
    std::uint32_t look_up(const Vector& v, std::size_t row, std::uint32_t prefix) {
      const std::uint32_t met = table_.find_or_add({cells_.cell(v, row), prefix});
      if (met == numbers_.size()) {
        const auto found = listed_.find({prefix, v.value(row)});
        numbers_.push_back(found == listed_.end() ? outside : found->second);
      }
      return numbers_[met];
    }

    const Node* node_;
    CellMaker cells_;
    std::map<std::pair<std::uint32_t, Value>, std::uint32_t> listed_;
    DirectNumbers direct_;
    GroupTable table_;
    std::vector<std::uint32_t> numbers_;  // by number in the table
  };

  std::vector<Step> steps_;
  std::vector<std::uint32_t> prefixes_;
};

}  // namespace lofty::engine
