#pragma once
// The one entrance to an answer: for standings(), and for the questions that other questions are made of.
// Covered by tests/ladder/standings_test.cpp.

#include <memory>
#include <vector>

#include "answer/standings_data.hpp"
#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "lofty/run.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// What is asked. The ladder has to outlive the answer's questions, which refer to it.
struct Request {
  const Ladder& ladder;
  FurtherConditions further = {};
  bool compared = false, crossed = false;  // with what [compare] and [crossed] ask for?
};

struct Answer {
  std::vector<Question> questions;  // by level; nothing has changed them since they were resolved
  std::shared_ptr<const StandingsData> data;
};

// Resolves the ladder, reads its tables and answers it, level by level. Throws Error with all that is wrong.
Answer answer(const Request& request, const Catalog& catalog, const Run& run);

}  // namespace lofty::engine
