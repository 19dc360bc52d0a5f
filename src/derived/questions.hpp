#pragma once
// The questions that one answer is made of.
// Covered by tests/derived/cost_test.cpp and tests/derived/compare_test.cpp.

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

// The input of an answer. The ladder has to outlive the answer's questions.
struct Request {
  const Ladder& ladder;
  FurtherConditions further = {};
  bool compared = false, crossed = false;  // true: that part of the ladder is answered too
};

// A ladder's own question and those of [compare] and [crossed], with names resolved. All are over the same tables.
class Questions {
 public:
  // Both arguments have to outlive this. Throws Error if a table cannot be opened.
  Questions(const Request& request, const Catalog& catalog);
  Questions(const Questions&) = delete;

  const Resolution& own() const { return own_; }
  const FormerQuestion* former() const { return former_ ? &*former_ : nullptr; }  // null: nothing is compared so
  Crossing* crossing() { return crossing_ ? &*crossing_ : nullptr; }              // null: nothing is crossed
  // Problems of the questions of [compare] and [crossed], as far as names show them.
  const std::vector<Problem>& further_problems() const { return further_problems_; }

  // All questions, the ladder's own first. If the further ones have problems, the own question alone.
  std::vector<const Resolution*> all() const;
  // The position of the first question of [crossed] in all().
  std::size_t first_crossed() const { return former_ ? 2 : 1; }
  // `sizes` are those of the own question.
  Plan plan(const Sizes& sizes, const Means& means) const;

 private:
  const Ladder& ladder_;
  const Resolution own_;
  std::optional<FormerQuestion> former_;
  std::optional<Crossing> crossing_;
  std::vector<Problem> further_problems_;
};

}  // namespace lofty::engine
