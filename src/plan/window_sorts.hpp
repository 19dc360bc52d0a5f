#pragma once
// The windows of a question as items to be sorted for, and their sorts.
// Covered by tests/window/windows_test.cpp and tests/derived/cost_test.cpp.

#include <vector>

#include "question/question.hpp"
#include "window/work.hpp"

namespace lofty::engine {

// By Question::row_windows.
std::vector<WindowItem> row_window_items(const Question& question);
// By entry_item_columns(). `late`: the windows that see places, else the others with the formulas of [windows].
std::vector<WindowItem> entry_window_items(const Question& question, bool late);
std::vector<std::size_t> entry_item_columns(const Question& question, bool late);

// The sorts of those items. SortStep::also_needed is true for the order of the listing: only where every row is an
// entry and none has a place.
std::vector<SortStep> row_window_sorts(const Question& question);
// SortStep::also_needed is true where all windows of a step find their entries in the order of places, if that comes
// first.
std::vector<SortStep> entry_window_sorts(const Question& question, bool late, bool places_first);

}  // namespace lofty::engine
