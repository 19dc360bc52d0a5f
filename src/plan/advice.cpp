#include "plan/advice.hpp"

#include <algorithm>

#include "base/folded.hpp"
#include "plan/step_names.hpp"
#include "question/prose.hpp"
#include "window/shared_sorts.hpp"

namespace lofty::engine {
namespace {

// A window of one relation: its need, and its name.
struct Named {
  WindowNeed need;
  std::string name;
  const WindowCall* call;
};

class Advising {
 public:
  Advising(const Ladder& ladder, const std::vector<Question>& questions, const Cost& cost)
      : ladder_(ladder), questions_(questions), cost_(cost) {}

  std::vector<Advice> all() {
    for (const Question& question : questions_) {
      relation(row_window_items(question),
               [&](std::size_t item) { return last_part(question.row_windows[item].where); });
      relation(entry_window_items(question, false), entry_names(question));
    }
    joins();
    std::stable_sort(out_.begin(), out_.end(), [](const Advice& a, const Advice& b) { return a.saves > b.saves; });
    return std::move(out_);
  }

 private:
  // Seconds of the sort that serves this window, as estimated.
  double sort_price(const std::string& name) const {
    for (const CostStep& step : cost_.steps)
      if (step.step == StepKind::sort && (", " + step.purpose + ", ").find(", " + name + ", ") != std::string::npos)
        return step.estimated;
    return 0;
  }

  template <class Name>
  void relation(const std::vector<WindowItem>& items, const Name& name) {
    std::vector<Named> named;
    std::vector<std::string> signatures, texts;
    const auto number = [&](const WindowKey& key) {
      const std::string one = signature(*key.node);
      const auto found = std::find(signatures.begin(), signatures.end(), one);
      if (found != signatures.end()) return static_cast<std::size_t>(found - signatures.begin());
      signatures.push_back(one);
      texts.push_back(key.text);
      return signatures.size() - 1;
    };

    // The windows that can be computed before any other.
    for (std::size_t i = 0; i < items.size(); ++i) {
      if (items[i].call == nullptr || !items[i].key_needs.empty()) continue;
      WindowNeed need;
      for (const WindowKey& key : items[i].call->partition) need.partition.push_back(number(key));
      for (const WindowKey& key : items[i].call->order)
        need.order.push_back({number(key), key.descending, key.nulls == Nulls::first});
      need.sees_peers_order = items[i].call->sees_peers_order();
      named.push_back({reduced(need), name(i), items[i].call});
    }

    // Does another order of one of them save a sort?
    const auto needs = [&] {
      std::vector<WindowNeed> all;
      for (const Named& one : named) all.push_back(one.need);
      return all;
    };
    const std::size_t now = plan_sorts(needs()).size();
    if (now < 2) return;
    for (std::size_t i = 0; i < named.size(); ++i)
      for (std::size_t k = 0; k < named.size(); ++k)
        if (i != k && (say_nulls(named, needs, i, k, now) || say_further_keys(named, needs, i, k, now, texts))) return;
  }

  // Would the two share a sort if nulls were at the same end in both?
  template <class Needs>
  bool say_nulls(std::vector<Named>& named, const Needs& needs, std::size_t i, std::size_t k, std::size_t now) {
    WindowNeed changed = named[i].need;
    bool nulls = false;
    for (std::size_t n = 0; n < std::min(changed.order.size(), named[k].need.order.size()); ++n) {
      PlannedKey& mine = changed.order[n];
      const PlannedKey& its = named[k].need.order[n];
      if (mine.key == its.key && mine.descending == its.descending && mine.nulls_first != its.nulls_first) {
        mine.nulls_first = its.nulls_first;
        nulls = true;
      }
    }
    if (!nulls || !saves(named, needs, i, changed, now)) return false;
    say("`" + named[i].name + "` and `" + named[k].name +
            "` order by the same keys and differ in where nulls sort: one placement for both saves a sort",
        named[i].name, "nothing where there are no nulls; else nulls sort at the other end");
    return true;
  }

  // Would they if the one had the other's further keys, so that its ties no longer go by the rows' sequence?
  template <class Needs>
  bool say_further_keys(std::vector<Named>& named, const Needs& needs, std::size_t i, std::size_t k, std::size_t now,
                        const std::vector<std::string>& texts) {
    const WindowNeed before = named[i].need;
    if (!before.sees_peers_order || named[k].need.order.size() <= before.order.size() ||
        !std::equal(before.order.begin(), before.order.end(), named[k].need.order.begin()))
      return false;
    WindowNeed changed = before;
    changed.order = named[k].need.order;
    if (!saves(named, needs, i, changed, now)) return false;
    std::vector<std::string> more;
    for (std::size_t n = before.order.size(); n < changed.order.size(); ++n)
      more.push_back(texts[changed.order[n].key] + (changed.order[n].descending ? " desc" : ""));
    say("`" + named[i].name + "` could order by " + listed(more) + " too, as `" + named[k].name +
            "` does: they would share a sort",
        named[i].name,
        "rows that tie on " + texts[before.order.empty() ? 0 : before.order.back().key] + " would go by " +
            listed(more) + ", and no longer as they came in");
    return true;
  }

  template <class Needs>
  static bool saves(std::vector<Named>& named, const Needs& needs, std::size_t i, const WindowNeed& changed,
                    std::size_t now) {
    const WindowNeed before = std::exchange(named[i].need, changed);
    const bool fewer = plan_sorts(needs()).size() < now;
    named[i].need = before;
    return fewer;
  }

  void say(std::string sentence, const std::string& window, std::string changes) {
    out_.push_back({std::move(sentence), sort_price(window), std::move(changes)});
  }

  // A table that nothing names changes nothing: rows stay as they are, and what it would say is said of it alone.
  void joins() {
    const Question& question = questions_.front();
    for (const JoinUse& join : question.joins) {
      if (join.type != JoinType::left || join.many || join.broken) continue;
      bool used = crosses(question.tables[join.table]);
      for (const Question& one : questions_) {
        for (const RowColumn& column : one.row_columns) used = used || column.table == join.table;
        for (const JoinUse& other : one.joins)
          for (const JoinUse::Pair& pair : other.on) used = used || pair.left_table == join.table;
      }
      if (used) continue;
      double saved = 0;
      const std::string& table = question.tables[join.table].source->name();
      for (const CostStep& step : cost_.steps)
        if ((step.step == StepKind::read || step.step == StepKind::join) && step.purpose == table)
          saved += step.estimated;
      out_.push_back(
          {"nothing names a column of " + table + ": without that join its rows need not be read", saved, ""});
    }
  }

  // Does [crossed] mention a column of this table? Its keys may be formulas: a heading inside one is enough.
  bool crosses(const TableUse& use) const {
    for (const std::string& key : ladder_.crossed.each)
      for (const std::string& heading : use.source->headings())
        if (folded(key).find(folded(heading)) != std::string::npos) return true;
    return false;
  }

  const Ladder& ladder_;
  const std::vector<Question>& questions_;
  const Cost& cost_;
  std::vector<Advice> out_;
};

}  // namespace

std::vector<Advice> advice(const Ladder& ladder, const std::vector<Question>& levels, const Cost& cost) {
  return Advising(ladder, levels, cost).all();
}

}  // namespace lofty::engine
