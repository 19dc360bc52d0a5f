#pragma once
// The sort keys of a level as codes.
// Covered by tests/order/custom_order_test.cpp and tests/ladder/standings_test.cpp.

#include <set>
#include <string>
#include <utility>
#include <vector>

#include "answer/level_input.hpp"
#include "order/custom_order.hpp"
#include "relation/sort_codes.hpp"
#include "relation/totals.hpp"

namespace lofty::engine {

// Which custom orders took part, and what each found.
struct OrderingNotes {
  std::set<std::size_t> used;                                 // in Ladder::orderings
  std::vector<std::pair<std::string, CustomReport>> reports;  // by column, of its own order
};

// Makes codes of sort keys, in the ladder's locale and the columns' own orders, of which it keeps notes.
class SortKeyMaker {
 public:
  // What is given has to outlive this.
  SortKeyMaker(const LevelInput& input, const Entries& entries, OrderingNotes& notes)
      : input_(input), entries_(entries), notes_(notes) {}

  // Keys computed over `columns`. The codes refer to the values, which are added to `kept`. `places`: numbers don't go
  // by a custom order. Throws RowFailure.
  KeyList codes(const std::vector<SortKey>& keys, const std::vector<ColumnPtr>& columns, std::vector<ColumnPtr>& kept,
                bool places = false);
  // Of columns of the entries.
  KeyList codes(const std::vector<std::size_t>& columns);

 private:
  void encode(const Column& column, std::size_t ordering, bool descending, Nulls nulls, bool places, KeyList& out);

  const LevelInput& input_;
  const Entries& entries_;
  OrderingNotes& notes_;
};

}  // namespace lofty::engine
