#include "report/names.hpp"

#include "report/width.hpp"

namespace lofty::report {

std::size_t name_column(const Standings& s) {
  for (const Role role : {Role::label, Role::key})
    for (std::size_t c = 0; c < s.columns().size(); ++c)
      if (s.columns()[c].role == role) return c;
  return s.columns().size();
}

std::string row_name(const Standings& s, const CellTexts& cells, std::size_t row) {
  const auto& columns = s.columns();
  for (std::size_t c = 0; c < columns.size(); ++c)
    if (columns[c].role == Role::label && columns[c].type.kind == Kind::text && s.of_level(row, c) &&
        !is_null(s.value(row, c)))
      return cells.text(row, c);
  std::string keys;
  for (std::size_t c = 0; c < columns.size(); ++c)
    if (columns[c].role == Role::key && s.of_level(row, c)) keys += (keys.empty() ? "" : ", ") + cells.text(row, c);
  if (!keys.empty()) return keys;
  for (std::size_t c = 0; c < columns.size(); ++c)
    if ((columns[c].role == Role::label || columns[c].role == Role::group) && s.of_level(row, c))
      return cells.text(row, c);
  return "row " + std::to_string(row + 1);
}

std::string place_text(const Standings& s, const CellTexts& cells, std::size_t row) {
  for (std::size_t c = 0; c < s.columns().size(); ++c) {
    const StandingColumn& column = s.columns()[c];
    if (column.role != Role::place || !s.of_level(row, c)) continue;
    return cells.text(row, c) + (s.tied(row, c) ? "=" : "");
  }
  return {};
}

std::string ranked_text(const Standings& s, const CellTexts& cells, std::size_t row) {
  for (std::size_t c = 0; c < s.columns().size(); ++c)
    if (s.columns()[c].sort_position == 1 && s.of_level(row, c)) return cells.text(row, c);
  // Levels that are sorted by different columns mark none: the first total then.
  for (std::size_t c = 0; c < s.columns().size(); ++c)
    if (s.columns()[c].role == Role::total && s.of_level(row, c)) return cells.text(row, c);
  return {};
}

std::string departed_text(const Standings& s) {
  std::string out;
  for (const Departed& one : s.departed())
    out += (out.empty() ? "" : ", ") + one.name + " (was " + to_text(one.was) +
           (is_null(one.now) ? ", now without a place)" : ", now " + to_text(one.now) + ")");
  return printable(out);
}

}  // namespace lofty::report
