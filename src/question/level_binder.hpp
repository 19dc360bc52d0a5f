#pragma once
// What is an entry of a level, and what ranks it.
// Covered by tests/question/check_test.cpp.

#include <string>
#include <vector>

#include "question/entry_binder.hpp"

namespace lofty::engine {

class LevelBinder : private LevelBinding {
 public:
  LevelBinder(const LevelBinding& parts, EntryBinder& entries, FormulaList& totals, FormulaList& window_values)
      : LevelBinding(parts), entries_(entries), rows_(entries.rows()), totals_(totals), window_values_(window_values) {}

  // The keys, the conditions on entries, the ranking and what goes with it. FurtherConditions::mark is a condition.
  void bind_all(const std::string& mark);
  // Which column each custom order is for. Values that cannot occur are said here; those that do not, in the answer.
  void bind_orderings();
  void bind_sort(const std::string& text, const std::string& key, Scope& scope, bool directions,
                 std::vector<SortKey>& out);

 private:
  void check_each(const Level& level);
  void check_totals();
  void bind_keys(const std::vector<std::string>& names, const std::string& key, std::vector<std::size_t>& out);
  std::size_t bind_key(const std::string& name, const std::string& key);
  // A condition on entries; null when there is none.
  NodePtr bind_condition(const std::string& text, const std::string& key, bool places, bool windows = true);
  void bind_include(const Level& level);
  void bind_fill(const Level& level);
  std::optional<std::size_t> period_in_force(const Node& dates) const;
  bool is_of_table(const Node& key, const JoinUse& join) const;
  void bind_ranking(const Level& level);
  void bind_also(const Level& level);
  int share_of(const Also& also, const std::string& key);
  void check_listed(const Ordering& ordering, const Type& type, const std::string& key);

  EntryBinder& entries_;
  RowBinder& rows_;
  FormulaList &totals_, &window_values_;
};

}  // namespace lofty::engine
