#pragma once
// Crossed tables: entries down and entries across.
// Covered by tests/derived/crossed_test.cpp.

#include <cstddef>
#include <deque>
#include <memory>
#include <utility>
#include <vector>

#include "answer/standings_data.hpp"
#include "derived/execution.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "question/resolve.hpp"

namespace lofty::engine {

// The further questions of [crossed]: for the entries across, and for the cells of each level.
class Crossing {
 public:
  // Resolves their names, over the tables that `down` has opened. Precondition: the ladder has [crossed]. What is given
  // has to outlive this.
  Crossing(const Ladder& ladder, const Catalog& catalog, const Resolution& down);
  // All that is wrong with [crossed], with the names of its keys.
  const std::vector<Problem>& problems() const { return problems_; }
  struct Further {
    Further(Ladder of, const Catalog& catalog, const Resolution& down)
        : ladder(std::move(of)), resolution(ladder, catalog, down) {}
    const Ladder ladder;
    const Resolution resolution;
  };
  // Of the entries across, then of the cells of each level. Precondition: there are no problems.
  const std::deque<Further>& questions() const { return questions_; }
  // `down`, the answer of one level, with a column for each entry across after the others. Each level once, from the
  // first on; `first` is the number of the first of these questions in the execution. Throws Error.
  std::shared_ptr<StandingsData> cross(const StandingsData& down, std::size_t level, Execution& rows, std::size_t first,
                                       JoinCache& joins, const Run& run);

 private:
  void check_keys();
  // Adds to the sentence and the remarks what there is to say of the entries across.
  void say(StandingsData& out) const;

  const Ladder& ladder_;
  std::vector<Problem> problems_;
  std::deque<Further> questions_;
  std::shared_ptr<const StandingsData> columns_;
};

}  // namespace lofty::engine
