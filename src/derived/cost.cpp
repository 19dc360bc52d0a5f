#include "derived/cost.hpp"

#include <algorithm>
#include <charconv>

#include "answer/standings_data.hpp"
#include "derived/questions.hpp"
#include "lofty/error.hpp"
#include "lofty/standings.hpp"
#include "plan/advice.hpp"
#include "plan/steps.hpp"

namespace lofty {

double Cost::estimated() const {
  double sum = 0;
  for (const CostStep& step : steps) sum += step.estimated;
  return sum;
}

std::optional<double> Cost::measured() const {
  double sum = 0;
  for (const CostStep& step : steps) {
    if (!step.measured) return std::nullopt;
    sum += *step.measured;
  }
  return sum;
}

double Cost::bytes() const {
  double columns = 0, most = 0;
  for (const CostStep& step : steps) {
    if (step.step == StepKind::read)
      columns += step.bytes;
    else
      most = std::max(most, step.bytes);
  }
  return columns + most;
}

std::size_t Cost::sorts() const {
  return static_cast<std::size_t>(std::count_if(steps.begin(), steps.end(), [](const CostStep& step) {
    return step.step == StepKind::sort && !step.by.empty();
  }));
}

namespace engine {

Cost cost_of(const Ladder& ladder, Sizes sizes, const Execution& rows, const LevelAnswers& levels) {
  const std::vector<Question>& questions = rows.questions.front().levels;
  const Accounting& met = levels.data.front()->accounting;
  Times times = levels.times;
  for (std::size_t t = 0; t < rows.tables.read.size(); ++t) {
    sizes.tables[t].rows = static_cast<double>(rows.tables[t].rows());
    times[{StepKind::read, 0, t}] = rows.seconds[t];
  }
  sizes.kept = sizes.tables.front().rows;
  sizes.tables.front().rows = static_cast<double>(met.read);
  sizes.entries.clear();
  for (const auto& level : levels.data) sizes.entries.push_back(static_cast<double>(level->accounting.entries));
  sizes.rows = static_cast<double>(met.counted + met.left_out + met.unknown);
  sizes.counted = static_cast<double>(met.counted);

  Cost cost = priced(rows.plan, questions, sizes, {}, &times);
  cost.advice = advice(ladder, questions, cost);
  if (rows.outcome != Outcome::held) {
    std::string& instead = cost.decisions.front().instead;
    instead = "all rows of " + questions.front().tables.front().source->name() + " were kept: " + reason(rows.outcome);
  }
  return cost;
}

void add_further_questions(const Ladder& ladder, Cost& cost, const FurtherSeconds& measured) {
  double once = 0;  // the tables are there already
  for (const CostStep& step : cost.steps)
    if (step.step != StepKind::read) once += step.estimated;
  const auto add = [&](StepKind step, const char* purpose, double times, double seconds) {
    CostStep one{step, purpose, "", cost.steps.front().rows, 0, 0, times * once, {}};
    if (cost.steps.front().measured) one.measured = seconds;
    cost.steps.push_back(std::move(one));
  };
  if (!ladder.compare.choose.empty())
    add(StepKind::compare, "the same question with other choices", 1, measured.compare);
  if (!ladder.compare.period.empty())
    add(StepKind::compare, "the same question over the period before", 1, measured.compare);
  if (!ladder.crossed.empty()) add(StepKind::crossed, "the columns, and the cells", 2, measured.across);
}

}  // namespace engine

Cost plan(const Ladder& ladder, const Catalog& catalog, const Speeds& speeds, const Run& run) {
  const engine::Questions questions({.ladder = ladder, .compared = true, .crossed = true}, catalog);
  const engine::Resolution& own = questions.own();
  if (!own.problems().empty()) throw Error(own.problems());
  const engine::Sizes sizes = engine::estimated_sizes(own.questions());
  Cost cost = engine::priced(questions.plan(sizes, engine::means_of(run)), own.questions(), sizes, speeds, nullptr);
  cost.advice = engine::advice(ladder, own.questions(), cost);
  engine::add_further_questions(ladder, cost, {});
  return cost;
}

Cost with_measured(Cost planned, const Cost& measured) {
  if (planned.steps.size() != measured.steps.size()) return measured;  // not of this ladder
  for (std::size_t i = 0; i < planned.steps.size(); ++i) {
    planned.steps[i].measured = measured.steps[i].measured;
    planned.steps[i].rows = measured.steps[i].rows;
    planned.steps[i].comparisons = measured.steps[i].comparisons;
  }
  planned.rows_kept = measured.rows_kept;
  planned.decisions = measured.decisions;
  return planned;
}

const Cost& Standings::cost() const& { return data_->cost; }

std::string speeds_text(const Speeds& speeds) {
  const auto fixed = [](double value) {
    char digits[32];
    return std::string(digits, std::to_chars(digits, digits + sizeof digits, value, std::chars_format::fixed, 6).ptr);
  };
  std::string out = "lofty-ladder speeds 1\n";
  for (const auto& [name, value] :
       {std::pair{"read", speeds.read}, std::pair{"join", speeds.join}, std::pair{"rows", speeds.rows},
        std::pair{"sort", speeds.sort}, std::pair{"windows", speeds.windows}, std::pair{"entries", speeds.entries}})
    out += std::string(name) + " " + fixed(value) + "\n";
  return out;
}

std::optional<Speeds> speeds_from(const std::string& text) {
  Speeds speeds;
  std::size_t at = text.find('\n');
  if (text.substr(0, at) != "lofty-ladder speeds 1") return std::nullopt;
  for (double* value : {&speeds.read, &speeds.join, &speeds.rows, &speeds.sort, &speeds.windows, &speeds.entries}) {
    const std::size_t blank = text.find(' ', at + 1), end = text.find('\n', at + 1);
    if (blank == std::string::npos || end == std::string::npos || blank > end) return std::nullopt;
    if (std::from_chars(text.data() + blank + 1, text.data() + end, *value).ec != std::errc()) return std::nullopt;
    if (!(*value > 0.001 && *value < 1000)) return std::nullopt;
    at = end;
  }
  return speeds;
}

}  // namespace lofty
