// Answering a ladder, one level after the other.

#include "derived/plain_answer.hpp"

#include "answer/level_answer.hpp"
#include "answer/nesting.hpp"
#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "remark/absent_values.hpp"
#include "remark/doubtful.hpp"
#include "remark/remarks.hpp"
#include "remark/sentence.hpp"
#include "remark/window_remarks.hpp"

namespace lofty::engine {
namespace {

// What is said of a level, computed from what its stages found.
void say(const LevelAnswer& level, StandingsData& data) {
  data.title = filled_in(level.ladder().title, level.ladder().choices);
  data.question = sentence(level);
  data.shown_of_total = shown_of_total(level);
  add_remarks(level, data.remarks);
  add_absent_values(level, data.remarks);
  add_window_remarks(level, data.remarks);
  if (level.entries.count > 0) add_doubtful(level, data.remarks);

  // What the order of rows decides is no answer where they have none.
  const TableSource& first = *level.question.tables.front().source;
  if (first.has_order()) return;
  for (const Remark& remark : data.remarks)
    if (remark.code == "input-decides")
      throw Error(Problem{Code::bad_value,
                          "the rows of " + first.name() + " come in any order, and it would decide: " + remark.sentence,
                          {},
                          {},
                          "data.order names columns that order them"});
}

}  // namespace

LevelAnswers answer_levels(Execution& rows, std::size_t question, const std::vector<FormerPlaces>& former,
                           JoinCache& joins, const Run& run) {
  const Run quiet{.threads = run.threads, .stop = run.stop, .step = run.step};
  QuestionRows& of = rows.questions[question];
  LevelAnswers out;
  for (std::size_t l = 0; l < of.levels.size(); ++l) {
    // Each inside what the one outside it lists.
    const LevelInput input{.question = of.levels[l],
                           .plan = rows.plan.levels[question][l],
                           .tables = rows.tables,
                           .level = l,
                           .outer = out.data.empty() ? nullptr : out.data.back().get(),
                           .former = former.empty() ? nullptr : &former[l],
                           .run = quiet,
                           .joins = &joins,
                           .sifted = rows.sifted ? &*rows.sifted : nullptr};

    // From its rows, or from what these gave as they were read.
    std::optional<TotalledRows> totalled;
    if (!of.totalled.empty()) totalled = std::move(of.totalled[l]);
    const LevelAnswer level = answer_level(input, std::move(totalled), run);
    out.data.push_back(standings_data(level));
    Stopwatch saying;
    say(level, *out.data.back());
    out.times.insert(level.times.begin(), level.times.end());
    out.times[{StepKind::remark, l}] += saying.lap();
  }
  return out;
}

std::shared_ptr<StandingsData> whole_answer(LevelAnswers levels) {
  return levels.data.size() == 1 ? levels.data.front() : nest({levels.data.begin(), levels.data.end()});
}

}  // namespace lofty::engine
