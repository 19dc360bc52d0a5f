// Resolving a ladder: windows.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>
#include <functional>
#include <unordered_set>

#include "question/prose.hpp"
#include "question/resolver.hpp"

namespace lofty::engine {

void Resolver::parse_window_defs() {
  named_windows_.clear();
  for (const NamedFormula& formula : ladder_.window_defs) {
    NamedWindow named;
    named.name = formula.name;
    named.origin = std::make_shared<Origin>(Origin{"window_defs." + formula.name, formula.formula});
    try {
      named.clause = parse_window(formula.formula);
      named_windows_.push_back(std::move(named));
    } catch (const Error& error) {
      add(error, "window_defs." + formula.name);
    }
  }
}

bool Resolver::mentions_window(const Expression& e) {
  std::unordered_set<const Parsed*> seen;  // figures are named again and again
  const std::function<bool(const Expression&)> go = [&](const Expression& at) {
    if (at.over) return true;
    if (at.op == Op::name)
      if (const Parsed* const figure = find_named(figures_, at); figure != nullptr && figure->expression)
        if (seen.insert(figure).second && go(*figure->expression)) return true;
    return std::any_of(at.args.begin(), at.args.end(), [&](const auto& arg) { return arg && go(*arg); }) ||
           (at.filter && go(*at.filter));
  };
  return go(e);
}

std::unique_ptr<WindowCall> Resolver::window_call(const Expression& e, Scope& scope,
                                                  const std::shared_ptr<const Origin>& origin) {
  if (inside_window_)
    throw Error(problem_at(Code::wrong_arguments, "a window cannot stand inside another one", e, origin, {},
                           "give the inner one a name of its own"));
  inside_window_ = true;
  std::vector<Problem> found;
  std::unique_ptr<WindowCall> call;
  try {
    call = bind_window(e, scope, origin, named_windows_, found);
  } catch (const Error& error) {
    found.insert(found.end(), error.problems().begin(), error.problems().end());
  }
  inside_window_ = false;
  if (!found.empty()) throw Error(std::move(found));
  each_node(*call, [&](NodePtr& node) { question_.slots = finish(*node, question_.slots); });
  return call;
}

NodePtr Resolver::row_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin,
                             const std::string& stage) {
  if (!without_windows_.empty())
    throw Error(problem_at(Code::wrong_stage,
                           "a window sees the rows that rows.where lets through, too late for " + without_windows_, e,
                           origin, {}, "a condition on it stands in keep.where"));
  if (stage != "figures")
    throw Error(problem_at(Code::wrong_stage, "a window over rows is a figure", e, origin, {}, remedy::name_figure()));
  std::unique_ptr<WindowCall> call = window_call(e, scope, origin);
  const std::string same = signature(*call);
  std::size_t index = 0;
  while (index < question_.row_windows.size() && signature(*question_.row_windows[index].call) != same) ++index;
  const Type type = call->type;
  if (index == question_.row_windows.size()) question_.row_windows.push_back({std::move(call), origin->key, 0, false});
  const RowColumn wanted{RowColumn::window_table, index};
  auto& columns = question_.row_columns;
  const auto found = std::find(columns.begin(), columns.end(), wanted);
  const auto column = static_cast<int>(found - columns.begin());
  if (found == columns.end()) columns.push_back(wanted);
  return make_column(column, type, e, origin);
}

NodePtr Resolver::entry_window(const Expression& e, Scope& scope, const std::shared_ptr<const Origin>& origin) {
  std::unique_ptr<WindowCall> call = window_call(e, scope, origin);
  const std::string same = signature(*call);
  for (const WindowUse& use : question_.entry_windows)
    if (signature(*use.call) == same) return entry_node(use.column, e, origin);
  WindowUse use;
  use.where = origin->key;
  each_node(*call, [&](NodePtr& node) { use.late = use.late || sees_places(*node); });
  EntryColumn column;
  column.from = EntryColumn::From::window;
  column.name = call->text;
  column.type = call->type;
  column.index = question_.entry_windows.size();
  use.call = std::move(call);
  use.column = add_entry_column(std::move(column));
  question_.entry_windows.push_back(std::move(use));
  if (!question_.entry_windows.back().late) question_.windowed.push_back(question_.entry_windows.back().column);
  return entry_node(question_.entry_windows.back().column, e, origin);
}

bool Resolver::sees_places(const Node& node) const {
  if (node.op == Op::name) {
    if (node.column <= -2) return true;
    for (const WindowUse& use : question_.entry_windows)
      if (use.late && node.column == static_cast<int>(use.column)) return true;
  }
  return std::any_of(node.args.begin(), node.args.end(), [&](const NodePtr& arg) { return sees_places(*arg); });
}

NodePtr Resolver::windowed(Parsed& window, const Expression& e, const std::shared_ptr<const Origin>& origin) {
  if (window.state == State::open)
    throw Error(problem_at(Code::circular, "the window value " + quoted(e.text) + " needs itself", e, origin));
  if (window.state == State::fresh) bind_windowed(window);
  return entry_node(window.column, e, origin);
}

void Resolver::bind_windowed(Parsed& window) {
  window.state = State::open;
  EntryColumn column;
  column.from = EntryColumn::From::windowed;
  column.name = window.formula->name;
  window.column = add_entry_column(std::move(column));
  if (window.expression) {
    std::vector<Problem> found;
    EntryScope scope(*this, !question_.row_level(), false, window.origin->key);
    const bool inside = std::exchange(inside_window_, false);
    NodePtr node = engine::bind(*window.expression, scope, window.origin, found);
    inside_window_ = inside;
    for (Problem& p : found) add(std::move(p));
    question_.slots = finish(*node, question_.slots);
    question_.entry_columns[window.column].type = node->type;
    question_.entry_columns[window.column].node = std::move(node);
    question_.windowed.push_back(window.column);
  }
  window.state = State::done;
}

}  // namespace lofty::engine
