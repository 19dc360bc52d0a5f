// Binding a formula, whichever part of a level it belongs to.

#include "question/level_binding.hpp"

namespace lofty::engine {

NodePtr LevelBinding::bound(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) const {
  std::vector<Problem> found;
  NodePtr node = engine::bind(e, scope, origin, found);
  problems_.add(std::move(found));
  return node;
}

SortKey LevelBinding::sort_key(const SortItem& item, const std::string& text, Scope& scope,
                               const std::shared_ptr<const Origin>& origin, std::vector<Problem>& found) const {
  SortKey sort;
  sort.node = engine::bind(*item.expression, scope, origin, found);
  finished(*sort.node);
  sort.descending = item.descending;
  sort.nulls = item.nulls_written && item.nulls_first ? Nulls::first : Nulls::last;
  sort.text = text.substr(item.expression->begin, item.expression->end - item.expression->begin);
  return sort;
}

}  // namespace lofty::engine
