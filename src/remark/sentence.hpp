#pragma once
// The question said back, and the listing's last line.
// Covered by tests/ladder/standings_test.cpp.

#include <cstdint>
#include <optional>
#include <string>

#include "answer/level_answer.hpp"

namespace lofty::engine {

// Entry level, number, direction, what was left out, tie rule, cut, choices, periods, overall constants. Of an inner
// level only what is its own.
std::string sentence(const LevelAnswer& answer);

// "10 of 214 shops, 11,931 lines"
std::string shown_of_total(const LevelAnswer& answer);

// A constant that is a day; none where the period is open, or over no rows.
std::optional<std::int64_t> day_of(const LevelAnswer& answer, const NodePtr& node);
std::string day_text(std::int64_t day);
// "10", "10 %"; empty: neither.
std::string so_many(const std::optional<std::size_t>& number, const std::optional<Decimal>& percent);

}  // namespace lofty::engine
