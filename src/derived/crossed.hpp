#pragma once
// Crossed tables: entries down and entries across.
// Covered by tests/ladder/crossed_test.cpp.

#include <cstddef>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "answer/standings_data.hpp"
#include "derived/one_pass.hpp"
#include "lofty/catalog.hpp"
#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "question/resolve.hpp"

namespace lofty::engine {

// The further questions of [crossed]: for the entries across, and for the cells of each level.
class Crossing {
 public:
  // Resolves their names. Precondition: the ladder has [crossed]. What is given has to outlive this.
  Crossing(const Ladder& ladder, const Catalog& catalog);
  // All that is wrong with [crossed], with the names of its keys.
  const std::vector<Problem>& problems() const { return problems_; }
  // Announces to a ReadOnce catalog what they will read.
  void want() const;
  // The questions, to be totalled in one pass over the rows with others. Precondition: there are no problems.
  std::vector<PassedQuestion> questions();
  // `down`, the answer of one level, with a column for each entry across after the others. Each level once, from the
  // first on. Precondition: there are no problems. Throws Error.
  std::shared_ptr<StandingsData> cross(const StandingsData& down, std::size_t level, JoinCache& joins, const Run& run);

 private:
  // A ladder with its names resolved; it does not move.
  struct Asked {
    Asked(Ladder ladder, const Catalog& catalog) : question(std::move(ladder)), resolution(question, catalog) {}
    const Ladder question;
    Resolution resolution;
    std::vector<TotalledRows> totalled;
    std::shared_ptr<const StandingsData> answer(JoinCache& joins, const Run& run);
  };
  std::vector<Asked*> asked() const;
  void check_keys();
  // Adds to the sentence and the remarks what there is to say of the entries across.
  void say(StandingsData& out) const;

  const Ladder& ladder_;
  std::vector<Problem> problems_;
  std::unique_ptr<Asked> across_;
  std::vector<std::unique_ptr<Asked>> cells_;  // by level
  std::shared_ptr<const StandingsData> columns_;
};

}  // namespace lofty::engine
