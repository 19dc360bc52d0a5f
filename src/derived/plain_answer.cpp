// Answering a ladder, one level after the other.

#include "derived/plain_answer.hpp"

#include <iterator>

#include "answer/level_answer.hpp"
#include "answer/nesting.hpp"
#include "derived/cost.hpp"
#include "lofty/error.hpp"
#include "question/prose.hpp"
#include "remark/absent_values.hpp"
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
  add_absent_values(level, data.remarks);
  add_window_remarks(level, data.remarks);
  if (level.entries.count > 0) add_doubtful(level, data.remarks);
}

// The same steps as a plan has, with the sizes that were met and the times that they took.
Cost cost_of(const Ladder& ladder, const std::vector<Question>& questions,
             const std::vector<std::shared_ptr<StandingsData>>& levels, Times times) {
  Sizes sizes = sizes_before(questions);
  for (std::size_t t = 0; t < questions.front().tables.size(); ++t) {
    sizes.tables[t] = static_cast<double>(questions.front().tables[t].table.rows());
    times[{StepKind::read, 0, t}] = questions.front().tables[t].seconds;
  }
  sizes.tables.front() = static_cast<double>(levels.front()->accounting.read);
  sizes.entries.clear();
  for (const auto& level : levels) sizes.entries.push_back(static_cast<double>(level->accounting.entries));
  const Accounting& met = levels.front()->accounting;
  sizes.rows = static_cast<double>(met.counted + met.left_out + met.unknown);
  sizes.counted = static_cast<double>(met.counted);
  return cost_steps(ladder, questions, sizes, {}, 0, &times);
}

}  // namespace

LevelAnswers answer_levels(const Ladder& ladder, const std::vector<Question>& questions,
                           const std::vector<FormerPlaces>& former, JoinCache& joins, const Run& run,
                           std::span<TotalledRows> totalled, SiftedRows* sifted) {
  const Run quiet{.threads = run.threads, .stop = run.stop, .step = run.step};
  LevelAnswers out;
  for (std::size_t l = 0; l < questions.size(); ++l) {
    // Each inside what the one outside it lists.
    const LevelInput input{.ladder = ladder,
                           .question = questions[l],
                           .level = l,
                           .outer = out.data.empty() ? nullptr : out.data.back().get(),
                           .former = former.empty() ? nullptr : &former[l],
                           .run = quiet,
                           .joins = &joins,
                           .totalled = totalled.empty() ? nullptr : &totalled[l],
                           .sifted = sifted};
    const LevelAnswer level = answer_level(input, run);
    out.data.push_back(standings_data(level));
    Stopwatch saying;
    say(level, *out.data.back());
    out.times.insert(level.times.begin(), level.times.end());
    out.times[{StepKind::remark, l}] += saying.lap();
  }
  return out;
}

std::shared_ptr<StandingsData> whole_answer(const Ladder& ladder, const std::vector<Question>& questions,
                                            LevelAnswers levels) {
  const std::shared_ptr<StandingsData> whole =
      levels.data.size() == 1 ? levels.data.front() : nest({levels.data.begin(), levels.data.end()});
  whole->cost = cost_of(ladder, questions, levels.data, std::move(levels.times));
  return whole;
}

std::shared_ptr<const StandingsData> plain_answer(const Ladder& ladder, Resolution& resolution, JoinCache& joins,
                                                  const Run& run, std::span<TotalledRows> totalled) {
  if (totalled.empty()) resolution.read(part_of(run, 0, reading_share));
  if (!resolution.problems().empty()) throw Error(resolution.problems());
  const std::shared_ptr<const StandingsData> whole = whole_answer(
      ladder, resolution.questions(), answer_levels(ladder, resolution.questions(), {}, joins, run, totalled));
  if (run.progress) run.progress(1);
  return whole;
}

}  // namespace lofty::engine
