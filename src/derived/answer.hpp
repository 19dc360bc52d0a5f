#pragma once
// The one entrance to an answer: for standings(), and for the questions that other questions are made of.
// Covered by tests/ladder/standings_test.cpp.

#include <memory>
#include <vector>

#include "answer/standings_data.hpp"
#include "derived/questions.hpp"
#include "lofty/run.hpp"
#include "question/tables.hpp"

namespace lofty::engine {

struct Answer {
  std::vector<Question> questions;  // by level
  Tables tables;
  std::shared_ptr<const StandingsData> data;
};

// Resolves the ladder, reads its tables and answers it, level by level. Throws Error with all that is wrong.
Answer answer(const Request& request, const Catalog& catalog, const Run& run);

}  // namespace lofty::engine
