#pragma once
// What a careful colleague would say of windows: that a total became a running one, that peers share a value, that a
// frame is shorter than it looks.
// Covered by tests/window/windows_test.cpp.

#include <vector>

#include "answer/level_answer.hpp"

namespace lofty::engine {

void add_window_remarks(const LevelAnswer& answer, std::vector<Remark>& out);

}  // namespace lofty::engine
