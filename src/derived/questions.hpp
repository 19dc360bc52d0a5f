#pragma once
// The questions that one answer is made of.
// Covered by tests/ladder/cost_test.cpp and tests/ladder/compare_test.cpp.

#include <optional>
#include <vector>

#include "derived/crossed.hpp"
#include "derived/former.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "plan/plan.hpp"
#include "question/resolve.hpp"

namespace lofty::engine {

// What is asked. The ladder has to outlive the answer's questions, which refer to it.
struct Request {
  const Ladder& ladder;
  FurtherConditions further = {};
  bool compared = false, crossed = false;  // with what [compare] and [crossed] ask for?
};

// A ladder's own question, and those of [compare] and [crossed] over the same tables; their names are resolved.
class Questions {
 public:
  // What is given has to outlive this. Throws Error where a table cannot be opened.
  Questions(const Request& request, const Catalog& catalog);
  Questions(const Questions&) = delete;

  const Resolution& own() const { return own_; }
  FormerQuestion* former() { return former_ ? &*former_ : nullptr; }  // null: there is none, or it has problems
  Crossing* crossing() { return crossing_ ? &*crossing_ : nullptr; }
  // What is wrong with the further ones, by names.
  const std::vector<Problem>& further_problems() const { return further_problems_; }

  // All of them, the ladder's own first; where the further ones have problems, that one alone.
  std::vector<const Resolution*> all() const;
  // Where the questions of [crossed] begin among them.
  std::size_t first_crossed() const { return former_ ? 2 : 1; }
  // `sizes`: of the own question.
  Plan plan(const Sizes& sizes, const Means& means) const;

 private:
  const Ladder& ladder_;
  const Resolution own_;
  std::optional<FormerQuestion> former_;
  std::optional<Crossing> crossing_;
  std::vector<Problem> further_problems_;
};

}  // namespace lofty::engine
