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

std::vector<TotalledRows> total(TableStretches& stretches, std::span<Resolution* const> resolutions, const Run& run) {
  const KeepMemory keep;  // what a stretch gives back, the next one takes
  const Run quiet{.threads = run.threads, .stop = run.stop};
  StretchJoins joins;
  std::deque<StretchTotals> totals;
  for (Resolution* const one : resolutions) totals.emplace_back(one->questions().front(), joins, quiet);
  std::size_t rows_before = 0;
  for (;;) {
    NextRows next(stretches, quiet);
    or_rows_needed([&] {
      for (StretchTotals& one : totals) one.add(rows_before);
    });
    joins.next();
    rows_before += resolutions.front()->questions().front().tables.front().table.rows();
    Stopwatch watch;
    const std::optional<Table> rows = next.get();
    if (!rows) break;
    const double waited = watch.lap();  // so that all steps add up to what the whole takes
    for (Resolution* const one : resolutions) one->set_first_table(*rows, waited);
  }

  const Table whole = stretches.whole();
  for (Resolution* const one : resolutions) one->set_first_table(whole, 0);
  return or_rows_needed([&] {
    std::vector<TotalledRows> out;
    for (StretchTotals& one : totals) out.push_back(one.finish());
    return out;
  });
}

}  // namespace

std::optional<std::vector<TotalledRows>> total_in_one_pass(std::span<Resolution* const> resolutions, const Run& run) {
  for (const Resolution* const one : resolutions)
    if (!one->problems().empty() || one->questions().size() != 1 || !takes_stretches(one->questions().front()))
      return std::nullopt;
  const std::unique_ptr<TableStretches> stretches = resolutions.front()->begin_stretches(run);
  if (!stretches) return std::nullopt;
  bool all = true;
  for (Resolution* const one : resolutions.subspan(1)) all = all && one->take_tables(*resolutions.front());
  try {
    if (all) return total(*stretches, resolutions, run);
  } catch (const TypeChanged&) {
  } catch (const RowsNeeded&) {
  }
  for (Resolution* const one : resolutions) one->forget_tables();
  return std::nullopt;
}

}  // namespace lofty::engine
