// The questions that an answer is made of, asked over tables that are read once.

#include "derived/answer.hpp"

#include "answer/level_answer.hpp"
#include "base/budget.hpp"
#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "derived/cost.hpp"
#include "derived/plain_answer.hpp"

namespace lofty::engine {

Answer answer(const Request& request, const Catalog& catalog, const Run& run) {
  const MemoryLimit limit(run);
  const Ladder& ladder = request.ladder;
  const Run quiet{.threads = run.threads, .stop = run.stop, .step = run.step};

  // All names are resolved first, so that the tables are read once, with what any of the questions wants.
  Questions questions(request, catalog);
  const Sizes sizes = estimated_sizes(questions.own().questions());
  const Plan plan = questions.plan(sizes, means_of(run));
  const double reading = plan.rows == RowsKept::none ? totals_share : reading_share;
  Execution rows = carry_out(plan, questions.all(), questions.further_problems(), run_within(run, 0, reading));

  // The further questions' rows may have been totalled as they were read.
  FurtherSeconds further;
  for (std::size_t q = 1; q < rows.questions.size(); ++q)
    for (const TotalledRows& level : rows.questions[q].totalled)
      (q < questions.first_crossed() ? further.compare : further.across) += level.entries.total_seconds;

  // What was before, then level by level, then the columns of entries across.
  JoinCache joins;
  Stopwatch watch;
  std::vector<FormerPlaces> former;
  if (questions.former() != nullptr)
    former = questions.former()->places(rows, 1, joins, quiet);
  else if (request.compared && !ladder.compare.with.empty())
    former = places_in_table(rows.questions.front().levels, catalog, quiet);
  further.compare += watch.lap();
  LevelAnswers levels = answer_levels(rows, 0, former, joins, run);
  Cost cost = cost_of(ladder, sizes, rows, levels);
  watch.lap();
  for (std::size_t l = 0; questions.crossing() != nullptr && l < levels.data.size(); ++l)
    levels.data[l] = questions.crossing()->cross(*levels.data[l], l, rows, questions.first_crossed(), joins, quiet);
  further.across += watch.lap();
  if (run.progress) run.progress(1);

  const std::shared_ptr<StandingsData> whole = whole_answer(std::move(levels));
  if (request.compared || request.crossed) add_further_questions(ladder, cost, further);
  whole->cost = std::move(cost);
  return {std::move(rows.questions.front().levels), std::move(rows.tables), whole};
}

}  // namespace lofty::engine
