#pragma once
// Named stretches of time, [periods.NAME], as conditions in the formula language.
// Covered by tests/question/periods_test.cpp.

#include <string>
#include <vector>

#include "lofty/error.hpp"
#include "lofty/ladder.hpp"
#include "value/zone.hpp"

namespace lofty::engine {

// A period's parts as formulas. `first` and `last` are the days that it begins and ends with; an end that is left open
// is empty.
struct PeriodText {
  std::string first, last;
  std::string condition(const std::string& on) const;
};

// Appends what is wrong with it, under periods.NAME; formulas are then not to be used. `zone` says which day is today.
PeriodText period_text(const Period& period, const std::vector<Choice>& choices, const Zone* zone,
                       std::vector<Problem>& problems);

}  // namespace lofty::engine
