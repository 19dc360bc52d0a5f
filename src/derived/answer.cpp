#include "derived/answer.hpp"

#include <iterator>
#include <optional>

#include "answer/level_answer.hpp"
#include "answer/nesting.hpp"
#include "derived/across.hpp"
#include "derived/cost.hpp"
#include "derived/former.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "remark/doubtful.hpp"
#include "remark/remarks.hpp"
#include "remark/sentence.hpp"
#include "remark/window_remarks.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"

namespace lofty::engine {
namespace {

// What is said of a level, computed from what its stages found.
void say(const LevelAnswer& level, StandingsData& data) {
  data.title = filled_in(level.ladder.title, level.ladder.choices);
  data.question = sentence(level);
  data.shown_of_total = shown_of_total(level);
  add_remarks(level, data.remarks);
  add_window_remarks(level, data.remarks);
  if (level.entries.count > 0) add_doubtful(level, data.remarks);
}

// The same steps as a plan has, with the sizes that were met and the times that they took.
Cost cost_of(const std::vector<Question>& questions, const std::vector<std::shared_ptr<StandingsData>>& levels,
             Times times) {
  Sizes sizes = sizes_before(questions);
  for (std::size_t t = 0; t < questions.front().tables.size(); ++t) {
    sizes.tables[t] = static_cast<double>(questions.front().tables[t].table.rows());
    times[{StepKind::read, 0, t}] = questions.front().tables[t].seconds;
  }
  sizes.entries.clear();
  for (const auto& level : levels) sizes.entries.push_back(static_cast<double>(level->accounting.entries));
  const Accounting& met = levels.front()->accounting;
  sizes.rows = static_cast<double>(met.counted + met.left_out + met.unknown);
  sizes.counted = static_cast<double>(met.counted);
  return cost_steps(questions, sizes, {}, &times);
}

}  // namespace

Answer answer(const Request& request, const Catalog& catalog, const Run& run) {
  const Ladder& ladder = request.ladder;
  const bool crossed = request.crossed && !ladder.across.empty();
  const bool compared = request.compared && !ladder.compare.empty();
  const Run quiet{.threads = run.threads, .stop = run.stop};

  // All that is wrong with it is said at once.
  std::vector<Problem> problems;
  Answer out;
  out.questions = resolve_levels(ladder, catalog, true, part_of(run, 0, reading_share), problems, request.further);
  if (request.crossed)
    for (Problem& p : check_across(ladder, catalog)) problems.push_back(std::move(p));
  if (!problems.empty()) throw Error(std::move(problems));

  // What was before, then level by level, each inside what the one outside it lists.
  Stopwatch watch;
  const std::vector<FormerPlaces> former =
      compared ? former_places(ladder, out.questions, catalog, quiet) : std::vector<FormerPlaces>{};
  const double compare_seconds = watch.lap();
  std::vector<std::shared_ptr<StandingsData>> levels;
  Times times;
  for (std::size_t l = 0; l < out.questions.size(); ++l) {
    const LevelInput input{.ladder = ladder,
                           .question = out.questions[l],
                           .level = l,
                           .outer = levels.empty() ? nullptr : levels.back().get(),
                           .former = former.empty() ? nullptr : &former[l],
                           .run = quiet};
    const LevelAnswer level = answer_level(input, run);
    levels.push_back(standings_data(level));
    Stopwatch saying;
    say(level, *levels.back());
    times.insert(level.times.begin(), level.times.end());
    times[{StepKind::remark, l}] += saying.lap();
  }

  // The columns of entries across, for each level.
  watch.lap();
  if (crossed) {
    const Crossing crossing(ladder, catalog, quiet);
    for (std::size_t l = 0; l < levels.size(); ++l) levels[l] = crossing.cross(*levels[l], l);
  }
  const double across_seconds = watch.lap();
  if (run.progress) run.progress(1);

  const std::shared_ptr<StandingsData> whole =
      levels.size() == 1 ? levels.front() : nest({levels.begin(), levels.end()});
  whole->cost = cost_of(out.questions, levels, std::move(times));
  if (request.compared || request.crossed) add_further_questions(ladder, whole->cost, compare_seconds, across_seconds);
  out.data = whole;
  return out;
}

}  // namespace lofty::engine
