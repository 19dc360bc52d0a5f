// Covered by tests/derived/stage_test.cpp.
#include "lofty/stage.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "base/name_table.hpp"
#include "derived/former.hpp"
#include "formula/parser.hpp"
#include "question/question.hpp"
#include "table/checked_source.hpp"

namespace lofty {

namespace {

// All columns of all tables; those of one name in several by their tables' names, the key of a join once.
std::vector<std::string> all_columns(const Data& data, const Catalog& catalog) {
  struct Opened {
    std::string alias;
    std::vector<std::string> headings, keys;  // its keys of the same name on the other side
  };
  std::vector<Opened> tables;
  const auto open = [&](const std::string& name, const std::string& as, const ReadOptions& read) {
    tables.push_back({as.empty() ? engine::stem_of(name) : as, engine::opened(catalog, name, read)->headings(), {}});
  };
  open(data.from, data.as, data.read);
  for (const Join& join : data.joins) {
    open(join.with, join.as, join.read);
    tables.back().keys = join.on;
  }

  // Names that occur once, and qualified ones for the others.
  const auto has = [](const std::vector<std::string>& list, const std::string& name) {
    return std::any_of(list.begin(), list.end(),
                       [&](const std::string& one) { return engine::equal_folded(one, name); });
  };
  std::vector<std::string> out;
  for (std::size_t t = 0; t < tables.size(); ++t)
    for (const std::string& heading : tables[t].headings) {
      if (has(tables[t].keys, heading)) continue;  // it is with the first table already
      std::size_t elsewhere = 0;
      for (std::size_t other = 0; other < tables.size(); ++other)
        elsewhere += other != t && has(tables[other].headings, heading) && !has(tables[other].keys, heading);
      out.push_back(elsewhere > 0 ? tables[t].alias + "." + heading : heading);
    }
  return out;
}

// Does a formula see other rows, itself or in a figure that it names?
bool sees_rows(const engine::Expression& e, const std::vector<NamedFormula>& figures, int depth) {
  if (e.over) return true;
  if (e.op == engine::Op::name && depth < 50)
    for (const NamedFormula& figure : figures)
      if (engine::equal_folded(figure.name, e.text) &&
          sees_rows(*engine::parse_expression(figure.formula), figures, depth + 1))
        return true;
  return std::any_of(e.args.begin(), e.args.end(), [&](const auto& arg) { return sees_rows(*arg, figures, depth); });
}

// Of a ladder without lists and comparisons: the rows, as far as `stage`.
void keep_rows(Ladder& out, Stage stage, const Ladder& ladder, const Catalog& catalog) {
  out.totals.clear();
  out.levels.clear();
  out.orderings.clear();
  out.list.columns = all_columns(ladder.data, catalog);
  if (stage < Stage::counted) {
    out.where.clear();
    // Windows see the rows that count, which is the next stage.
    std::erase_if(out.figures, [&](const NamedFormula& figure) {
      try {
        return sees_rows(*engine::parse_expression(figure.formula), ladder.figures, 0);
      } catch (const Error&) {
        return false;  // said when it is asked
      }
    });
  }
  if (stage == Stage::joined) {
    out.figures.clear();
    out.periods.clear();
    out.choices.clear();
  }
  for (const NamedFormula& figure : out.figures) out.list.columns.push_back(figure.name);
}

// The entries of the innermost level with their totals, unranked.
void keep_totals(Ladder& out, const Ladder& ladder) {
  Level entries;
  for (const Level& level : ladder.levels)
    for (const auto* keys : {&level.within, &level.each})
      for (const std::string& key : *keys)
        if (std::find(entries.each.begin(), entries.each.end(), key) == entries.each.end()) entries.each.push_back(key);
  if (ladder.levels.size() == 1) {
    entries.include = ladder.levels.front().include;
    entries.fill = ladder.levels.front().fill;
  }
  if (!ladder.levels.empty() && ladder.levels.back().each.empty()) entries = {};  // every row is an entry
  out.levels = {std::move(entries)};
  out.orderings.clear();
  if (out.levels.front().each.empty()) {
    out.totals.clear();
    out.levels.clear();
  }
}

}  // namespace

std::vector<Stage> stages() {
  return {Stage::joined, Stage::figures, Stage::counted, Stage::totalled, Stage::ranked, Stage::kept};
}

Ladder up_to(const Ladder& ladder, Stage stage, const Catalog& catalog) {
  Ladder out = ladder;
  out.list = {};
  out.list.first = ladder.list.first;
  out.list.last = ladder.list.last;
  out.list.sample = ladder.list.sample;
  out.list.seed = ladder.list.seed;
  out.alternatives.clear();
  out.crossed = {};
  engine::without_moves(out);

  // What comes later is left out.
  if (stage <= Stage::counted) {
    keep_rows(out, stage, ladder, catalog);
    return out;
  }
  if (stage == Stage::totalled) {
    keep_totals(out, ladder);
    return out;
  }
  for (Level& level : out.levels) {
    level.others = false;
    if (stage == Stage::kept) continue;
    level.best = level.worst = std::nullopt;
    level.best_percent = level.worst_percent = std::nullopt;
    level.where.clear();
  }
  return out;
}

LOFTY_ENUM_NAMES(Stage, {Stage::joined, "joined"}, {Stage::figures, "figures"}, {Stage::counted, "counted"},
                 {Stage::totalled, "totalled"}, {Stage::ranked, "ranked"}, {Stage::kept, "kept"})

}  // namespace lofty
