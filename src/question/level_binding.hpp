#pragma once
// What the binders of a level have in common. Each binder fills its own part of the level's question.
//
// One level is resolved by a RowBinder (names of the rows), an EntryBinder (totals, windows), a LevelBinder (what is an
// entry, what ranks it) and a ListBinder (what is listed), in this order; each knows those before it.

#include <memory>
#include <string>
#include <vector>

#include "question/formula_list.hpp"
#include "question/ladder_tables.hpp"
#include "question/level_names.hpp"
#include "question/problem_list.hpp"
#include "question/question.hpp"

namespace lofty::engine {

class LevelBinding {
 public:
  // What is given has to outlive this.
  LevelBinding(const Ladder& ladder, const LevelNames& level, LadderTables& tables, Question& question,
               ProblemList& problems)
      : ladder_(ladder), level_(level), tables_(tables), question_(question), problems_(problems) {}

 protected:
  // Binds a formula. Its problems are said.
  NodePtr bound(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) const;
  // Makes a bound formula ready for evaluation.
  void finished(Node& node) const { question_.slots = finish(node, question_.slots); }
  // One key of the sort list `text`.
  SortKey sort_key(const SortItem& item, const std::string& text, Scope& scope,
                   const std::shared_ptr<const Origin>& origin, std::vector<Problem>& found) const;

  const Ladder& ladder_;
  const LevelNames& level_;
  LadderTables& tables_;
  Question& question_;
  ProblemList& problems_;
};

}  // namespace lofty::engine
