// Crossed tables.

#include "derived/crossed.hpp"

#include <algorithm>
#include <map>

#include "base/folded.hpp"
#include "derived/plain_answer.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

// The same rows and totals, by other entries.
Ladder with_level(const Ladder& ladder, Level level) {
  Ladder out = ladder;
  out.crossed = {};
  out.compare = {};
  out.alternatives.clear();
  out.levels = {std::move(level)};
  out.list = {};
  return out;
}

Ladder across_ladder(const Ladder& ladder) {
  return with_level(ladder, {.each = ladder.crossed.each, .by = ladder.crossed.by, .best = ladder.crossed.best});
}

Ladder cell_ladder(const Ladder& ladder, std::size_t level) {
  Level cells{.each = ladder.crossed.each};
  // Entries of both: the keys down, those of the levels outside, its groups, and the keys across, each once.
  for (std::size_t l = level + 1; l-- > 0;)
    for (const auto* keys : {&ladder.levels[l].each, &ladder.levels[l].within})
      for (const std::string& key : *keys)
        if (std::none_of(cells.each.begin(), cells.each.end(),
                         [&](const std::string& k) { return equal_folded(k, key); }))
          cells.each.push_back(key);
  Ladder out = with_level(ladder, std::move(cells));
  out.list.columns = {ladder.crossed.cell};
  // Shown as the ladder shows the cells.
  const auto of_cell = [&](const std::string& name) { return equal_folded(name, ladder.crossed.cell); };
  for (const auto& format : ladder.list.formats)
    if (of_cell(format.first)) out.list.formats.push_back(format);
  for (const std::string& bar : ladder.list.bars)
    if (of_cell(bar)) out.list.bars.push_back(bar);
  return out;
}

// What a heading says of an entry across.
std::string name_of(const StandingsData& data, std::uint32_t entry) {
  std::string out;
  for (const ColumnPtr& key : data.keys)
    out += (out.empty() ? "" : ", ") +
           (key->is_null(entry) ? std::string("(none)") : to_text(key->value(entry), key->type()));
  return out;
}

// By entry across, of those that are listed: the values of the cells, by entry down.
std::vector<ColumnPtr> crossed_columns(const StandingsData& down, const StandingsData& across,
                                       const StandingsData& cells) {
  // Which of the cells' keys say where down, and where across, a cell is.
  const auto places_of = [&](const std::vector<std::string>& names) {
    std::vector<std::size_t> at;
    for (const std::string& name : names)
      at.push_back(static_cast<std::size_t>(std::find(cells.key_names.begin(), cells.key_names.end(), name) -
                                            cells.key_names.begin()));
    return at;
  };
  const std::vector<std::size_t> down_keys = places_of(down.key_names), across_keys = places_of(across.key_names);
  std::map<EntryKey, std::uint32_t> entry_down;
  std::map<EntryKey, std::size_t> column_of;
  const std::size_t entries = down.keys.front()->rows();
  for (std::uint32_t e = 0; e < entries; ++e) entry_down.emplace(key_at(down.keys, e), e);
  for (std::size_t c = 0; c < across.rows.size(); ++c) column_of.emplace(key_at(across.keys, across.rows[c]), c);

  const Column& values = *cells.values.front();
  std::vector<std::vector<Value>> crossed(across.rows.size(), std::vector<Value>(entries));
  for (const std::uint32_t cell : cells.rows) {
    const auto picked = [&](const std::vector<std::size_t>& which) {
      EntryKey key;
      for (const std::size_t k : which) key.push_back(cells.keys[k]->value(cell));
      return key;
    };
    const auto row = entry_down.find(picked(down_keys));  // rank.having may have dropped it
    const auto column = column_of.find(picked(across_keys));
    if (row != entry_down.end() && column != column_of.end()) crossed[column->second][row->second] = values.value(cell);
  }

  std::vector<ColumnPtr> out;
  for (const std::vector<Value>& column : crossed) {
    Piece piece(values.type());
    for (const Value& value : column) piece.add(value);
    out.push_back(Column::seal(std::move(piece)));
  }
  return out;
}

}  // namespace

Crossing::Crossing(const Ladder& ladder, const Catalog& catalog, const Resolution& down) : ladder_(ladder) {
  check_keys();
  const bool may_go_on = problems_.empty() || problems_.front().code == Code::unknown_column;
  if (!may_go_on || down.questions().empty()) return;

  // What is wrong with the entries across has its own keys; the rest is said of the ladder itself.
  questions_.emplace_back(across_ladder(ladder), catalog, down);
  for (Problem p : questions_.front().resolution.problems()) {
    if (p.location.key == "keep.best") p.location.key = "crossed.best";
    if (p.location.key.starts_with("rank.")) p.location.key.replace(0, 4, "crossed");
    if (p.location.key.starts_with("crossed.")) problems_.push_back(std::move(p));
  }
  for (std::size_t l = 0; l < ladder.levels.size() && problems_.empty(); ++l)
    questions_.emplace_back(cell_ladder(ladder, l), catalog, down);
}

void Crossing::check_keys() {
  const Crossed& crossed = ladder_.crossed;
  const auto problem = [&](Code code, std::string sentence, std::string key, std::string advice) {
    Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
    p.location.key = std::move(key);
    problems_.push_back(std::move(p));
  };
  if (crossed.each.empty())
    problem(Code::missing_key, "`crossed.each` is missing: which entries are across?", "crossed",
            "each = [\"family\"]");
  if (crossed.by.empty())
    problem(Code::missing_key, "`crossed.by` is missing: in which order are the columns?", "crossed",
            "by = \"spend desc\"");
  if (crossed.cell.empty())
    problem(Code::missing_key, "`crossed.cell` is missing: which total do the cells hold?", "crossed",
            "cell = \"spend\"");
  if (ladder_.levels.empty() ||
      std::any_of(ladder_.levels.begin(), ladder_.levels.end(), [](const Level& level) { return level.each.empty(); }))
    problem(Code::missing_each, "`each` is missing: which entries are down the table?", "crossed",
            "each = [\"shop_no\"] under " + std::string(ladder_.levels.size() > 1 ? "every [[level]]" : "[rank]"));
  if (!problems_.empty()) return;

  // The cells hold a total.
  std::vector<std::string> totals;
  for (const NamedFormula& total : ladder_.totals) totals.push_back(total.name);
  if (std::any_of(totals.begin(), totals.end(), [&](const std::string& t) { return equal_folded(t, crossed.cell); }))
    return;
  problem(Code::unknown_column, "there is no total " + quoted(crossed.cell) + " for the cells", "crossed.cell", {});
  problems_.back().nearest = nearest_word(crossed.cell, totals);
  problems_.back().location.text = crossed.cell;
  problems_.back().location.length = crossed.cell.size();
}

std::shared_ptr<StandingsData> Crossing::cross(const StandingsData& down, std::size_t level, Execution& rows,
                                               std::size_t first, JoinCache& joins, const Run& run) {
  const auto answer = [&](std::size_t question) {
    return answer_levels(rows, first + question, {}, joins, run).data.front();
  };
  if (!columns_) columns_ = answer(0);
  const std::shared_ptr<const StandingsData> cells = answer(level + 1);
  const std::vector<ColumnPtr> crossed = crossed_columns(down, *columns_, *cells);

  // A column for each entry across, named by it.
  auto out = std::make_shared<StandingsData>(down);
  for (std::size_t c = 0; c < crossed.size(); ++c) {
    StandingColumn column = cells->columns.front();
    column.name = column.heading = name_of(*columns_, columns_->rows[c]);
    const bool taken = std::any_of(out->columns.begin(), out->columns.end(), [&](const StandingColumn& other) {
      return equal_folded(other.name, column.name) || equal_folded(other.heading, column.heading);
    });
    if (taken) column.name = column.heading = ladder_.crossed.cell + " of " + column.name;
    column.sort_position = 0;
    column.role = Role::cell;
    out->columns.push_back(std::move(column));
    out->values.push_back(crossed[c]);
    out->tied_by.emplace_back();
  }
  for (SummaryLine& line : out->summaries) line.values.resize(out->columns.size());
  if (level + 1 == ladder_.levels.size()) say(*out);  // once, after all levels
  return out;
}

void Crossing::say(StandingsData& out) const {
  const StandingsData& across = *columns_;
  out.question += " Across: " + ladder_.crossed.cell + " of each " + listed(ladder_.crossed.each) + ", by " +
                  ladder_.crossed.by + ".";
  out.shown_of_total += "; " + across.shown_of_total.substr(0, across.shown_of_total.find(", ")) + " across";
  for (const Remark& remark : across.remarks)
    if ((remark.code == "tie-at-cut" || remark.code == "blank-group" || remark.code == "unranked") &&
        std::none_of(out.remarks.begin(), out.remarks.end(),
                     [&](const Remark& said) { return said.sentence == remark.sentence; }))
      out.remarks.push_back({remark.code, "across: " + remark.sentence});
}

}  // namespace lofty::engine
