#pragma once
// One level of a ladder, with what its answer depends on. Nothing here changes while it is answered.

#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "lofty/standings.hpp"
#include "plan/plan.hpp"
#include "question/question.hpp"
#include "question/tables.hpp"

namespace lofty::engine {

struct FormerPlaces;
class JoinCache;
struct SiftedRows;

// What is referred to has to outlive the answer's making.
struct LevelInput {
  const Question& question;
  const LevelPlan& plan;
  const Tables& tables;
  std::size_t level = 0;                   // of nested ones
  const Standings::Data* outer = nullptr;  // the level outside: entries count only inside the ones that it lists
  const FormerPlaces* former = nullptr;    // what to compare with
  Run run = {};
  JoinCache* joins = nullptr;          // of all questions of one answer
  const SiftedRows* sifted = nullptr;  // where the first table has the rows that count alone: what became of the others

  const Ladder& ladder() const { return *question.ladder; }
};

// Rows of the first table, those that were not kept included.
std::size_t rows_read(const LevelInput& input);

// What a column of the relation of places is to the answer.
Role role_of(const Question& question, std::size_t column);

}  // namespace lofty::engine
