#include "derived/one_pass.hpp"

#include <algorithm>
#include <deque>
#include <future>
#include <set>
#include <system_error>

#include "formula/evaluator.hpp"
#include "lofty/error.hpp"
#include "lofty/memory.hpp"
#include "relation/row_pass.hpp"
#include "table/parallel.hpp"
#include "table/stopwatch.hpp"
#include "table/table_stretches.hpp"

namespace lofty::engine {
namespace {

// What a row makes impossible is found again, and said with its place, where all rows are kept.
template <class Work>
auto or_rows_needed(const Work& work) {
  try {
    return work();
  } catch (const RowFailure&) {
  } catch (const Error& error) {
    if (error.problems().front().code == Code::stopped) throw;
  }
  throw RowsNeeded{};
}

// The next rows, read while those at hand are being totalled: neither keeps all processors busy to its end.
class NextRows {
 public:
  NextRows(TableStretches& stretches, const Run& run) : stretches_(stretches) {
    if (thread_count(run) == 1) return;
    try {
      next_ = std::async(std::launch::async, [this] { return stretches_.next(); });
    } catch (const std::system_error&) {  // no thread is to be had
    }
  }
  std::optional<Table> get() { return next_.valid() ? next_.get() : stretches_.next(); }

 private:
  TableStretches& stretches_;
  std::future<std::optional<Table>> next_;  // its end waits for the thread
};

// How far both looks at the rows are. The pass begins with its first rows, before the first look.
class Progressing {
 public:
  explicit Progressing(const Run& run) : run_(run), pass_(run), first_look_(run) {
    if (!run.progress) return;
    pass_.progress = [this](double share) { tell(done_ + share * (1 - done_)); };
    first_look_.progress = [this](double share) {
      done_ = first_share;
      tell(share * first_share);
    };
  }
  Progressing(const Progressing&) = delete;
  Progressing& operator=(const Progressing&) = delete;
  const Run& pass() const { return pass_; }
  const Run& first_look() const { return first_look_; }

 private:
  static constexpr double first_share = 0.4;
  void tell(double share) {
    if (share < furthest_) return;
    furthest_ = share;
    run_.progress(share);
  }
  const Run& run_;
  Run pass_, first_look_;
  double done_ = 0, furthest_ = 0;
};

// Calls work(level, is it an inner one?) for all levels of all questions.
template <class Work>
void each_level(std::span<const PassedQuestion> questions, const Work& work) {
  for (const PassedQuestion& one : questions)
    for (const Question& level : one.resolution->questions())
      work(level, &level != &one.resolution->questions().front());
}

void set_first_table(std::span<const PassedQuestion> questions, const Table& table, double seconds) {
  for (const PassedQuestion& one : questions) one.resolution->set_first_table(table, seconds);
}

// What conditions on rows may need before any of these is totalled: the constants over all rows, by question and level.
// That takes a pass of its own, over the columns that they depend on.
std::deque<std::vector<Value>> find_overalls(std::span<const PassedQuestion> questions, const Run& run) {
  std::deque<std::vector<Value>> overalls;
  std::set<std::size_t> columns;
  bool any = false;
  each_level(questions, [&](const Question& level, bool) {
    overalls.emplace_back();
    columns.merge(columns_of_overalls(level));
    any = any || !level.overalls.empty();
  });
  if (!any) return overalls;

  // The first rows of all columns wait meanwhile.
  const TableUse& use = questions.front().resolution->questions().front().tables.front();
  const Table first_rows = use.table;
  const std::vector<std::size_t> wanted(columns.begin(), columns.end());
  const std::unique_ptr<TableStretches> stretches =
      dynamic_cast<const StretchSource&>(*use.source).stretches(wanted, run);
  const Run quiet{.threads = run.threads, .stop = run.stop};
  const KeepMemory keep;
  StretchJoins joins;
  Stopwatch watch;
  while (const std::optional<Table> rows = stretches->next()) {
    set_first_table(questions, *rows, watch.lap());
    or_rows_needed([&] {
      auto next = overalls.begin();
      each_level(questions, [&](const Question& level, bool) {
        std::vector<Value>& values = *next++;
        if (level.overalls.empty()) return;
        const JoinedRows joined(level, quiet, joins);
        values = RowPass(level, joined, nullptr, quiet).find_overalls(std::move(values));
      });
    });
    joins.next();
  }
  set_first_table(questions, first_rows, watch.lap());
  return overalls;
}

// Calls work(rows before them) for each stretch of rows, of which the questions have the first.
template <class Work>
void each_stretch(TableStretches& stretches, std::span<const PassedQuestion> questions, const Run& run,
                  const Work& work) {
  std::size_t rows_before = 0;
  for (;;) {
    NextRows next(stretches, run);
    or_rows_needed([&] { work(rows_before); });
    rows_before += questions.front().resolution->questions().front().tables.front().table.rows();
    Stopwatch watch;
    const std::optional<Table> rows = next.get();
    if (!rows) break;
    // What was waited for, so that all steps add up to what the whole takes.
    set_first_table(questions, *rows, watch.lap());
  }
}

void total(TableStretches& stretches, std::span<const PassedQuestion> questions,
           std::deque<std::vector<Value>> overalls, const Run& run) {
  const Run quiet{.threads = run.threads, .stop = run.stop};
  StretchJoins joins;
  std::deque<StretchTotals> totals;  // by question and level
  each_level(questions, [&](const Question& level, bool inner) {
    totals.emplace_back(level, inner, std::move(overalls.front()), joins, quiet);
    overalls.pop_front();
  });

  {
    // What a stretch gives back, the next one takes. It goes back before parts are merged, which takes room again.
    const KeepMemory keep;
    each_stretch(stretches, questions, quiet, [&](std::size_t rows_before) {
      for (StretchTotals& one : totals) one.add(rows_before);
      joins.next();
    });
    set_first_table(questions, stretches.whole(), 0);
  }
  or_rows_needed([&] {
    auto next = totals.begin();
    for (const PassedQuestion& one : questions)
      for (std::size_t l = 0; l < one.resolution->questions().size(); ++l) one.totalled->push_back((next++)->finish());
  });
}

// Is the first table large enough, and of a kind that can be read so? Most are small.
bool comes_in_stretches(const std::vector<Question>& levels) {
  const auto* const source = dynamic_cast<const StretchSource*>(levels.front().tables.front().source.get());
  return source != nullptr && source->stretch_bytes() > 0;
}

}  // namespace

bool total_in_one_pass(std::span<const PassedQuestion> questions, const Run& run) {
  // Each has to be of the kind.
  for (const PassedQuestion& one : questions) {
    const Resolution& resolution = *one.resolution;
    const std::vector<Question>& levels = resolution.questions();
    if (!resolution.problems().empty() || !takes_stretches(levels)) return false;
    if (!comes_in_stretches(levels) || had_better_be_kept(levels, run.memory)) return false;
  }

  // The first one reads, and the others take what it has read.
  Resolution& first = *questions.front().resolution;
  Progressing progress(run);
  const std::unique_ptr<TableStretches> stretches = first.begin_stretches("totalling", progress.pass());
  if (!stretches) return false;
  bool all = true;
  for (const PassedQuestion& one : questions.subspan(1)) all = all && one.resolution->take_tables(first);

  // As if nothing had been read, where that was not enough.
  try {
    if (all) {
      total(*stretches, questions, find_overalls(questions, progress.first_look()), run);
      return true;
    }
  } catch (const TypeChanged&) {
  } catch (const RowsNeeded&) {
  }
  for (const PassedQuestion& one : questions) {
    one.resolution->forget_tables();
    one.totalled->clear();
  }
  return false;
}

std::optional<SiftedRows> sift_in_one_pass(Resolution& resolution, const Run& run) {
  if (!resolution.problems().empty() || !takes_sifted_rows(resolution.questions()) ||
      !comes_in_stretches(resolution.questions()))
    return {};
  const std::unique_ptr<TableStretches> stretches = resolution.begin_stretches("sifting", run);
  if (!stretches) return {};
  try {
    const KeepMemory keep;
    const Run quiet{.threads = run.threads, .stop = run.stop};
    const PassedQuestion question{&resolution};
    StretchJoins joins;
    RowSieve sieve(resolution.questions().front(), joins, quiet);
    each_stretch(*stretches, {&question, 1}, quiet, [&](std::size_t rows_before) {
      sieve.add(rows_before);
      joins.next();
    });
    SiftedRows sifted = sieve.finish(stretches->whole());
    resolution.set_first_table(sifted.table, 0);
    return sifted;
  } catch (const TypeChanged&) {
  } catch (const RowsNeeded&) {
  }
  resolution.forget_tables();
  return {};
}

}  // namespace lofty::engine
