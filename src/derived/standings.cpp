// Checking a ladder, and asking it.
// Covered by tests/ladder/standings_test.cpp and tests/ladder/check_test.cpp.
#include "lofty/standings.hpp"

#include "derived/across.hpp"
#include "derived/answer.hpp"
#include "derived/former.hpp"
#include "derived/read_once.hpp"
#include "lofty/error.hpp"

namespace lofty {

using namespace engine;

namespace {

// What [compare] will want, where its choices may be made.
void want_former(const Ladder& ladder, const ReadOnce& tables) {
  try {
    tables.want(former_question(ladder));
  } catch (const Error&) {
    return;  // said when it is asked
  }
}

}  // namespace

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  std::vector<Problem> problems;
  resolve_levels(ladder, catalog, true, run, problems);
  for (Problem& p : check_across(ladder, catalog)) problems.push_back(std::move(p));
  // The orders that the listing might be asked for: their names, without reading the tables again.
  Ladder other = ladder;
  for (const NamedFormula& one : ladder.alternatives) {
    if (one.name == ladder.list.order_by) continue;
    other.list.order_by = one.name;
    std::vector<Problem> found;
    resolve_levels(other, catalog, false, run, found);
    for (Problem& p : found)
      if (p.place.key.starts_with("alternatives.")) problems.push_back(std::move(p));
  }
  return problems;
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  // What other questions are asked on the way: their tables are read with those of the first.
  const ReadOnce once(catalog);
  const bool crossed = !ladder.across.empty(), other_choices = !ladder.compare.choose.empty();
  const Catalog& tables = crossed || other_choices ? once : catalog;
  if (check_across(ladder, tables).empty()) {
    for (const Ladder& further : crossing_questions(ladder)) once.want(further);
    if (other_choices) want_former(ladder, once);
  }
  return Standings(answer({.ladder = ladder, .compared = true, .crossed = true}, tables, run).data);
}

}  // namespace lofty
