#include "report/bars.hpp"

#include <algorithm>

#include "report/cells.hpp"

namespace lofty::report {

BarScale::BarScale(const Standings& standings, std::size_t column)
    : s_(standings), column_(column), ranges_(standings.levels()) {
  for (std::size_t r = 0; r < s_.rows(); ++r) {
    if (!s_.of_level(r, column_)) continue;
    const double number = number_of(s_.value(r, column_)).value_or(0);
    Range& range = ranges_[s_.level(r)];
    range.least = std::min(range.least, number);
    range.most = std::max(range.most, number);
  }
}

std::optional<Bar> BarScale::bar(std::size_t row) const {
  const Range& range = ranges_[s_.level(row)];
  const double span = range.most - range.least;
  const auto number = s_.of_level(row, column_) ? number_of(s_.value(row, column_)) : std::nullopt;
  if (!number || span <= 0) return std::nullopt;
  const double zero = -range.least / span, end = (*number - range.least) / span;
  return Bar{std::min(zero, end), std::max(zero, end), *number < 0};
}

}  // namespace lofty::report
