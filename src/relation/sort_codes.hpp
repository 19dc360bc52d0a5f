#pragma once
// The codes of a ladder's sort keys: in its locale, and in the order that a column was given.

#include <string>

#include "lofty/ladder.hpp"
#include "order/codes.hpp"
#include "order/custom_order.hpp"
#include "question/question.hpp"

namespace lofty::engine {

// The number of the custom order of a column, in Ladder::orderings; none when it has none.
inline constexpr std::size_t no_ordering = ~std::size_t{0};
std::size_t ordering_of(const Question& question, const std::string& column);

// Appends the codes of `column`, which is called `name` (empty: it is a formula). `as_number`: places of numbers, and
// what is computed with them, never go by a custom order. Returns whether a list of values took part, of which
// `report` then tells.
bool encode_sort_key(const Ladder& ladder, const Question& question, const Column& column, const std::string& name,
                     bool descending, Nulls nulls, bool as_number, const Run& run, KeyList& out,
                     CustomReport* report = nullptr);

}  // namespace lofty::engine
