#include "report/fold.hpp"

#include <algorithm>

#include "question/prose.hpp"

namespace lofty::report {

std::vector<std::uint8_t> folded_ties(const Standings& s) {
  constexpr std::size_t long_tie = 20, shown = 5;
  std::vector<std::uint8_t> folded(s.rows(), 0);
  for (const CutTie& tie : s.cut_ties()) {
    const std::size_t beyond = tie.best ? tie.end - tie.cut : tie.cut - tie.begin;
    if (beyond <= long_tie) continue;
    const std::size_t from = tie.best ? std::max(tie.cut, tie.begin + shown) : tie.begin;
    const std::size_t to = tie.best ? tie.end : std::min(tie.cut, tie.end - shown);
    std::fill(folded.begin() + static_cast<std::ptrdiff_t>(from), folded.begin() + static_cast<std::ptrdiff_t>(to), 1);
  }
  return folded;
}

std::string note_of_fold(const Standings& s, const CellTexts& cells, const std::vector<std::uint8_t>& folded,
                         std::size_t row) {
  std::size_t end = row;
  while (end < s.rows() && folded[end] != 0) ++end;
  std::string place;
  for (std::size_t c = 0; c < s.columns().size() && place.empty(); ++c)
    if (s.columns()[c].role == Role::place && s.of_level(row, c)) place = " place " + cells.text(row, c);
  return engine::with_commas(end - row) + (end - row == 1 ? " more shares" : " more share") +
         (place.empty() ? " it" : place);
}

}  // namespace lofty::report
