// Places at two or more times: who came, who left, who went up and down.

#include "question/prose.hpp"
#include "report/picture_source.hpp"
#include "report/width.hpp"

namespace lofty::report {
namespace {

using Line = MovementPicture::Line;
using Moved = MovementPicture::Moved;

// The columns of places, first time first.
struct Times {
  std::vector<std::size_t> columns;
  bool compared = false;  // against the places of another answer: was, then now
};

Times times_of(const PictureSource& source) {
  Times out;
  const std::vector<StandingColumn>& columns = source.standings.columns();
  for (std::size_t c = 0; c < columns.size(); ++c)
    if (columns[c].role == Role::measure && columns[c].name == "was") out.columns.push_back(c);
  out.compared = !out.columns.empty();
  for (std::size_t c = 0; c < columns.size(); ++c)
    if (columns[c].role == Role::place) out.columns.push_back(c);

  const bool none = out.columns.empty();
  if (out.columns.size() < 2)
    refuse(Code::missing_key,
           "a movement needs places at two times, and this answer lists " + std::string(none ? "none" : "one"),
           none ? "by = \"spend desc\" under [rank]"
                : "[compare] with the columns was and rank, or a further place in rank.also");
  // With a comparison the first place alone is the present one; further ones are other orders, not other times.
  if (out.compared) out.columns.resize(2);
  return out;
}

Moved moved_between(const std::optional<double>& first, const std::optional<double>& last) {
  if (!first || !last) return last ? Moved::came : first ? Moved::left : Moved::stayed;
  return *last < *first ? Moved::up : *last > *first ? Moved::down : Moved::stayed;
}

// Nothing for an entry that never has a place.
std::optional<Line> line_of(const PictureSource& source, std::size_t row, const Times& times) {
  Line line;
  line.label = source.name(row);
  bool placed = false;
  for (const std::size_t c : times.columns) {
    const auto place = number_of(source.standings.value(row, c));
    placed |= place.has_value();
    line.places.push_back(place);
    line.texts.push_back(place ? source.cells.text(row, c) + (source.standings.tied(row, c) ? "=" : "") : "");
  }
  line.moved = moved_between(line.places.front(), line.places.back());
  if (line.moved == Moved::left) line.note = "no place now";
  return placed ? std::optional(line) : std::nullopt;
}

Line line_of(const Departed& gone) {
  // Names are in backticks there, as in sentences.
  std::string name = gone.name;
  if (name.size() > 1 && name.front() == '`' && name.back() == '`') name = name.substr(1, name.size() - 2);
  const std::string note = is_null(gone.now) ? "no place now" : "now " + to_text(gone.now);
  return {printable(name), {number_of(gone.was), std::nullopt}, {to_text(gone.was), ""}, Moved::left, note};
}

}  // namespace

MovementPicture movement_of(const PictureSource& source, std::vector<std::string>& foot) {
  MovementPicture out;
  const Times times = times_of(source);
  for (const std::size_t c : times.columns) out.times.push_back(printable(source.column(c).heading));

  std::vector<std::size_t> rows;
  for (std::size_t r = 0; r < source.standings.rows(); ++r)
    if (source.standings.level(r) == 0) rows.push_back(r);
  const auto name_of = [&](std::size_t i) { return source.name(rows[i]); };
  rows.resize(drawn_of(source, rows.size(), "entries", name_of, foot));
  for (const std::size_t r : rows)
    if (auto line = line_of(source, r, times)) out.lines.push_back(std::move(*line));

  // Who was listed before and is not now.
  for (const Departed& gone : source.standings.departed())
    if (times.compared && !is_null(gone.was)) out.lines.push_back(line_of(gone));

  constexpr std::size_t most_lines = most_entries + 20;
  if (out.lines.empty()) refuse(Code::nothing_to_draw, "there is nothing to draw: no entry has a place");
  if (out.lines.size() > most_lines)
    refuse(Code::bad_value,
           "a movement shows at most " + std::to_string(most_lines) +
               " entries with those that left, and this one has " + engine::with_commas(out.lines.size()),
           "keep.best = 20 keeps fewer");
  return out;
}

}  // namespace lofty::report
