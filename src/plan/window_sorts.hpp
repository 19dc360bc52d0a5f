#pragma once
// The windows of a question as items to be sorted for, and which of their sorts are orders that something else needs.
// Covered by tests/ladder/windows_test.cpp and tests/ladder/cost_test.cpp.

#include <vector>

#include "question/question.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// By Question::row_windows.
std::vector<WindowItem> row_window_items(const Question& question);
// By entry_item_columns(). `late`: the windows that see places, else the others with the formulas of [windows].
std::vector<WindowItem> entry_window_items(const Question& question, bool late);
std::vector<std::size_t> entry_item_columns(const Question& question, bool late);

// Do all windows of a step over entries find their rows in the order of places?
bool stands_as_places(const Question& question, const SortStep& step, const std::vector<WindowItem>& items);
// Is a step over rows the order that the listing asks for? Only where every row is an entry and none has a place.
bool stands_as_listed(const Question& question, const SortStep& step);

}  // namespace lofty::engine
