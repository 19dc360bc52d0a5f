#pragma once
// [compare]: former places, asked for again or read from a table.
// Covered by tests/derived/compare_test.cpp.

#include <string>
#include <vector>

#include "answer/former_places.hpp"
#include "derived/execution.hpp"
#include "lofty/catalog.hpp"
#include "lofty/ladder.hpp"
#include "question/resolve.hpp"

namespace lofty::engine {

// The question as it was asked before, where [compare] says with which choices. An entry of an inner level had no place
// where the one that holds it was not listed: that level did not run there.
class FormerQuestion {
 public:
  // Resolves its names, over the tables that `now` has opened. Throws Error (bad_choice). The catalog has to outlive
  // this.
  FormerQuestion(const Ladder& ladder, const Catalog& catalog, const Resolution& now);
  FormerQuestion(const FormerQuestion&) = delete;
  const Ladder& ladder() const { return before_; }
  const Resolution& resolution() const { return resolution_; }
  // By level, from that question of an execution. Once. Throws Error.
  std::vector<FormerPlaces> places(Execution& rows, std::size_t question, JoinCache& joins, const Run& run) const;

 private:
  const Ladder before_;
  const Resolution resolution_;
};

// Former places from the table that [compare] names. `questions` are those of the ladder now. Throws Error.
std::vector<FormerPlaces> places_in_table(const std::vector<Question>& questions, const Catalog& catalog,
                                          const Run& run);

// Takes [compare] out of a ladder, with all that speaks of `was` and `moved`: columns, headings, the listing's orders,
// conditions on who is kept.
void without_moves(Ladder& ladder);

}  // namespace lofty::engine
