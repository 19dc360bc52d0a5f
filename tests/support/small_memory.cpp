// LOFTY_TEST_MEMORY runs a test program with so many bytes for its large arrays, where 4 KiB are large: then tables of
// a few hundred rows lie in the file that is for what does not fit, rows of a few entries are dealt out over
// partitions, and few are too few to be cut early. No answer depends on it.

#include <cstdlib>

#include "answer/early_cut.hpp"
#include "base/budget.hpp"
#include "lofty/counted_new.hpp"
#include "lofty/run.hpp"
#include "relation/dealt_totals.hpp"

namespace {

const bool set = [] {
  const char* const bytes = std::getenv("LOFTY_TEST_MEMORY");
  if (bytes == nullptr) return false;
  lofty::engine::Budget::counted_from = lofty::engine::Budget::in_file_from = 4096;
  lofty::engine::most_entries_together = 4;
  lofty::engine::least_rows_to_cut = 0;
  static lofty::Run run;
  run.memory = std::strtoull(bytes, nullptr, 10);
  static const lofty::engine::MemoryLimit limit(run);
  return true;
}();

}  // namespace
