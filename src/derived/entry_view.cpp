// The entries of a ladder, with what their workings need as columns.
// Covered by tests/derived/why_test.cpp.

#include "derived/entry_view.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "derived/table_reading.hpp"
#include "formula/functions.hpp"
#include "formula/lexer.hpp"
#include "formula/parser.hpp"
#include "question/resolve.hpp"

namespace lofty::engine {
namespace {

// The totals inside a formula, as they are written, and what of the rows each one takes.
struct TotalInside {
  std::string text, counts;
};
void find_totals(const Expression& e, const std::string& formula, std::vector<TotalInside>& out) {
  if (e.op == Op::call && !e.over && is_total(e.function)) {
    const auto text_of = [&](const Expression& part) { return formula.substr(part.begin, part.end - part.begin); };
    std::string counts;
    if (!e.args.empty() && e.args[0]->op != Op::star) counts = "(" + text_of(*e.args[0]) + ") is not null";
    if (e.filter) counts += (counts.empty() ? "(" : " and (") + text_of(*e.filter) + ")";
    out.push_back({text_of(e), "count(*)" + (counts.empty() ? "" : " filter (where " + counts + ")")});
    return;
  }
  for (const auto& arg : e.args)
    if (arg) find_totals(*arg, formula, out);
}

}  // namespace

Ladder without_cuts(Ladder ladder) {
  Level& l = ladder.levels.front();
  l.best = l.worst = {};
  l.best_percent = l.worst_percent = {};
  l.where.clear();
  l.unranked = false;
  return ladder;
}

EntryView view_entries(const Ladder& ladder) {
  EntryView view;
  const Level& level = ladder.levels.front();
  view.of_rows = level.each.empty();
  view.keys = level.within;
  view.keys.insert(view.keys.end(), level.each.begin(), level.each.end());
  view.ladder = without_cuts(ladder);
  std::vector<std::string> columns = view.keys;
  const auto add = [&](const std::string& formula, bool may_see_windows = false) {
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (columns[c] == formula) return c;
    const std::string name = "workings " + std::to_string(columns.size());
    (may_see_windows ? view.ladder.levels.front().windows : view.ladder.totals).push_back({name, formula});
    columns.push_back(name);
    return columns.size() - 1;
  };

  // What places go by, and the totals with their parts.
  const std::string& by = level.by;
  for (const SortItem& item : by.empty() ? std::vector<SortItem>{} : parse_sort_list(by)) {
    const std::string text = by.substr(item.expression->begin, item.expression->end - item.expression->begin);
    view.by.push_back({text, add(text, true)});
  }
  for (const NamedFormula& total : ladder.totals) {
    view.totals.push_back({total, columns.size(), {}});
    columns.push_back(total.name);
    std::vector<TotalInside> inside;
    find_totals(*parse_expression(total.formula), total.formula, inside);
    for (const TotalInside& part : inside)
      view.totals.back().parts.push_back({part.text, add(part.text), add(part.counts)});
  }

  // Windows, figures, and the place itself.
  const auto list = [&](const std::vector<NamedFormula>& formulas, auto& out) {
    for (const NamedFormula& one : formulas) {
      out.emplace_back(one, columns.size());
      columns.push_back(one.name);
    }
  };
  list(level.windows, view.windows);
  if (view.of_rows) list(ladder.figures, view.figures);
  if (!level.eligible.empty())
    view.eligible = add("case when " + level.eligible + " then 1 when not (" + level.eligible + ") then 0 end", true);
  if (!level.by.empty()) {
    view.place = columns.size();
    columns.push_back(level.rank_as.empty() ? "rank" : level.rank_as);
  }
  view.ladder.list = {.columns = columns};
  return view;
}

std::string find_label(const Ladder& ladder, const ReadOnce& tables, const Run& run) {
  const Level& level = ladder.levels.front();
  if (level.each.empty()) return {};
  for (const std::string& column : ladder.list.columns) {
    const auto same = [&](const auto& name) { return equal_folded(name, column); };
    const auto& each = level.each;
    const auto& within = level.within;
    if (std::any_of(each.begin(), each.end(), same) || std::any_of(within.begin(), within.end(), same)) continue;
    Ladder alone = without_cuts(ladder);
    alone.list = {.columns = {column}};
    const Resolution names(alone, tables);
    if (names.questions().empty()) return {};
    const Resolution::Typed typed = read_and_type(names, run);
    if (!typed.problems.empty() || typed.questions.front().list.columns.size() != 1) return {};
    const Question& question = typed.questions.front();
    const int at = question.list.columns[0].column;
    if (at < 0 || static_cast<std::size_t>(at) >= question.entry_columns.size()) continue;
    const EntryColumn& entry = question.entry_columns[static_cast<std::size_t>(at)];
    if (entry.from == EntryColumn::From::carried && entry.type.kind == Kind::text) return column;
  }
  return {};
}

}  // namespace lofty::engine
