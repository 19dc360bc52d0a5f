#include "derived/execution.hpp"

#include <algorithm>
#include <deque>
#include <functional>
#include <future>
#include <system_error>

#include "base/parallel.hpp"
#include "base/stopwatch.hpp"
#include "formula/evaluator.hpp"
#include "lofty/error.hpp"
#include "lofty/memory.hpp"
#include "question/problem_list.hpp"
#include "relation/row_pass.hpp"

namespace lofty::engine {
namespace {

// True for errors about values in rows. The next plan keeps the rows and names the one that fails. Other errors are
// final.
bool is_of_rows(Code code) {
  switch (code) {
    case Code::overflow:
    case Code::division_by_zero:
    case Code::bad_cast:
    case Code::bad_value:
    case Code::join_multiplies:
    case Code::key_mismatch:
    case Code::several_values:
    case Code::too_many_rows: return true;
    default: return false;
  }
}

// Turns errors about values in rows into an outcome.
Outcome outcome_of(const std::function<Outcome()>& work) {
  try {
    return work();
  } catch (const RowFailure&) {
  } catch (const Error& error) {
    if (!is_of_rows(error.code())) throw;
  }
  return Outcome::value_impossible;
}

// Reads the next rows while the caller works on the current ones. Neither alone keeps all processors busy.
class NextRows {
 public:
  NextRows(CheckedStretches& stretches, const Run& run) : stretches_(stretches) {
    if (thread_count(run) == 1) return;
    try {
      next_ = std::async(std::launch::async, [this] { return stretches_.next(); });
    } catch (const std::system_error&) {  // no further thread: get() reads
    }
  }
  std::optional<Table> get() { return next_.valid() ? next_.get() : stretches_.next(); }

 private:
  CheckedStretches& stretches_;
  std::future<std::optional<Table>> next_;  // the destructor waits for the thread
};

// The progress of two passes over a table. The second pass reads its first rows before the first pass begins.
class TwoPasses {
 public:
  explicit TwoPasses(const Run& run) : run_(run), second_(run), first_(run) {
    if (!run.progress) return;
    second_.progress = [this](double share) { tell(done_ + share * (1 - done_)); };
    first_.progress = [this](double share) {
      done_ = first_share;
      tell(share * first_share);
    };
  }
  TwoPasses(const TwoPasses&) = delete;
  TwoPasses& operator=(const TwoPasses&) = delete;
  const Run& first() const { return first_; }
  const Run& second() const { return second_; }

 private:
  static constexpr double first_share = 0.4;
  void tell(double share) {
    if (share < furthest_) return;
    furthest_ = share;
    run_.progress(share);
  }
  const Run& run_;
  Run second_, first_;
  double done_ = 0, furthest_ = 0;
};

class Executor {
 public:
  Executor(std::span<const Resolution* const> questions, const std::vector<Problem>& further, const Run& run)
      : questions_(questions), further_(further), run_(run), reading_(questions, run) {}

  Execution carry_out(const Plan& plan) {
    const bool sound = further_.empty() && std::all_of(questions_.begin(), questions_.end(),
                                                       [](const Resolution* one) { return one->problems().empty(); });
    out_.plan = sound ? plan : plan.next();  // types may show more of what is wrong
    switch (out_.plan.rows) {
      case RowsKept::none: out_.outcome = total(); break;
      case RowsKept::counting: out_.outcome = sift(); break;
      case RowsKept::all: keep(); break;
    }
    if (out_.outcome != Outcome::held) {
      reading_.tables.read.front() = {};  // the last stretch
      out_.plan = out_.plan.next();
      keep();
    }
    out_.tables = std::move(reading_.tables);
    out_.seconds = std::move(reading_.seconds);
    return std::move(out_);
  }

 private:
  // Keeps all rows.
  void keep() {
    out_.sifted.reset();
    reading_.read_all();
    if (reading_.problems.empty()) bind();
    throw_problems();
  }

  // Resolves the questions with the types of the tables. Returns false if there are problems.
  bool bind() {
    out_.questions.clear();
    bool sound = true;
    for (const Resolution* const one : questions_) {
      Resolution::Typed typed = one->with_types(reading_.tables);
      sound = sound && typed.problems.empty();
      ProblemList(problems_).add(std::move(typed.problems));
      out_.questions.push_back({std::move(typed.questions), {}});
    }
    return sound;
  }

  void throw_problems() {
    std::vector<Problem> all = reading_.problems;
    ProblemList(all).add(problems_);
    ProblemList(all).add(further_);
    if (!all.empty()) throw Error(std::move(all));
  }

  // Reads the other tables and the first stretch, and resolves the questions with their types.
  Outcome begin(CheckedStretches& stretches) {
    reading_.read_others();
    throw_problems();
    Stopwatch watch;
    std::optional<Table> first = stretches.next();
    if (!first) return Outcome::types_changed;
    reading_.tables.read.front() = std::move(*first);
    reading_.seconds.front() += watch.lap();
    if (bind()) return Outcome::held;
    problems_.clear();  // later rows may make the types others
    return Outcome::types_changed;
  }

  // Calls work(number of rows before) for each stretch. reading_.tables has the stretch; the first was read before.
  Outcome each_stretch(CheckedStretches& stretches, const std::function<Outcome(std::size_t rows_before)>& work) {
    std::size_t rows_before = 0;
    for (;;) {
      NextRows next(stretches, quiet_);
      const Outcome outcome = outcome_of([&] { return work(rows_before); });
      if (outcome != Outcome::held) return outcome;
      rows_before += reading_.tables.first().rows();
      Stopwatch watch;
      std::optional<Table> rows = next.get();
      reading_.seconds.front() += watch.lap();  // the time of waiting, so that all steps add up to the whole
      if (!rows) break;
      reading_.tables.read.front() = std::move(*rows);
    }
    if (!stretches.types_hold()) return Outcome::types_changed;
    reading_.tables.read.front() = stretches.whole();
    return Outcome::held;
  }

  template <class Work>
  void each_level(const Work& work) {
    for (std::size_t q = 0; q < out_.questions.size(); ++q)
      for (std::size_t l = 0; l < out_.questions[q].levels.size(); ++l) work(q, l, out_.questions[q].levels[l]);
  }

  // Finds the constants over all rows, by question and level, in a pass over the columns that they depend on.
  Outcome find_constants(const Run& run, std::deque<std::vector<Value>>& constants) {
    each_level([&](std::size_t, std::size_t, const Question&) { constants.emplace_back(); });
    if (!out_.plan.first_look) return Outcome::held;

    // reading_.tables keeps the first stretch of all columns meanwhile.
    CheckedStretches stretches = reading_.stretches(*out_.plan.first_look, run);
    const KeepMemory keep;
    StretchJoins joins;
    Stopwatch watch;
    while (std::optional<Table> rows = stretches.next()) {
      const Tables tables = reading_.tables.with_first(std::move(*rows));
      reading_.seconds.front() += watch.lap();
      const Outcome outcome = outcome_of([&] {
        auto next = constants.begin();
        each_level([&](std::size_t, std::size_t, const Question& level) {
          std::vector<Value>& values = *next++;
          if (level.overalls.empty()) return;
          const JoinedRows joined(level, tables, quiet_, joins);
          values = RowPass(level, joined, nullptr, quiet_).find_overalls(std::move(values));
        });
        return Outcome::held;
      });
      if (outcome != Outcome::held) return outcome;
      joins.next();
      watch.lap();
    }
    reading_.seconds.front() += watch.lap();
    return stretches.types_hold() ? Outcome::held : Outcome::types_changed;
  }

  // Totals rows as they are read.
  Outcome total() {
    // Types and constants come first.
    const TwoPasses passes(run_);
    tell_step(run_, [&] { return "reading and totalling " + reading_.name_and_size(0); });
    CheckedStretches stretches = reading_.stretches(passes.second());
    Outcome outcome = begin(stretches);
    std::deque<std::vector<Value>> constants;
    if (outcome == Outcome::held) outcome = find_constants(passes.first(), constants);
    if (outcome != Outcome::held) return outcome;

    // KeepMemory lets a stretch reuse the memory of the one before. It ends before the merge, which needs memory too.
    StretchJoins joins;
    std::deque<StretchTotals> totals;  // by question and level
    each_level([&](std::size_t q, std::size_t l, const Question& level) {
      totals.emplace_back(level, out_.plan.levels[q][l], l > 0, std::move(constants.front()), joins, quiet_);
      constants.pop_front();
    });
    {
      const KeepMemory keep;
      outcome = each_stretch(stretches, [&](std::size_t rows_before) {
        for (StretchTotals& one : totals)
          if (const Outcome added = one.add(reading_.tables, rows_before); added != Outcome::held) return added;
        joins.next();
        return Outcome::held;
      });
    }
    if (outcome != Outcome::held) return outcome;

    // Entries, once all rows were read.
    auto next = totals.begin();
    return outcome_of([&] {
      Outcome merged = Outcome::held;
      each_level([&](std::size_t q, std::size_t, const Question&) {
        if (merged == Outcome::held)
          merged = (next++)->finish(reading_.tables, out_.questions[q].totalled.emplace_back());
      });
      return merged;
    });
  }

  // Keeps the rows that count.
  Outcome sift() {
    tell_step(run_, [&] { return "reading and sifting " + reading_.name_and_size(0); });
    CheckedStretches stretches = reading_.stretches(run_);
    Outcome outcome = begin(stretches);
    if (outcome != Outcome::held) return outcome;
    const KeepMemory keep;
    StretchJoins joins;
    RowSieve sieve(out_.questions.front().levels.front(), reading_.tables.first(), joins, quiet_);
    outcome = each_stretch(stretches, [&](std::size_t rows_before) {
      const Outcome added = sieve.add(reading_.tables, rows_before);
      joins.next();
      return added;
    });
    if (outcome != Outcome::held) return outcome;
    out_.sifted = sieve.finish(reading_.tables);
    reading_.tables.read.front() = out_.sifted->table;
    return Outcome::held;
  }

  std::span<const Resolution* const> questions_;
  const std::vector<Problem>& further_;
  std::vector<Problem> problems_;
  const Run& run_;
  const Run quiet_{.threads = run_.threads, .stop = run_.stop};
  TableReading reading_;
  Execution out_;
};

}  // namespace

Execution carry_out(const Plan& plan, std::span<const Resolution* const> questions, const std::vector<Problem>& further,
                    const Run& run) {
  return Executor(questions, further, run).carry_out(plan);
}

}  // namespace lofty::engine
