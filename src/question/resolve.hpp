#pragma once
// From a Ladder to the questions of its levels.
// Covered by tests/question/check_test.cpp.

#include <memory>
#include <vector>

#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "question/question.hpp"
#include "question/tables.hpp"

namespace lofty::engine {

class LadderTables;
class ProblemList;

// A ladder whose names are resolved by the tables' headings: which columns it mentions is known, their types are not.
// The ladder and the catalog have to outlive it.
class Resolution {
 public:
  // Opens the tables.
  Resolution(const Ladder& ladder, const Catalog& catalog, FurtherConditions further = {});
  // Takes the tables that another ladder has opened, whose [data] is the same.
  Resolution(const Ladder& ladder, const Catalog& catalog, const Resolution& other);
  Resolution(Resolution&&) noexcept;
  ~Resolution();

  const Ladder& ladder() const { return ladder_; }
  // All that is wrong, as far as names tell.
  const std::vector<Problem>& problems() const { return problems_; }
  // By level, outermost first, one at least; none where a table cannot be opened. They refer to the ladder.
  const std::vector<Question>& questions() const& { return questions_; }
  std::vector<Question> questions() && { return std::move(questions_); }

  // The same with types: those of the tables as they were read. Problems are all that is wrong.
  struct Typed {
    std::vector<Question> questions;
    std::vector<Problem> problems;
  };
  Typed with_types(const Tables& tables) const;

 private:
  std::vector<Question> bind_levels(LadderTables& tables, ProblemList& problems) const;

  const Ladder& ladder_;
  const Catalog& catalog_;
  FurtherConditions further_;
  std::unique_ptr<LadderTables> tables_;
  std::vector<Problem> problems_;
  std::vector<Question> questions_;
};

// The questions of a ladder's levels, names alone; problems are appended.
std::vector<Question> resolve_levels(const Ladder& ladder, const Catalog& catalog, std::vector<Problem>& problems,
                                     const FurtherConditions& further = {});

}  // namespace lofty::engine
