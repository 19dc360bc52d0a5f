// Binding the list: columns, their looks, and the order.

#include "question/list_binder.hpp"

#include <algorithm>
#include <functional>
#include <unordered_set>

#include "base/folded.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

bool contains_folded(const std::vector<std::string>& names, const std::string& name) {
  return std::any_of(names.begin(), names.end(), [&](const std::string& one) { return equal_folded(one, name); });
}

// A name in a sort list: quoted where it has to be.
std::string sort_name(const std::string& name) {
  const bool plain = !name.empty() && std::isdigit(static_cast<unsigned char>(name[0])) == 0 &&
                     std::all_of(name.begin(), name.end(), [](char c) {
                       return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.';
                     });
  return plain ? name : "\"" + name + "\"";
}

}  // namespace

void ListBinder::bind_all() {
  const Listing& list = ladder_.list;
  const bool first_level = level_.number() == 0;
  if (first_level && level_.nested() && (list.first || list.last || list.sample))
    problems_.say(Code::bad_value, "some of the rows would separate levels from their entries", "list",
                  "best = 3 in a [[level]] keeps some of its entries");
  if (first_level && list.sample && (list.first || list.last))
    problems_.say(Code::bad_value, "rows are either sampled, or the first or last ones", "list.sample",
                  "leave out first and last");
  bind_order();
  bind_columns();
}

void ListBinder::bind_order() {
  const std::string& order = ladder_.list.order;
  if (!ladder_.list.alternative.empty()) return bind_alternative();

  // The rows as they come, which a server sends in any order.
  const bool as_they_come = order == "input" || (order.empty() && question_.row_level() && !question_.places);
  if (const TableSource& first = *tables_[0].source; as_they_come && !first.has_order())
    problems_.say(Code::bad_value, "the rows of " + first.name() + " come in any order", "data.order",
                  "data.order names columns that order them");
  if (order.empty()) return;
  if (level_.nested()) {
    if (level_.number() == 0)
      problems_.say(Code::bad_value, "levels are listed by their places, each inside the one before", "list.order",
                    "an order under [alternatives], which list.alternative names, lists them otherwise");
    return;
  }
  question_.list.as_input = order == "input";
  if (question_.list.as_input) return;
  EntryScope scope(entries_, false, true, "list.order");
  level_binder_.bind_sort(order, "list.order", scope, false, question_.list.order);
  question_.list.text = order;
}

void ListBinder::bind_alternative() {
  const std::string& name = ladder_.list.alternative;
  std::vector<std::string> names;
  for (const NamedFormula& one : ladder_.alternatives) {
    names.push_back(one.name);
    if (equal_folded(one.name, name)) return bind_alternative_items(one.formula, "alternatives." + one.name);
  }
  if (name == "name") return bind_alternative_items(own_label(), "list.alternative");
  names.emplace_back("name");
  problems_.say(Code::unknown_word, "no alternative is called " + quoted(name), "list.alternative",
                "a sort list of that name under [alternatives]", nearest_word(name, names), name);
}

void ListBinder::bind_alternative_items(const std::string& text, const std::string& key) {
  const auto origin = std::make_shared<Origin>(Origin{key, text});
  for (const std::size_t group : question_.within) {
    SortKey sort;
    sort.node = entries_.node(group, name_expression(question_.entry_columns[group].name), origin);
    sort.text = question_.entry_columns[group].name;
    question_.list.order.push_back(std::move(sort));
  }

  // This level takes what it knows.
  const auto knows = [&](const Expression& e) {
    try {
      return !of_another_level(e, origin);
    } catch (const Error&) {
      return true;  // no level has it: binding says so
    }
  };
  const std::size_t groups = question_.list.order.size();
  EntryScope scope(entries_, false, true, key);
  try {
    for (const SortItem& item : parse_sort_list(text)) {
      if (level_.nested() && item.expression->op == Op::name && !knows(*item.expression)) continue;
      std::vector<Problem> found;
      SortKey sort = sort_key(item, text, scope, origin, found);
      if (!found.empty() && level_.nested()) {
        so_far_.alternative_problems = std::move(found);
        continue;
      }
      problems_.add(std::move(found));
      question_.list.text += (question_.list.text.empty() ? "" : ", ") + sort.text + (item.descending ? " desc" : "");
      question_.list.order.push_back(std::move(sort));
      so_far_.alternative_used = true;
    }
  } catch (const Error& error) {
    return problems_.add(error, key);
  }
  if (question_.list.order.size() == groups) question_.list.order.clear();  // nothing that this level knows

  // Some level has to know it.
  if (!level_.last() || so_far_.alternative_used) return;
  problems_.add(so_far_.alternative_problems);
  if (so_far_.alternative_problems.empty())
    problems_.say(Code::unknown_column, "no level has what " + quoted(text) + " names", key, {}, {}, text);
}

std::string ListBinder::own_label() {
  for (const std::string& name : ladder_.list.columns)
    if (is_own_words(name)) return sort_name(name);
  std::string keys;
  if (question_.level != nullptr)
    for (const std::string& name : question_.level->each) keys += (keys.empty() ? "" : ", ") + sort_name(name);
  return keys;
}

bool ListBinder::is_own_words(const std::string& name) {
  const Expression e = name_expression(name);
  if (contains_folded(level_.within(), name) || so_far_.known.contains(name) || totals_.find(e) != nullptr ||
      window_values_.find(e) != nullptr || contains_folded(level_.places(), name))
    return false;
  try {
    const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
    if (level_.nested() && of_another_level(e, origin)) return false;
    const NodePtr row = rows_.name(e, origin);
    return row->type.kind == Kind::text || row->type.kind == Kind::unknown;
  } catch (const Error&) {
    return false;
  }
}

void ListBinder::bind_columns() {
  std::vector<std::string> names = ladder_.list.columns;
  const bool chosen = !names.empty();
  if (!chosen) names = default_columns();
  for (const std::string& name : names) {
    const auto origin = std::make_shared<Origin>(Origin{"list.columns", name});
    Expression e = name_expression(name);
    if (const auto point = name.find('.'); !e.quoted && point != std::string::npos && point > 0) {
      for (const TableUse& use : tables_.uses())
        if (equal_folded(use.alias, name.substr(0, point))) {
          e.qualifier = name.substr(0, point);
          e.text = name.substr(point + 1);
        }
    }
    try {
      if (level_.nested() && of_another_level(e, origin)) continue;
      const NodePtr node = entries_.name(e, origin, true, "list.columns");
      so_far_.known.insert(name);
      ListColumn column;
      column.name = column.heading = e.quoted ? e.text : name;
      column.column = node->column;
      column.type = node->type;
      question_.list.columns.push_back(std::move(column));
    } catch (const Error& error) {
      // What one level does not know another may.
      if (chosen && level_.last() && !so_far_.known.contains(name)) problems_.add(error, "list.columns");
    }
  }

  // How they look.
  bind_formats(names);
  bind_bars(names);
  bind_headings(names);
  fix_place_columns();
}

ListBinder::Shown ListBinder::shown(const std::string& name) {
  for (ListColumn& column : question_.list.columns)
    if (equal_folded(column.name, name)) return {&column, column.type, true};
  // A crossed table's cells are of a total that need not be listed itself.
  const bool cell = equal_folded(name, ladder_.crossed.cell);
  for (const EntryColumn& column : question_.entry_columns)
    if (cell && equal_folded(column.name, name)) return {nullptr, column.type, true};
  const bool moves =
      !ladder_.compare.empty() && (equal_folded(name, "was") || equal_folded(name, "moved") ||
                                   equal_folded(name, "value_before") || equal_folded(name, "value_change"));
  return {nullptr, {}, cell || moves || so_far_.known.contains(name) || !level_.last()};
}

void ListBinder::bind_headings(const std::vector<std::string>& names) {
  for (const auto& [name, heading] : ladder_.list.headings) {
    bool found = so_far_.known.contains(name) || !level_.last();
    for (ListColumn& column : question_.list.columns)
      if (equal_folded(column.name, name)) {
        column.heading = heading;
        found = true;
      }
    if (!found)
      problems_.say(Code::unknown_column, "list.headings names a column that is not listed: " + quoted(name),
                    "list.headings." + name, {}, nearest_word(name, names));
  }
}

void ListBinder::bind_formats(const std::vector<std::string>& names) {
  for (const auto& [name, text] : ladder_.list.formats) {
    const std::string key = "list.formats." + name;
    try {
      const Specimen format = Specimen::parse(text, ladder_.data.locale);
      const Shown of = shown(name);
      if (!of.known)
        problems_.say(Code::unknown_column, "list.formats names a column that is not listed: " + quoted(name), key, {},
                      nearest_word(name, names));
      else if (of.type.kind != Kind::unknown && !format.fits(of.type))
        problems_.say(
            Code::wrong_type,
            quoted(name) + " holds values of type " + to_string(of.type.kind) + ", which the example does not show",
            key, of.type.numeric() ? "12.5 % = 0.125" : "31/12/2025 = 2025-12-31; numbers and dates have formats");
      else if (of.column != nullptr)
        of.column->format = format;
    } catch (const Error& error) {
      problems_.add(error, key);
    }
  }
}

void ListBinder::bind_bars(const std::vector<std::string>& names) {
  for (const std::string& name : ladder_.list.bars) {
    const Shown of = shown(name);
    if (!of.known)
      problems_.say(Code::unknown_column, "list.bars names a column that is not listed: " + quoted(name), "list.bars",
                    {}, nearest_word(name, names), name);
    else if (of.type.kind != Kind::unknown && !of.type.numeric())
      problems_.say(Code::wrong_type,
                    quoted(name) + " holds values of type " + to_string(of.type.kind) + "; a bar shows a number",
                    "list.bars", {}, {}, name);
    else if (of.column != nullptr)
      of.column->bar = true;
  }
}

bool ListBinder::of_another_level(const Expression& e, const std::shared_ptr<const Origin>& origin) {
  // A place of another level, unless this one has a place of that name, too.
  const auto named = [&](const std::string& name) { return e.qualifier.empty() && equal_folded(name, e.text); };
  const std::vector<std::string> own = level_.places();
  const bool own_place = std::any_of(own.begin(), own.end(), named);
  if (own_place) return false;
  for (const Level& level : ladder_.levels)
    if (named(level.rank_as.empty() ? "rank" : level.rank_as) ||
        std::any_of(level.also.begin(), level.also.end(), [&](const Also& also) { return named(also.name); })) {
      so_far_.known.insert(e.text);
      return true;
    }

  // A total, or a window value.
  if (totals_.find(e) != nullptr) return question_.row_level();  // rows are not totalled
  if (window_values_.find(e) != nullptr) return false;
  for (const Level& level : ladder_.levels)
    for (const NamedFormula& window : level.windows)
      if (named(window.name)) {
        so_far_.known.insert(e.text);
        return true;
      }

  // A column of the rows that entries of this level have several values of.
  if (question_.row_level()) return false;
  const NodePtr row = rows_.name(e, origin);
  const std::string name = e.qualifier.empty() ? rows_.canonical_name(*row, e) : e.qualifier + "." + e.text;
  const bool key =
      std::ranges::find(question_.entry_columns, name, &EntryColumn::name) != question_.entry_columns.end();
  return !key && !entries_.is_determined(*row);
}

void ListBinder::fix_place_columns() {
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
  for (SortKey& key : question_.list.order) walk(*key.node);
  for (NodePtr* node : {&question_.keep_where, &question_.mark})
    if (*node) walk(**node);
  for (WindowUse& use : question_.entry_windows) each_part(*use.call, [&](NodePtr& node) { walk(*node); });
  for (ListColumn& column : question_.list.columns) fix(column.column);
}

std::vector<std::string> ListBinder::default_columns() {
  std::vector<std::string> names;
  const auto add_name = [&](const std::string& name) {
    if (!name.empty() && std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  };
  const auto add_formulas = [&](FormulaList& formulas) {
    for (const ParsedFormula& one : formulas) add_name(one.formula->name);
  };
  for (const std::string& name : level_.within()) add_name(name);
  for (const std::string& name : level_.places()) add_name(name);
  if (!question_.row_level()) {
    for (const std::string& name : question_.level->each) add_name(name);
    // Descriptive columns that order the entries are worth seeing; totals follow in the order they were written.
    for (const EntryColumn& column : question_.entry_columns)
      if (column.from == EntryColumn::From::carried) add_name(column.name);
    add_formulas(totals_);
    add_formulas(window_values_);
    return names;
  }
  if (tables_.size() > 0)
    for (const std::string& heading : tables_.headings(0)) add_name(heading);
  add_formulas(figures_);
  add_formulas(window_values_);
  return names;
}

}  // namespace lofty::engine
