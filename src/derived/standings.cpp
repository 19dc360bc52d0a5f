// Checking a ladder, and asking it.
// Covered by tests/ladder/standings_test.cpp and tests/question/check_test.cpp.
#include "lofty/standings.hpp"

#include "base/access.hpp"
#include "base/parallel.hpp"
#include "base/passwords.hpp"
#include "derived/answer.hpp"
#include "derived/crossed.hpp"
#include "derived/table_reading.hpp"
#include "lofty/error.hpp"
#include "question/resolve.hpp"

namespace lofty {

using namespace engine;

std::vector<Problem> check(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  const Resolution own(ladder, catalog);
  std::vector<Problem> problems = own.questions().empty() ? own.problems() : read_and_type(own, run).problems;
  if (!ladder.crossed.empty()) {
    const Crossing crossing(ladder, catalog, own);
    problems.insert(problems.end(), crossing.problems().begin(), crossing.problems().end());
  }
  // The orders that the listing might be asked for: their names, without reading the tables again.
  Ladder other = ladder;
  for (const NamedFormula& one : ladder.alternatives) {
    if (one.name == ladder.list.alternative) continue;
    other.list.alternative = one.name;
    std::vector<Problem> found;
    resolve_levels(other, catalog, found);
    for (Problem& p : found)
      if (p.location.key.starts_with("alternatives.")) problems.push_back(std::move(p));
  }
  return without_passwords(std::move(problems));
}

Standings standings(const Ladder& ladder, const Catalog& catalog, const Run& run) {
  const engine::Phases whole(run, {1});  // several questions in one: what each tells never goes back
  const auto out = engine::Access::made<Standings>(
      answer({.ladder = ladder, .compared = true, .crossed = true}, catalog, whole[0]).data);
  whole.finish();
  return out;
}

}  // namespace lofty
