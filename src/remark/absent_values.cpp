#include "remark/absent_values.hpp"

#include <algorithm>
#include <set>
#include <unordered_set>

#include "base/access.hpp"
#include "base/folded.hpp"
#include "question/prose.hpp"

namespace lofty::engine {
namespace {

// The texts of a column, and what its rows are called.
struct TextColumn {
  const Column* column = nullptr;  // the rows; null where they were not kept
  const TextsMet* met = nullptr;   // then this is there instead
  std::string name, noun;

  bool there() const { return column != nullptr || met != nullptr; }
  const void* id() const { return column != nullptr ? static_cast<const void*>(column) : met; }
  const Dictionary& texts() const { return column != nullptr ? column->dictionary() : met->texts(); }
  // How many rows have each text of the dictionary.
  std::vector<std::size_t> counts() const {
    if (met != nullptr) return met->rows();
    std::vector<std::size_t> out(column->dictionary().size(), 0);
    for (std::size_t row = 0; row < column->rows(); ++row)
      if (const std::uint32_t code = column->code(row); code != Column::none) ++out[code];
    return out;
  }
};

class AbsentValues {
 public:
  AbsentValues(const LevelAnswer& answer, std::vector<Remark>& out) : a_(answer), q_(answer.question), out_(out) {}

  void all() {
    if (a_.outer == nullptr) {  // formulas over rows are the same at every level
      for (const auto* terms : {&q_.where_first, &q_.where_last})
        for (const NodePtr& term : *terms) see(term, true);
      for (const auto& aggregate : q_.aggregates) {
        see(aggregate->argument, true);
        see(aggregate->filter, true);
        for (const SortKey& key : aggregate->order) see(key.node, true);
      }
      for (const WindowUse& use : q_.row_windows) see(*use.call, true);
    }
    for (const EntryColumn& column : q_.entry_columns) {
      const bool of_rows = column.from == EntryColumn::From::key || column.from == EntryColumn::From::carried ||
                           column.from == EntryColumn::From::row;
      if (!of_rows || a_.outer == nullptr) see(column.node, of_rows);
    }
    for (const WindowUse& use : q_.entry_windows) see(*use.call, false);
    for (const NodePtr* node : {&q_.having, &q_.eligible, &q_.keep_where}) see(*node, false);
    for (const auto* keys : {&q_.by, &q_.tiebreak, &q_.list.order})
      for (const SortKey& key : *keys) see(key.node, false);
  }

 private:
  void see(const WindowCall& call, bool of_rows) {
    for (const NodePtr* node : {&call.value, &call.filter, &call.otherwise}) see(*node, of_rows);
    for (const auto* keys : {&call.partition, &call.order})
      for (const WindowKey& key : *keys) see(key.node, of_rows);
  }

  void see(const NodePtr& root, bool of_rows) {
    if (!root) return;
    each_node_below(*root, [&](const Node& node) {
      if (!seen_.insert(&node).second) return;
      if (node.op == Op::equal || node.op == Op::unequal) {
        compare(node, *node.args[0], *node.args[1], of_rows);
        compare(node, *node.args[1], *node.args[0], of_rows);
      } else if (node.op == Op::in_list) {
        for (std::size_t k = 1; k < node.args.size(); ++k) compare(node, *node.args[0], *node.args[k], of_rows);
      } else if (node.op == Op::like) {
        match(node, of_rows);
      }
    });
  }

  // The column of text that a name means; nothing for other formulas.
  TextColumn column_of(const Node& name, bool of_rows) const {
    if (name.op != Op::name || name.column < 0 || name.type.kind != Kind::text) return {};
    const auto at = static_cast<std::size_t>(name.column);
    TextColumn out;
    if (of_rows) {
      const RowColumn& column = q_.row_columns[at];
      if (column.of_window()) return {};
      const TableUse& use = q_.tables[column.table];
      if (const TextsOfTable* const all = a_.entries.texts_met.get(); column.table == 0 && all != nullptr)
        if (const auto met = all->find(column.column); met != all->end()) {
          out = {nullptr, &met->second, use.source->headings()[column.column], noun_of_table(use.alias)};
          return met->second.too_many() || rows_read(a_) == 0 ? TextColumn{} : out;
        }
      const Tables& tables = a_.joined->tables();
      if (!tables[column.table].holds(column.column)) return {};
      out = {tables.data(column.table).columns[column.column].get(), nullptr, use.source->headings()[column.column],
             noun_of_table(use.alias)};
    } else {
      if (at >= a_.entries.columns.size() || at >= q_.entry_columns.size()) return {};
      out = {a_.entries.columns[at].get(), nullptr, q_.entry_columns[at].name, a_.names().entry_noun()};
    }
    const bool texts = out.column != nullptr && out.column->lane() == Lane::code && out.column->rows() > 0;
    return texts && out.column->dictionary().size() <= TextsMet::most ? out : TextColumn{};
  }

  void say(std::string text) { out_.push_back({"value-absent", std::move(text)}); }

  void compare(const Node& node, const Node& name, const Node& literal, bool of_rows) {
    const auto* const text = literal.op == Op::literal ? std::get_if<std::string>(&literal.value) : nullptr;
    if (text == nullptr || literal.overall >= 0) return;
    const TextColumn column = column_of(name, of_rows);
    if (!column.there() || !said_.insert({column.id(), *text}).second) return;

    // Is it there, and which differ from it in case or blanks only?
    const Dictionary& texts = column.texts();
    const std::string wanted = folded_and_trimmed(*text);
    bool there = false;
    std::vector<std::uint32_t> alike;
    for (std::uint32_t code = 0; code < texts.size(); ++code) {
      if (texts.text(code) == *text)
        there = true;
      else if (folded_and_trimmed(texts.text(code)) == wanted)
        alike.push_back(code);
    }
    if (there && alike.empty() && of_rows) return;
    const std::vector<std::size_t> rows = column.counts();
    std::erase_if(alike, [&](std::uint32_t code) { return rows[code] == 0; });
    for (std::uint32_t code = 0; there && code < texts.size(); ++code)
      if (texts.text(code) == *text) there = rows[code] > 0;
    if (there && alike.empty()) return;

    const auto named = [&](std::uint32_t code) {
      return quoted(std::string(texts.text(code))) + " (" + counted(rows[code], column.noun) + ")";
    };
    std::vector<std::string> names;
    for (std::size_t i = 0; i < std::min<std::size_t>(3, alike.size()); ++i) names.push_back(named(alike[i]));
    if (alike.size() > names.size()) names.push_back(counted(alike.size() - names.size(), "other"));
    const std::string differing =
        listed(names) + (alike.size() == 1 ? " differs" : " differ") + " in case or blanks only";
    if (there)
      return say(quoted(node.source()) + ": " + differing + ", and " + (alike.size() == 1 ? "is" : "are") +
                 " another text");
    std::string sentence =
        quoted(node.source()) + ": no " + column.noun + " has the " + quoted(column.name) + " " + quoted(*text);
    if (!alike.empty()) return say(sentence + "; " + differing);

    // The nearest of those that occur.
    std::vector<std::string> candidates;
    for (std::uint32_t code = 0; code < texts.size(); ++code)
      if (rows[code] > 0) candidates.emplace_back(texts.text(code));
    const std::string nearest = nearest_word(*text, candidates);
    for (std::uint32_t code = 0; !nearest.empty() && code < texts.size(); ++code)
      if (texts.text(code) == nearest) sentence += "; nearest: " + named(code);
    say(std::move(sentence));
  }

  // A pattern that none of the texts has.
  void match(const Node& node, bool of_rows) {
    const TextColumn column = column_of(*node.args[0], of_rows);
    if (!column.there() || node.args[1]->op != Op::literal || is_null(node.args[1]->value) ||
        (node.args.size() > 2 && node.args[2]->op != Op::literal))
      return;
    const auto* const pattern = std::get_if<std::string>(&node.args[1]->value);
    if (pattern == nullptr || !said_.insert({column.id(), "like " + *pattern}).second) return;
    std::vector<ColumnPtr> columns(static_cast<std::size_t>(node.args[0]->column) + 1);
    const std::vector<std::size_t> rows = column.counts();
    Piece texts(Type{.kind = Kind::text});
    std::size_t count = 0;
    for (std::uint32_t code = 0; code < rows.size(); ++code) {
      if (rows[code] == 0) continue;
      texts.add_text(column.texts().text(code));
      ++count;
    }
    columns.back() = Column::seal(std::move(texts));
    const ColumnPtr truth = evaluate_column(node, ColumnSource(count, columns), a_.entries.context, a_.run);
    const std::int64_t no_match = node.negated ? 1 : 0;
    for (std::size_t i = 0; i < count; ++i)
      if (truth->int64(i) != no_match) return;
    say(quoted(node.source()) + ": no " + column.noun + " has a " + quoted(column.name) + " like " + quoted(*pattern));
  }

  const LevelAnswer& a_;
  const Question& q_;
  std::vector<Remark>& out_;
  std::unordered_set<const Node*> seen_;
  std::set<std::pair<const void*, std::string>> said_;
};

}  // namespace

void add_absent_values(const LevelAnswer& answer, std::vector<Remark>& out) { AbsentValues(answer, out).all(); }

}  // namespace lofty::engine
