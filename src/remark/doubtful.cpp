#include "remark/doubtful.hpp"

#include <algorithm>
#include <functional>
#include <optional>
#include <set>

#include "base/access.hpp"
#include "base/folded.hpp"
#include "order/numbering.hpp"
#include "question/prose.hpp"
#include "remark/sentence.hpp"
#include "value/calendar.hpp"

namespace lofty::engine {
namespace {

// "unit_price", "Unit Price" and "unitPrice" have the words unit and price.
std::vector<std::string> words_of(const std::string& name) {
  std::vector<std::string> parts(1);
  for (std::size_t i = 0; i < name.size(); ++i) {
    const char c = name[i];
    const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
    if (!letter || (c >= 'A' && c <= 'Z' && i > 0 && name[i - 1] >= 'a' && name[i - 1] <= 'z')) parts.emplace_back();
    if (letter) parts.back() += c;
  }
  std::erase_if(parts, [](const std::string& part) { return part.empty(); });
  return parts;
}

bool has_word(const std::string& name, std::initializer_list<const char*> words) {
  const std::vector<std::string> parts = words_of(name);
  return std::any_of(parts.begin(), parts.end(), [&](const std::string& part) {
    return std::any_of(words.begin(), words.end(), [&](const char* word) { return equal_folded(part, word); });
  });
}

// Is the label a name of what the id numbers, as `shop` and `customer name` are of `shop_no` and `customer_no`? A town
// is none of a customer.
bool names_the_same(const std::string& label, const std::string& id) {
  if (has_word(label, {"name", "label", "title", "description"})) return true;
  for (const std::string& one : words_of(label))
    for (const std::string& other : words_of(id))
      if (equal_folded(one, other)) return true;
  return false;
}

class Doubtful {
 public:
  Doubtful(const LevelAnswer& answer, std::vector<Remark>& out)
      : a_(answer), q_(answer.question), names_(answer.names()), out_(out) {}

  void all() {
    if (a_.outer == nullptr) summed();  // the totals are the same at every level
    if (!q_.row_level()) {
      labels();
      too_many_keys();
      several_groups();
      namesakes();
    }
    last_days();
    window_shares();
    if (!q_.places) return;
    least_first();
    bent_shares();
    rounded_ties();
  }

 private:
  void say(const char* code, std::string text) { out_.push_back({code, std::move(text)}); }

  // The heading of a bare column of a table; nothing for other formulas.
  const std::string* heading_of(const Node& node) const {
    if (node.op != Op::name || node.column < 0) return nullptr;
    const RowColumn& at = q_.row_columns[static_cast<std::size_t>(node.column)];
    if (at.of_window()) return nullptr;
    return &q_.tables[at.table].source->headings()[at.column];
  }

  // Sums and means of what numbers things, or of a price while there is a quantity next to it.
  void summed() {
    for (const auto& aggregate : q_.aggregates) {
      const bool sum = aggregate->kind == AggregateKind::sum;
      if (!sum && aggregate->kind != AggregateKind::average) continue;
      const std::string* const heading = heading_of(*aggregate->argument);
      if (heading == nullptr) continue;
      if (has_word(*heading, {"no", "id", "nr", "number", "code"}) && aggregate->argument->type.kind == Kind::integer) {
        say("id-summed", quoted(aggregate->text) + " adds up numbers that tell things apart; count(distinct " +
                             *heading + ") would count them");
      } else if (sum && has_word(*heading, {"price", "rate", "cost"}) && quantity_beside(*aggregate->argument)) {
        say("unit-price-summed", quoted(aggregate->text) + " adds up prices of one while " +
                                     quoted(*quantity_beside(*aggregate->argument)) + " is in the same rows; " +
                                     "sum(" + *quantity_beside(*aggregate->argument) + " * " + *heading +
                                     ") is their total");
      }
    }
  }
  const std::string* quantity_beside(const Node& price) const {
    const RowColumn& at = q_.row_columns[static_cast<std::size_t>(price.column)];
    for (const std::string& heading : q_.tables[at.table].source->headings())
      if (has_word(heading, {"quantity", "qty", "pieces", "units"})) return &heading;
    return nullptr;
  }

  // rank.each on a label of a joined table that several of its keys have.
  void labels() {
    for (const std::size_t key : q_.each) {
      const Node& node = *q_.entry_columns[key].node;
      if (heading_of(node) == nullptr || node.type.kind != Kind::text) continue;
      const RowColumn at = q_.row_columns[static_cast<std::size_t>(node.column)];
      for (const JoinUse& join : q_.joins) {
        if (join.table != at.table || join.on.size() != 1 || join.on[0].right_column == at.column) continue;
        const auto& columns = a_.joined->tables().data(at.table).columns;
        const Column &label = *columns[at.column], &id = *columns[join.on[0].right_column];
        const std::string id_name = q_.tables[at.table].source->headings()[join.on[0].right_column];
        const bool there = std::any_of(q_.each.begin(), q_.each.end(),
                                       [&](std::size_t other) { return q_.entry_columns[other].name == id_name; });
        if (there) continue;

        // Labels that several ids have.
        std::vector<std::uint32_t> first(label.dictionary().size(), no_row);
        std::size_t several = 0, labels = 0;
        std::string example;
        for (std::uint32_t row = 0; row < label.rows(); ++row) {
          if (label.is_null(row)) continue;
          std::uint32_t& met = first[label.code(row)];
          if (met == no_row) {
            met = row;
            ++labels;
          } else if (met != seen_twice && id.value(met) != id.value(row)) {
            if (several++ == 0)
              example = quoted(to_text(label.value(row))) + " is " + id_name + " " + to_text(id.value(met)) + " and " +
                        to_text(id.value(row));
            met = seen_twice;
          }
        }
        // Where many have several ids, the label is a class of them and meant so.
        if (several > 0 && 4 * several < labels && names_the_same(*heading_of(node), id_name))
          say("label-not-id", counted(several, "value") + " of " + quoted(q_.entry_columns[key].name) + " " +
                                  (several == 1 ? "belongs" : "belong") + " to more than one " + quoted(id_name) +
                                  " (" + example + "), and " + (several == 1 ? "is" : "are") +
                                  " ranked as one; each = [\"" + id_name + "\"] keeps them apart");
      }
    }
  }

  // How many different values some of the entries' columns have together.
  std::size_t different(const std::vector<std::size_t>& columns, std::vector<std::uint32_t>& of_entry) const {
    KeyList codes;
    for (const std::size_t c : columns) encode(ColumnKey{a_.entries.columns[c].get(), false, {}}, a_.run, codes);
    std::vector<std::uint32_t> first;
    number_rows(std::move(codes), a_.entries.count, a_.run, of_entry, first);
    return first.size();
  }

  // One of several keys that already tells the entries apart.
  void too_many_keys() {
    if (q_.each.size() < 2 || a_.entries.count < 2) return;
    std::vector<std::uint32_t> unused;
    for (const std::size_t key : q_.each) {
      std::vector<std::size_t> alone = q_.within;
      alone.push_back(key);
      if (different(alone, unused) < a_.entries.count) continue;
      std::vector<std::string> others;
      for (const std::size_t other : q_.each)
        if (other != key) others.push_back(quoted(q_.entry_columns[other].name));
      return say("keys-to-spare", quoted(q_.entry_columns[key].name) + " alone tells the entries apart; in rank.each " +
                                      listed(others) + (others.size() == 1 ? " adds" : " add") + " nothing");
    }
  }

  // A few entries in several groups, where the others are in one: a shop that has moved, or a mistake in the data.
  void several_groups() {
    if (q_.within.empty() || a_.outer != nullptr || a_.entries.count < 2) return;
    std::vector<std::uint32_t> of_entry;
    const std::size_t keys = different(q_.each, of_entry);
    if (keys == a_.entries.count) return;

    // Entries that are met again in another group.
    std::vector<std::uint32_t> first(keys, no_row);
    std::vector<std::uint8_t> several(keys, 0);
    std::optional<std::pair<std::uint32_t, std::uint32_t>> example;
    for (std::uint32_t e = 0; e < a_.entries.count; ++e) {
      std::uint32_t& met = first[of_entry[e]];
      if (met == no_row) {
        met = e;
      } else {
        several[of_entry[e]] = 1;
        if (!example) example = {met, e};
      }
    }
    const auto count = static_cast<std::size_t>(std::count(several.begin(), several.end(), 1));
    if (2 * count >= keys) return;  // that is how it is meant
    const auto group = [&](std::uint32_t entry) {
      std::string text;
      for (const std::size_t g : q_.within)
        text += (text.empty() ? "" : ", ") + Names::shown(a_.entries.columns[g]->value(entry));
      return quoted(text);
    };
    say("entry-in-several-groups",
        names_.counted_entries(count) + " of " + with_commas(keys) + (count == 1 ? " is" : " are") +
            " in more than one group (" + names_.entry_name(example->first) + " in " + group(example->first) + " and " +
            group(example->second) + "), each time with the " + plural(names_.row_noun()) + " of that group alone");
  }

  // Listed entries of one name, in a listing that does not have their key.
  void namesakes() {
    const ColumnPtr label = names_.label();
    if (!label || q_.each.size() != 1 || label->lane() != Lane::code) return;
    const bool key_is_listed = std::any_of(q_.list.columns.begin(), q_.list.columns.end(), [&](const ListColumn& c) {
      return c.column >= 0 && static_cast<std::size_t>(c.column) == q_.each.front();
    });
    if (key_is_listed) return;
    std::vector<std::uint32_t> met(label->dictionary().size(), 0);
    std::size_t count = 0;
    std::string example;
    for (const std::uint32_t entry : a_.listed.rows) {
      if (label->is_null(entry) || ++met[label->code(entry)] != 2) continue;
      if (count++ == 0) example = to_text(label->value(entry));
    }
    if (count == 0) return;
    const std::string key = q_.entry_columns[q_.each.front()].name;
    say("namesakes",
        (count == 1 ? "several " + names_.entry_nouns() + " that are listed have the name " + quoted(example)
                    : with_commas(count) + " names, as " + quoted(example) + ", are those of several listed " +
                          names_.entry_nouns()) +
            "; with " + quoted(key) + " in list.columns they can be told apart");
  }

  // The last day of a period with far fewer rows than the others: it may not be over.
  void last_days() {
    if (a_.outer != nullptr) return;
    for (std::size_t p = 0; p < q_.periods.size(); ++p) {
      const auto& days = a_.entries.caught[p].days;
      if (last_unit(p) || days.size() < 8) continue;
      const auto [day, rows] = *days.rbegin();
      const std::size_t others = (a_.entries.caught[p].rows - rows) / (days.size() - 1);
      if (4 * rows >= others) continue;
      say("last-day-incomplete", day_text(day) + ", the last day of " + quoted(q_.periods[p].name) + " with any, has " +
                                     counted(rows, names_.row_noun()) + "; the other days have " + with_commas(others) +
                                     " on average: it may not be complete");
    }
  }

  // A period of weeks or longer units whose last one is not over. Said where a tenth of it or more is missing.
  bool last_unit(std::size_t p) {
    const auto found = std::find_if(a_.ladder().periods.begin(), a_.ladder().periods.end(),
                                    [&](const Period& one) { return one.name == q_.periods[p].name; });
    if (found == a_.ladder().periods.end() || found->last.empty() || found->whole || !found->unit ||
        found->unit == CalendarUnit::day || a_.entries.caught[p].rows == 0)
      return false;
    const auto last = day_of(a_, q_.periods[p].last);
    if (!last) return false;
    const auto unit = found->unit;
    const std::int64_t begin = start_of_unit(*unit, *last, a_.ladder().first_month),
                       end = start_of_unit_after(*unit, *last, a_.ladder().first_month);
    const std::int64_t missing = end - 1 - *last, days = end - begin;
    if (missing * 10 < days) return false;
    say("last-unit-incomplete",
        "the last " + std::string(to_string(*unit)) + " of " + quoted(found->name) + " is not complete: it has " +
            with_commas(static_cast<std::size_t>(days - missing)) + " of " +
            counted(static_cast<std::size_t>(days), "day") + "; `whole = true` takes complete ones only");
    return true;
  }

  // What a sort key that is a total is computed from; null for others.
  const Node* total_of(const SortKey& key) const {
    if (key.node->op != Op::name || key.node->column < 0) return key.node.get();
    const auto at = static_cast<std::size_t>(key.node->column);
    if (at >= q_.entry_columns.size() || q_.entry_columns[at].from != EntryColumn::From::total) return key.node.get();
    return q_.entry_columns[at].node.get();
  }
  const Aggregate* aggregate_of(const Node& node) const {
    if (node.op != Op::name || node.column < 0 || static_cast<std::size_t>(node.column) >= q_.entry_columns.size())
      return nullptr;
    const EntryColumn& column = q_.entry_columns[static_cast<std::size_t>(node.column)];
    return column.from == EntryColumn::From::aggregate ? q_.aggregates[column.index].get() : nullptr;
  }

  void least_first() {
    const SortKey& key = q_.by.front();
    if (key.descending || (!q_.level->best && !q_.level->best_percent)) return;
    const Aggregate* const total = aggregate_of(*total_of(key));
    if (total == nullptr || (total->kind != AggregateKind::sum && total->kind != AggregateKind::count &&
                             total->kind != AggregateKind::count_rows && total->kind != AggregateKind::count_distinct))
      return;
    say("least-first", "the best " + so_many(q_.level->best, q_.level->best_percent) + " are those with the least " +
                           quoted(key.text) + ", because it goes up; desc puts the most first");
  }

  void bent_shares() {
    for (std::size_t a = 0; a < q_.also.size(); ++a) {
      const Measure measure = q_.level->also[a].measure;
      if (measure != Measure::share && measure != Measure::running_share) continue;
      negatives(*a_.entries.columns[static_cast<std::size_t>(q_.also[a].of)], q_.level->also[a].of);
    }
  }
  void negatives(const Column& of, const std::string& name) {
    if (!negative_said_.insert(name).second) return;
    std::size_t count = 0;
    std::uint32_t example = 0;
    for (std::uint32_t e = 0; e < of.rows(); ++e) {
      if (of.is_null(e)) continue;
      const Value value = of.value(e);
      const auto* const exact = std::get_if<Decimal>(&value);
      if (exact != nullptr ? exact->coefficient() >= 0 : std::get<double>(value) >= 0) continue;
      if (count++ == 0) example = e;
    }
    if (count > 0)
      say("negative-in-share", names_.counted_entries(count) + (count == 1 ? " has" : " have") + " a negative " +
                                   quoted(name) + " (" + names_.entry_name(example) + ": " +
                                   to_text(of.value(example)) + "), so the other shares add up to more than the whole");
  }

  // The same of shares that [windows] computes: x / sum(x) over (...).
  void window_shares() {
    for (const EntryColumn& column : q_.entry_columns) {
      if (column.from != EntryColumn::From::windowed || !column.node) continue;
      each_node_below(*column.node, [&](const Node& divide) {
        if (divide.op != Op::divide) return;
        const WindowCall* const whole = sum_in(*divide.args[1]);
        if (whole == nullptr) return;
        const std::string of = signature(*whole->value);
        bool same = false;
        each_node_below(*divide.args[0], [&](const Node& below) {
          const WindowCall* const part = sum_of(below);
          same = same || signature(below) == of || (part != nullptr && signature(*part->value) == of);
        });
        if (!same) return;
        const ColumnPtr values = evaluate_column(*whole->value, ColumnSource(a_.entries.count, a_.entries.columns),
                                                 a_.entries.context, a_.run);
        negatives(*values, whole->value->source());
      });
    }
  }
  // The sum over a window that a name stands for.
  const WindowCall* sum_of(const Node& node) const {
    if (node.op != Op::name || node.column < 0 || static_cast<std::size_t>(node.column) >= q_.entry_columns.size())
      return nullptr;
    const EntryColumn& column = q_.entry_columns[static_cast<std::size_t>(node.column)];
    if (column.from != EntryColumn::From::window) return nullptr;
    const WindowCall& call = *q_.entry_windows[column.index].call;
    return call.function == WindowFunction::sum && call.value ? &call : nullptr;
  }
  const WindowCall* sum_in(const Node& node) const {
    const WindowCall* found = nullptr;
    each_node_below(node, [&](const Node& below) {
      if (const WindowCall* const call = sum_of(below)) found = call;
    });
    return found;
  }

  // Means and quotients that are equal as they were rounded, and differ before.
  void rounded_ties() {
    const Node& total = *total_of(q_.by.front());
    const Column& rounded = *a_.places.by.front();
    if (!rounded.type().exact()) return;
    std::function<bool(std::uint32_t, std::uint32_t)> differ;
    std::vector<ColumnPtr> parts;
    const auto unequal = [](int128 a, int128 b, int128 c, int128 d) {  // a / b and c / d
      int128 left = 0, right = 0;
      return !__builtin_mul_overflow(a, d, &left) && !__builtin_mul_overflow(c, b, &right) && left != right;
    };

    // What was rounded: a mean, or a quotient.
    if (const Aggregate* const mean = aggregate_of(total); mean != nullptr && mean->kind == AggregateKind::average) {
      for (const Entries::Mean& one : a_.entries.means)
        if (one.column == total.column)
          differ = [&one, unequal](std::uint32_t a, std::uint32_t b) {
            return unequal(one.sums[a], one.counts[a], one.sums[b], one.counts[b]);
          };
    } else if (total.op == Op::divide && total.args[0]->type.exact() && total.args[1]->type.exact()) {
      const ColumnSource source(a_.entries.count, a_.entries.columns);
      for (const NodePtr& arg : total.args) parts.push_back(evaluate_column(*arg, source, a_.entries.context, a_.run));
      differ = [&parts, unequal](std::uint32_t a, std::uint32_t b) {
        return unequal(parts[0]->integer(a), parts[1]->integer(a), parts[0]->integer(b), parts[1]->integer(b));
      };
    }
    if (!differ) return;

    // Neighbours that tie, though what was rounded differs: of what is kept, and what it ties with.
    const auto rows = a_.places.order->rows();
    std::size_t count = 0, at = 0, next = 1;
    const auto look_up_to = [&](std::size_t last) {
      for (; next <= last && next < rows.size(); ++next) {
        if (!a_.places.order->ranked(next) || a_.places.order->starts_peers(next) ||
            !differ(rows[next - 1], rows[next]))
          continue;
        if (count++ == 0) at = next;
      }
    };
    if (a_.kept.all) look_up_to(rows.size());
    for (const std::size_t position : a_.kept.positions) {
      next = std::max(next, position);
      look_up_to(position + 1);
    }
    if (count > 0)
      say("rounded-tie", names_.entry_name(rows[at - 1]) + " and " + names_.entry_name(rows[at]) + " share place " +
                             with_commas(a_.places.competition[at]) + " only because " + quoted(q_.by.front().text) +
                             " is rounded to " + counted(static_cast<std::size_t>(rounded.type().scale), "decimal") +
                             (count > 1 ? "; so do " + counted(count - 1, "other") : ""));
  }

  std::set<std::string> negative_said_;
  static constexpr std::uint32_t seen_twice = no_row - 1;
  const LevelAnswer& a_;
  const Question& q_;
  const Names names_;
  std::vector<Remark>& out_;
};

}  // namespace

void add_doubtful(const LevelAnswer& answer, std::vector<Remark>& out) { Doubtful(answer, out).all(); }

}  // namespace lofty::engine
