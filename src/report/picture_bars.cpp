// Ranked bars: who is drawn, with which length, and who shares a place.

#include "report/picture_source.hpp"
#include "report/width.hpp"

namespace lofty::report {
namespace {

using PictureBar = BarsPicture::Bar;

// The lines for the entries that are not listed, after the row that they follow.
void add_others(const PictureSource& source, std::size_t row, std::size_t value, std::vector<PictureBar>& bars) {
  const std::vector<SummaryLine>& lines = source.standings.summaries();
  for (auto at = std::ranges::lower_bound(lines, row, {}, &SummaryLine::after); at != lines.end(); ++at) {
    const SummaryLine& line = *at;
    if (line.after != row) break;
    if (line.of != SummaryLine::Of::others || line.level != source.innermost()) continue;
    if (is_null(line.values[value])) continue;
    bars.push_back({printable(line.label), "", source.cells.of(value, line.values[value]),
                    number_of(line.values[value]), true, 0});
  }
}

// The lines across for values whose place is wanted.
std::vector<BarsPicture::Reference> references_of(const PictureSource& source, std::size_t value) {
  std::vector<BarsPicture::Reference> out;
  for (const auto& [name, number] : source.options.references) {
    const auto at = number_of(number);
    if (!at) refuse(Code::wrong_type, "`" + to_text(number) + "` is not a number");
    const std::vector<WouldStand> groups = source.standings.place_for(name, number);
    std::string label = source.cells.of(value, number);
    if (groups.size() == 1)
      label += " would take place " + to_text(groups.front().standing.place(source.standings.ties()));
    out.push_back({label, *at});
  }
  return out;
}

}  // namespace

BarsPicture bars_of(const PictureSource& source, std::vector<std::string>& foot) {
  const Standings& s = source.standings;
  BarsPicture out;
  const std::size_t value = value_column(source);
  out.value_heading = printable(source.column(value).heading);

  // The entries of the innermost level have bars.
  std::vector<std::size_t> rows;
  for (std::size_t r = 0; r < s.rows(); ++r)
    if (s.level(r) == source.innermost()) rows.push_back(r);
  if (rows.empty())
    refuse(Code::nothing_to_draw, "there is nothing to draw: no level has entries inside the one outside it");
  const auto name_of = [&](std::size_t i) { return source.name(rows[i]); };
  rows.resize(drawn_of(source, rows.size(), "entries", name_of, foot));

  std::size_t tie = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const std::size_t r = rows[i];
    const bool new_group =
        out.groups.empty() ||
        (source.nested() ? outer_rows(source, r) != outer_rows(source, rows[i - 1]) : s.starts_group(r));
    if (new_group) out.groups.push_back({heading_of_group(source, r), {}});
    std::vector<PictureBar>& bars = out.groups.back().bars;

    // Neighbours on one place are bracketed.
    PictureBar bar{source.name(r),
                   place_text(s, source.cells, r),
                   source.cells.text(r, value),
                   number_of(s.value(r, value)),
                   false,
                   0};
    if (!new_group && s.tied(r) && s.tied(rows[i - 1]) && bars.back().place == bar.place && s.ranked(r)) {
      if (bars.back().tie == 0) bars.back().tie = ++tie;
      bar.tie = bars.back().tie;
    }
    bars.push_back(std::move(bar));
    add_others(source, r, value, bars);
  }
  out.references = references_of(source, value);
  return out;
}

}  // namespace lofty::report
