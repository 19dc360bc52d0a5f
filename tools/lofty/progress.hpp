#pragma once
// The line that says how far a long call has come.

#include <string>

#include "lofty/run.hpp"
#include "resources.hpp"

namespace tool {

// A run with these resources, whose progress is told on standard error, where that is a terminal and the call takes
// more than two seconds: the step, the share that is done, and about how long the rest will take. The line is
// overwritten, and is gone once anything else is printed.
lofty::Run watched(const Resources& resources);

// Tells that another call of the library begins: "writing best.csv".
void begin_step(const std::string& what);

// Takes the line away where there is one. Async-signal-safe.
void clear_progress() noexcept;

}  // namespace tool
