#pragma once
// What the steps of an answer took.

#include <map>
#include <string>

namespace lofty::engine {

// Seconds by step.
using Times = std::map<std::string, double>;

// The name under which a step's time is kept: its word, the level, and its number among those of that word.
std::string time_name(const char* step, std::size_t level, std::size_t number);

}  // namespace lofty::engine
