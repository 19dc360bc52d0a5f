#include "derived/one_pass.hpp"

#include "formula/evaluator.hpp"
#include "lofty/error.hpp"
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

TotalledRows total(TableStretches& stretches, Resolution& resolution, const Run& run) {
  Stopwatch watch;
  const Run quiet{.threads = run.threads, .stop = run.stop};
  StretchTotals totals(resolution.questions().front(), quiet);
  for (;;) {
    or_rows_needed([&] { totals.add(stretches.rows_before()); });
    watch.lap();
    std::optional<Table> next = stretches.next();
    if (!next) break;
    resolution.set_first_table(*next, watch.lap());
  }
  resolution.set_first_table(stretches.whole(), watch.lap());
  return or_rows_needed([&] { return totals.finish(); });
}

}  // namespace

std::optional<TotalledRows> total_in_one_pass(Resolution& resolution, const Run& run) {
  const std::vector<Question>& questions = resolution.questions();
  if (questions.size() != 1 || !takes_stretches(questions.front())) return std::nullopt;
  const std::unique_ptr<TableStretches> stretches = resolution.begin_stretches(run);
  if (!stretches) return std::nullopt;
  try {
    return total(*stretches, resolution, run);
  } catch (const TypeChanged&) {
  } catch (const RowsNeeded&) {
  }
  resolution.forget_tables();
  return std::nullopt;
}

}  // namespace lofty::engine
