#pragma once
// The places of a level's entries, and the further columns of rank.also.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "answer/former_places.hpp"
#include "answer/level_input.hpp"
#include "answer/sort_keys.hpp"
#include "lofty/order.hpp"
#include "order/sort.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

struct Places {
  std::vector<ColumnPtr> columns;  // the relation of places: the entries' columns, the place columns, was and moved
  // What follows is empty when nothing is ranked.
  std::optional<Order> order;                        // of the entries
  std::vector<ColumnPtr> by;                         // the keys of rank.by
  std::vector<std::uint32_t> competition;            // places by position
  std::vector<std::uint8_t> eligible;                // by entry: a Truth; empty: all are
  std::vector<std::uint8_t> ranked, tied;            // by entry
  std::vector<std::vector<std::uint8_t>> also_tied;  // by column of rank.also: of its own order, if it has one
  std::vector<std::pair<std::string, std::vector<std::uint32_t>>> split_tiers;  // by column of rank.also
  std::optional<Movement> movement;  // where there is something to compare with

  // The first place column.
  const ColumnPtr& place(const Question& question) const { return columns[question.entry_columns.size()]; }

  // Calls work(begin, ranked end, end) for the positions of every group; ranked ones come first.
  using GroupWork = std::function<void(std::size_t, std::size_t, std::size_t)>;
  void each_group(const GroupWork& work) const;
};

// The order of places; `by` gets the columns of its keys. Where nothing in it comes from a window it may be made before
// the windows over entries, which then use it. Throws RowFailure.
Order order_of_places(const LevelInput& input, const Entries& entries, const std::vector<std::uint8_t>& eligible,
                      SortKeyMaker& keys, std::vector<ColumnPtr>& by);

// Sort keys, and the columns that they refer to.
struct OrderKeys {
  SortKeys keys;
  std::vector<ColumnPtr> by, breakers;
};
// The sort keys of the entries by keys, those of the level or of a column of rank.also. Throws RowFailure.
OrderKeys order_keys(const LevelInput& input, const Entries& entries, const std::vector<std::uint8_t>& eligible,
                     const std::vector<SortKey>& by, SortKeyMaker& maker);
// Each entry's place in an order; null: it has none.
ColumnPtr place_column(const Order& order, Ties ties, const Run& run);

// Ranks the entries. `order` and `by`: the order of places where it is known already. Throws RowFailure,
// Error(overflow) for shares, Error(wrong_type) for former places.
Places rank(const LevelInput& input, const Entries& entries, SortKeyMaker& keys, std::optional<Order> order = {},
            std::vector<ColumnPtr> by = {});

}  // namespace lofty::engine
