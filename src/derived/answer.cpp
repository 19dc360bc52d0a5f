// The questions that an answer is made of, asked over tables that are read once.

#include "derived/answer.hpp"

#include <optional>

#include "answer/level_answer.hpp"
#include "derived/cost.hpp"
#include "derived/crossed.hpp"
#include "derived/former.hpp"
#include "derived/one_pass.hpp"
#include "derived/plain_answer.hpp"
#include "derived/read_once.hpp"
#include "lofty/error.hpp"
#include "table/budget.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"

namespace lofty::engine {

Answer answer(const Request& request, const Catalog& catalog, const Run& run) {
  const MemoryLimit limit(run);
  const Ladder& ladder = request.ladder;
  const bool crossed = request.crossed && !ladder.crossed.empty();
  const bool compared = request.compared && !ladder.compare.empty();
  const bool other_choices = compared && ladder.compare.with.empty();
  const Run quiet{.threads = run.threads, .stop = run.stop, .step = run.step};

  // All names are resolved first, so that the tables are read once, with what any of the questions wants.
  const ReadOnce once(catalog, true);
  const Catalog& tables = crossed || other_choices ? once : catalog;
  Resolution own(ladder, tables, request.further);
  std::optional<Crossing> crossing;
  std::optional<FormerQuestion> before;
  std::vector<Problem> not_before;
  if (crossed) crossing.emplace(ladder, tables);
  if (other_choices) {
    try {
      before.emplace(ladder, tables);
    } catch (const Error& error) {
      not_before = error.problems();
    }
  }
  if (crossing) crossing->want();
  if (before) before->want();

  // In one pass over the rows, where that is enough. Else all that is wrong is said at once.
  std::vector<TotalledRows> totalled;  // by level
  std::vector<PassedQuestion> questions{{&own, &totalled}};
  std::optional<SiftedRows> sifted;
  double compare_seconds = 0, across_seconds = 0;
  bool sound = not_before.empty();
  if (before) questions.push_back(before->question());
  if (crossing) {
    sound = sound && crossing->problems().empty();
    if (sound)
      for (const PassedQuestion& one : crossing->questions()) questions.push_back(one);
  }
  if (const Run one_pass = part_of(run, 0, totals_share); sound && total_in_one_pass(questions, one_pass)) {
    for (std::size_t q = 1; q < questions.size(); ++q)
      for (const TotalledRows& level : *questions[q].totalled)
        (before && q == 1 ? compare_seconds : across_seconds) += level.entries.total_seconds;
  } else if (questions.size() == 1 && sound) {
    sifted = sift_in_one_pass(own, part_of(run, 0, reading_share));
  }
  if (totalled.empty() && !sifted) own.read(part_of(run, 0, reading_share));
  std::vector<Problem> problems = own.problems();
  if (crossing) problems.insert(problems.end(), crossing->problems().begin(), crossing->problems().end());
  if (problems.empty()) problems = not_before;
  if (!problems.empty()) throw Error(std::move(problems));
  Answer out;
  out.questions = own.take_questions();

  // What was before, then level by level, then the columns of entries across.
  JoinCache joins;
  Stopwatch watch;
  std::vector<FormerPlaces> former;
  if (compared) former = before ? before->places(joins, quiet) : places_in_table(ladder, out.questions, catalog, quiet);
  compare_seconds += watch.lap();
  LevelAnswers levels = answer_levels(ladder, out.questions, former, joins, run, totalled, sifted ? &*sifted : nullptr);
  watch.lap();
  for (std::size_t l = 0; crossing && l < levels.data.size(); ++l)
    levels.data[l] = crossing->cross(*levels.data[l], l, joins, quiet);
  across_seconds += watch.lap();
  if (run.progress) run.progress(1);

  const std::shared_ptr<StandingsData> whole = whole_answer(ladder, out.questions, std::move(levels));
  if (request.compared || request.crossed) add_further_questions(ladder, whole->cost, compare_seconds, across_seconds);
  out.data = whole;
  return out;
}

}  // namespace lofty::engine
