#pragma once
// What the four kinds of pictures are made from: an answer, the options, and the notes under the picture.
// Covered by tests/report/picture_test.cpp.

#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "lofty/picture.hpp"
#include "report/cells.hpp"
#include "report/names.hpp"

namespace lofty::report {

inline constexpr std::size_t most_entries = 60;  // more do not fit a page

// An answer to draw. It has at least one row.
struct PictureSource {
  PictureSource(const Standings& of, const PictureOptions& with) : standings(of), options(with), cells(of) {}

  const Standings& standings;
  const PictureOptions& options;
  const CellTexts cells;

  const StandingColumn& column(std::size_t c) const { return standings.columns()[c]; }
  std::size_t innermost() const { return standings.levels() - 1; }
  bool nested() const { return standings.levels() > 1; }
  bool grouped() const { return !nested() && standings.starts_group(0); }
  std::string name(std::size_t row) const { return row_name(standings, cells, row); }
};

[[noreturn]] void refuse(Code code, std::string sentence, std::string advice = {}, std::string nearest = {});

// The listed column of that name or heading. Throws unknown_column.
std::size_t column_named(const PictureSource& source, const std::string& name);
// Whether entries of the innermost level have values in the column.
bool of_innermost(const PictureSource& source, std::size_t column);
// The first listed column with values of the innermost level that fits.
template <class Fits>
std::optional<std::size_t> first_column(const PictureSource& source, const Fits& fits) {
  for (std::size_t c = 0; c < source.standings.columns().size(); ++c)
    if (fits(source.column(c)) && of_innermost(source, c)) return c;
  return std::nullopt;
}
// The column of numbers that bars and lines show: options.value, else as PictureOptions says.
std::size_t value_column(const PictureSource& source);

// The rows of the entries that `row` is inside of, outermost first.
std::vector<std::size_t> outer_rows(const PictureSource& source, std::size_t row);
// "1 High Moor 4,200 > 2 Old Barrow 310", or the group's keys; empty without levels and groups.
std::string heading_of_group(const PictureSource& source, std::size_t row);

// How many of `count` entries are drawn. Those that are not are named in `foot`. More than most_entries are refused
// unless options.at_most is set.
template <class NameOf>
std::size_t drawn_of(const PictureSource& source, std::size_t count, const char* what, const NameOf& name_of,
                     std::vector<std::string>& foot);

BarsPicture bars_of(const PictureSource& source, std::vector<std::string>& foot);
LinesPicture lines_of(const PictureSource& source, std::vector<std::string>& foot);
MovementPicture movement_of(const PictureSource& source, std::vector<std::string>& foot);
SharesPicture shares_of(const PictureSource& source, std::vector<std::string>& foot);

// What to write under a picture about entries that are not drawn.
std::string not_drawn(const std::vector<std::string>& names, std::size_t count);
void refuse_too_many(const PictureSource& source, std::size_t count, const char* what);

template <class NameOf>
std::size_t drawn_of(const PictureSource& source, std::size_t count, const char* what, const NameOf& name_of,
                     std::vector<std::string>& foot) {
  refuse_too_many(source, count, what);
  constexpr std::size_t most_named = 12;
  const std::size_t drawn = std::min(count, source.options.at_most.value_or(count));
  std::vector<std::string> names;
  for (std::size_t i = drawn; i < count && names.size() < most_named; ++i) names.push_back(name_of(i));
  if (drawn < count) foot.push_back(not_drawn(names, count - drawn));
  return drawn;
}

}  // namespace lofty::report
