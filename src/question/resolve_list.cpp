// Resolving a ladder: what is listed, in which order.
// Covered by tests/ladder/check_test.cpp.

#include <algorithm>
#include <functional>
#include <unordered_set>

#include "question/prose.hpp"
#include "question/resolver.hpp"
#include "table/nearest.hpp"

namespace lofty::engine {

void Resolver::bind_list() {
  const Listing& list = ladder_.list;
  if (level_ == 0 && nested() && (list.first || list.last || list.sample))
    problem(Code::bad_value, "a part of the rows would tear levels apart", "list",
            "best = 3 in a [[level]] keeps some of its entries");
  if (level_ == 0 && list.sample && (list.first || list.last))
    problem(Code::bad_value, "rows are either sampled, or the first or last ones", "list.sample",
            "leave out first and last");
  if (!list.order_by.empty()) return bind_alternative(), bind_columns();
  question_.list_as_input = list.order == "input";
  if (nested() && !list.order.empty()) {
    if (level_ == 0)
      problem(Code::bad_value, "levels are listed by their places, each inside the one before", "list.order",
              "an order under [alternatives], and --order-by, lists them otherwise");
    question_.list_as_input = false;
    return bind_columns();
  }
  if (!list.order.empty() && !question_.list_as_input) {
    EntryScope scope(*this, false, true, "list.order");
    bind_sort(list.order, "list.order", scope, false, question_.list_order);
    question_.list_text = list.order;
  }
  bind_columns();
}

void Resolver::bind_alternative() {
  const std::string& name = ladder_.list.order_by;
  const NamedFormula* chosen = nullptr;
  std::vector<std::string> names;
  for (const NamedFormula& one : ladder_.alternatives) {
    names.push_back(one.name);
    if (equal_folded(one.name, name)) chosen = &one;
  }
  std::string text;
  if (chosen != nullptr) {
    text = chosen->formula;
  } else if (name == "name") {
    text = own_label();
  } else {
    names.emplace_back("name");
    problem(Code::unknown_word, "no alternative is called " + quoted(name), "list.order_by",
            "a sort list of that name under [alternatives]", nearest_word(name, names), name);
    return;
  }
  const std::string key = chosen != nullptr ? "alternatives." + chosen->name : "list.order_by";
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  EntryScope scope(*this, false, true, key);
  for (const std::size_t group : question_.within) {
    SortKey sort;
    sort.node = entry_node(group, name_expression(question_.entry_columns[group].name), origin);
    sort.text = question_.entry_columns[group].name;
    question_.list_order.push_back(std::move(sort));
  }
  const std::size_t groups = question_.list_order.size();
  try {
    for (SortItem& item : parse_sort_list(text)) {
      if (nested() && item.expression->op == Op::name && !find_item(*item.expression, origin)) continue;
      std::vector<Problem> found;
      SortKey sort = sort_key(item, text, scope, origin, found);
      if (!found.empty() && nested()) {
        alternative_problems_ = std::move(found);
        continue;
      }
      for (Problem& p : found) add(std::move(p));
      question_.list_text += (question_.list_text.empty() ? "" : ", ") + sort.text + (item.descending ? " desc" : "");
      question_.list_order.push_back(std::move(sort));
      alternative_used_ = true;
    }
  } catch (const Error& error) {
    return add(error, key);
  }
  if (question_.list_order.size() == groups) question_.list_order.clear();  // nothing that this level knows
  if (!last_level() || alternative_used_) return;
  for (Problem& p : alternative_problems_) add(std::move(p));
  if (alternative_problems_.empty())
    problem(Code::unknown_column, "no level has what " + quoted(text) + " names", key, {}, {}, text);
}

bool Resolver::find_item(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  try {
    return !of_another_level(e, origin);
  } catch (const Error&) {
    return true;  // nobody has it: binding says so
  }
}

std::string Resolver::own_label() {
  const auto is_group = [&](const std::string& name) {
    const std::vector<std::string> groups = within_names();
    return std::any_of(groups.begin(), groups.end(),
                       [&](const std::string& group) { return equal_folded(group, name); });
  };
  for (const std::string& name : ladder_.list.columns) {
    const Expression e = name_expression(name);
    if (is_group(name) || known_somewhere_.contains(name) || find_named(totals_, e) != nullptr ||
        find_named(windows_, e) != nullptr)
      continue;
    const std::vector<std::string> places = place_names();
    if (std::any_of(places.begin(), places.end(), [&](const std::string& p) { return equal_folded(p, name); }))
      continue;
    try {
      const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
      if (nested() && of_another_level(e, origin)) continue;
      const NodePtr row = row_name(e, origin);
      if (row->type.kind == Kind::text || row->type.kind == Kind::unknown) return sort_name(name);
    } catch (const Error&) {
      continue;
    }
  }
  std::string keys;
  if (question_.level != nullptr)
    for (const std::string& name : question_.level->each) keys += (keys.empty() ? "" : ", ") + sort_name(name);
  return keys;
}

std::string Resolver::sort_name(const std::string& name) {
  const bool plain = !name.empty() && std::isdigit(static_cast<unsigned char>(name[0])) == 0 &&
                     std::all_of(name.begin(), name.end(), [](char c) {
                       return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.';
                     });
  return plain ? name : "\"" + name + "\"";
}

void Resolver::bind_columns() {
  const Listing& list = ladder_.list;
  std::vector<std::string> names = list.columns;
  const bool chosen = !names.empty();
  if (!chosen) names = default_columns();
  for (const std::string& name : names) {
    const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
    Expression e = name_expression(name);
    if (const auto point = name.find('.'); point != std::string::npos && point > 0) {
      for (const TableUse& use : tables_)
        if (equal_folded(use.alias, name.substr(0, point))) {
          e.qualifier = name.substr(0, point);
          e.text = name.substr(point + 1);
        }
    }
    try {
      if (nested() && of_another_level(e, origin)) continue;
      const NodePtr node = entry_name(e, origin, true, "list.columns");
      known_somewhere_.insert(name);
      ListColumn column;
      column.name = name;
      column.column = node->column;
      column.heading = name;
      column.type = node->type;
      question_.list_columns.push_back(std::move(column));
    } catch (const Error& error) {
      // What one level does not know another may.
      if (chosen && last_level() && !known_somewhere_.contains(name)) add(error, "list.columns");
    }
  }
  bind_formats(names);
  bind_bars(names);
  for (const auto& [name, heading] : list.headings) {
    bool found = known_somewhere_.contains(name) || !last_level();
    for (ListColumn& column : question_.list_columns)
      if (equal_folded(column.name, name)) {
        column.heading = heading;
        found = true;
      }
    if (!found)
      problem(Code::unknown_column, "list.headings names a column that is not listed: " + quoted(name),
              "list.headings." + name, {}, nearest_word(name, names));
  }
  fix_place_columns();
}

Resolver::Shown Resolver::shown(const std::string& name) {
  for (ListColumn& column : question_.list_columns)
    if (equal_folded(column.name, name)) return {&column, column.type, true};
  // A crossed table's cells are of a total that need not be listed itself.
  const bool cell = equal_folded(name, ladder_.across.cell);
  for (const EntryColumn& column : question_.entry_columns)
    if (cell && equal_folded(column.name, name)) return {nullptr, column.type, true};
  const bool moves = !ladder_.compare.empty() && (equal_folded(name, "was") || equal_folded(name, "moved"));
  return {nullptr, {}, cell || moves || known_somewhere_.contains(name) || !last_level()};
}

void Resolver::bind_formats(const std::vector<std::string>& names) {
  for (const auto& [name, text] : ladder_.list.formats) {
    const std::string key = "list.formats." + name;
    try {
      const Specimen format = Specimen::parse(text);
      const Shown of = shown(name);
      if (!of.known)
        problem(Code::unknown_column, "list.formats names a column that is not listed: " + quoted(name), key, {},
                nearest_word(name, names));
      else if (of.type.kind != Kind::unknown && !format.fits(of.type))
        problem(Code::wrong_type,
                quoted(name) + " holds values of type " + kind_name(of.type.kind) + ", which the example does not show",
                key, of.type.numeric() ? "12.5 % = 0.125" : "31/12/2025 = 2025-12-31; numbers and dates have formats");
      else if (of.column != nullptr)
        of.column->format = format;
    } catch (const Error& error) {
      add(error, key);
    }
  }
}

void Resolver::bind_bars(const std::vector<std::string>& names) {
  for (const std::string& name : ladder_.list.bars) {
    const Shown of = shown(name);
    if (!of.known)
      problem(Code::unknown_column, "list.bars names a column that is not listed: " + quoted(name), "list.bars", {},
              nearest_word(name, names), name);
    else if (of.type.kind != Kind::unknown && !of.type.numeric())
      problem(Code::wrong_type,
              quoted(name) + " holds values of type " + kind_name(of.type.kind) + "; a bar shows a number", "list.bars",
              {}, {}, name);
    else if (of.column != nullptr)
      of.column->bar = true;
  }
}

bool Resolver::of_another_level(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  for (std::size_t l = 0; l < ladder_.levels.size(); ++l) {
    const Level& level = ladder_.levels[l];
    const auto named = [&](const std::string& place) { return e.qualifier.empty() && equal_folded(place, e.text); };
    const std::vector<std::string> own = place_names();
    if (std::any_of(own.begin(), own.end(), named)) return false;
    if (named(level.rank_as.empty() ? "rank" : level.rank_as) ||
        std::any_of(level.also.begin(), level.also.end(), [&](const Also& also) { return named(also.name); })) {
      known_somewhere_.insert(e.text);
      return true;
    }
  }
  if (find_named(totals_, e) != nullptr) return question_.row_level();  // rows are not totalled
  if (find_named(windows_, e) != nullptr) return false;
  for (const Level& level : ladder_.levels)
    for (const NamedFormula& window : level.windows)
      if (e.qualifier.empty() && equal_folded(window.name, e.text)) {
        known_somewhere_.insert(e.text);
        return true;
      }
  if (question_.row_level()) return false;
  const NodePtr row = row_name(e, origin);
  const std::string name = e.qualifier.empty() ? canonical_name(*row, e) : e.qualifier + "." + e.text;
  const bool key = std::any_of(question_.entry_columns.begin(), question_.entry_columns.end(),
                               [&](const EntryColumn& column) { return column.name == name; });
  return !key && !is_determined(*row);
}

void Resolver::fix_place_columns() {
  const auto entries = static_cast<int>(question_.entry_columns.size());
  const auto fix = [&](int& column) {
    if (column <= -2) column = entries + (-2 - column);
  };
  std::unordered_set<const Node*> seen;
  const std::function<void(Node&)> walk = [&](Node& node) {
    if (!seen.insert(&node).second) return;
    if (node.op == Op::name) fix(node.column);
    for (NodePtr& arg : node.args) walk(*arg);
  };
  for (SortKey& key : question_.list_order) walk(*key.node);
  for (NodePtr* node : {&question_.keep_where, &question_.mark})
    if (*node) walk(**node);
  for (WindowUse& use : question_.entry_windows) each_node(*use.call, [&](NodePtr& node) { walk(*node); });
  for (ListColumn& column : question_.list_columns) fix(column.column);
}

std::vector<std::string> Resolver::default_columns() {
  std::vector<std::string> names;
  const auto add_name = [&](const std::string& name) {
    if (!name.empty() && std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  };
  if (question_.level != nullptr)
    for (const std::string& name : within_names()) add_name(name);
  for (const std::string& name : place_names()) add_name(name);
  if (!question_.row_level()) {
    for (const std::string& name : question_.level->each) add_name(name);
    // Descriptive columns that order the entries are worth seeing; totals follow in the order they were written.
    for (const EntryColumn& column : question_.entry_columns)
      if (column.from == EntryColumn::From::carried) add_name(column.name);
    for (const Parsed& total : totals_) add_name(total.formula->name);
    for (const Parsed& window : windows_) add_name(window.formula->name);
    return names;
  }
  if (!tables_.empty())
    for (const std::string& heading : tables_[0].source->headings()) add_name(heading);
  for (const Parsed& figure : figures_) add_name(figure.formula->name);
  for (const Parsed& window : windows_) add_name(window.formula->name);
  return names;
}

}  // namespace lofty::engine
