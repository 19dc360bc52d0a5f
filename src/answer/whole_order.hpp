#pragma once
// The order of all entries, where places were made only of those that can be kept.
// Covered by tests/answer/early_cut_test.cpp.

#include <cstdint>
#include <mutex>
#include <optional>
#include <utility>
#include <vector>

#include "base/budget.hpp"
#include "lofty/order.hpp"
#include "lofty/run.hpp"
#include "order/sort.hpp"
#include "table/column.hpp"

namespace lofty::engine {

// Made when it is first wanted. Thread-safe.
class WholeOrder {
 public:
  // Columns are by entry. `by`: those that the keys refer to besides the groups', the first key first. `left`: the
  // entries that were ranked, ascending.
  WholeOrder(std::size_t entries, SortKeys keys, std::vector<ColumnPtr> within, std::vector<ColumnPtr> by,
             std::vector<std::uint32_t> left, const Run& run)
      : entries_(entries),
        keys_(std::move(keys)),
        within_(std::move(within)),
        by_(std::move(by)),
        left_(std::move(left)),
        run_{.threads = run.threads, .memory = run.memory, .spill_to = run.spill_to} {}

  std::size_t entries() const { return entries_; }
  const std::vector<ColumnPtr>& within() const { return within_; }
  const ColumnPtr& by() const { return by_.front(); }
  const std::vector<std::uint32_t>& left() const { return left_; }
  // As long as this lives. O(n log n) the first time, on as many threads and in as much memory as the answer had.
  const Order& order() const {
    std::call_once(once_, [this] {
      const MemoryLimit limit(run_);
      order_.emplace(make_order(entries_, keys_, run_));
    });
    return *order_;
  }

 private:
  std::size_t entries_;
  SortKeys keys_;
  std::vector<ColumnPtr> within_, by_;
  std::vector<std::uint32_t> left_;
  Run run_;
  mutable std::once_flag once_;
  mutable std::optional<Order> order_;
};

}  // namespace lofty::engine
