#pragma once
// The codes of a ladder's sort keys: in its locale, and in the order that a column was given.

#include <set>

#include "lofty/ladder.hpp"
#include "order/codes.hpp"
#include "order/custom_order.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// Custom orders are numbered as in Ladder::orderings. A sort key has the order of the name that it is: a column, a
// figure or a total. A figure that only renames a column has the order of that column, unless it has its own.
inline constexpr std::size_t no_ordering = ~std::size_t{0};
// Of a key that is a formula over rows.
std::size_t ordering_of_row_key(const Question& question, const Node& key);
// Of a column of the entries.
std::size_t ordering_of_entry_column(const Question& question, std::size_t column);
// Those that windows and totals with an order go by.
std::set<std::size_t> orderings_of_windows_and_totals(const Question& question);

// How a sort key is ordered.
struct KeyOrder {
  std::size_t ordering = no_ordering;  // the number of a custom order
  bool descending = false;
  Nulls nulls = Nulls::last;
  bool as_number = false;  // places of numbers, and values computed with them, never go by a custom order
};

// Appends the codes of `column`. Returns true if a list of values took part; `report` then describes it.
bool encode_sort_key(const Ladder& ladder, const Column& column, const KeyOrder& order, const Run& run, KeyList& out,
                     CustomReport* report = nullptr);

}  // namespace lofty::engine
