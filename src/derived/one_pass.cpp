#include "derived/one_pass.hpp"

#include <deque>

#include "formula/evaluator.hpp"
#include "lofty/error.hpp"
#include "lofty/memory.hpp"
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

std::vector<TotalledRows> total(TableStretches& stretches, std::span<Resolution* const> resolutions, const Run& run) {
  const KeepMemory keep;  // what a stretch gives back, the next one takes
  Stopwatch watch;
  const Run quiet{.threads = run.threads, .stop = run.stop};
  StretchJoins joins;
  std::deque<StretchTotals> totals;
  for (Resolution* const one : resolutions) totals.emplace_back(one->questions().front(), joins, quiet);
  for (;;) {
    or_rows_needed([&] {
      for (StretchTotals& one : totals) one.add(stretches.rows_before());
    });
    joins.next();

    // The rows at hand go before the next ones come.
    for (Resolution* const one : resolutions) one->set_first_table({}, 0);
    watch.lap();
    std::optional<Table> next = stretches.next();
    if (!next) break;
    const double seconds = watch.lap();
    for (Resolution* const one : resolutions) one->set_first_table(*next, seconds);
  }

  const Table whole = stretches.whole();
  const double seconds = watch.lap();
  for (Resolution* const one : resolutions) one->set_first_table(whole, seconds);
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
