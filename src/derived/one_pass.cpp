#include "derived/one_pass.hpp"

#include <deque>
#include <future>
#include <system_error>

#include "formula/evaluator.hpp"
#include "lofty/error.hpp"
#include "lofty/memory.hpp"
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

void total(TableStretches& stretches, std::span<const PassedQuestion> questions, const Run& run) {
  const KeepMemory keep;  // what a stretch gives back, the next one takes
  const Run quiet{.threads = run.threads, .stop = run.stop};
  const auto set_first_table = [&](const Table& table, double seconds) {
    for (const PassedQuestion& one : questions) one.resolution->set_first_table(table, seconds);
  };
  StretchJoins joins;
  std::deque<StretchTotals> totals;  // by question and level
  for (const PassedQuestion& one : questions)
    for (const Question& level : one.resolution->questions())
      totals.emplace_back(level, &level != &one.resolution->questions().front(), joins, quiet);

  std::size_t rows_before = 0;
  for (;;) {
    NextRows next(stretches, quiet);
    or_rows_needed([&] {
      for (StretchTotals& one : totals) one.add(rows_before);
    });
    joins.next();
    rows_before += questions.front().resolution->questions().front().tables.front().table.rows();
    Stopwatch watch;
    const std::optional<Table> rows = next.get();
    if (!rows) break;
    set_first_table(*rows, watch.lap());  // what was waited for, so that all steps add up to what the whole takes
  }
  set_first_table(stretches.whole(), 0);
  or_rows_needed([&] {
    auto next = totals.begin();
    for (const PassedQuestion& one : questions)
      for (std::size_t l = 0; l < one.resolution->questions().size(); ++l) one.totalled->push_back((next++)->finish());
  });
}

}  // namespace

bool total_in_one_pass(std::span<const PassedQuestion> questions, const Run& run) {
  // Each has to be of the kind.
  for (const PassedQuestion& one : questions) {
    const Resolution& resolution = *one.resolution;
    if (!resolution.problems().empty() || !takes_stretches(resolution.questions())) return false;
  }

  // The first one reads, and the others take what it has read.
  Resolution& first = *questions.front().resolution;
  const std::unique_ptr<TableStretches> stretches = first.begin_stretches(run);
  if (!stretches) return false;
  bool all = true;
  for (const PassedQuestion& one : questions.subspan(1)) all = all && one.resolution->take_tables(first);

  // As if nothing had been read, where that was not enough.
  try {
    if (all) {
      total(*stretches, questions, run);
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

}  // namespace lofty::engine
