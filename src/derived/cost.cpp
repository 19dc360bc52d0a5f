// Prices are nanoseconds a row on the machine that docs/performance.md names, taken from measured runs; other machines
// are told by Speeds.
#include "derived/cost.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <set>

#include "answer/standings_data.hpp"
#include "lofty/error.hpp"
#include "lofty/standings.hpp"
#include "question/prose.hpp"
#include "question/resolve.hpp"
#include "relation/row_sieve.hpp"
#include "relation/stretch_totals.hpp"
#include "relation/windows.hpp"
#include "table/folded.hpp"
#include "table/parallel.hpp"
#include "table/table_stretches.hpp"

namespace lofty::engine {

namespace {

constexpr double ns = 1e-9;

// What each kind of work takes, a row (or a byte, where it says so).
namespace price {
constexpr double read_byte = 0.95, read_value = 3.0;
constexpr double join_row = 3.5;
constexpr double scan_row = 2.0, node = 1.6, aggregate = 2.5, carried = 6.0;
constexpr double key = 5.0, further_key = 25.0;            // by its own table, rather than an index
constexpr double far_group = 60.0, many_groups = 100'000;  // a state that no cache holds, and from how many on
constexpr double distinct = 9.0, distinct_of_many = 90.0;  // numbers that ascend within their entries, or do not
constexpr double column_value = 9.0;                       // a formula's values as a column
constexpr double sort_row = 9.0, sort_key = 7.0;           // one key, and each further one
constexpr double gather_row = 10.0, scatter_row = 9.0, slide_row = 5.0, range_row = 24.0, pick_row = 6.0;
constexpr double statistic_row = 80.0;  // an order statistic, its sort included
constexpr double entry_key = 15.0, entry_listed = 15.0;
constexpr double remark_row = 12.0, remark_entry = 30.0;  // looking for what is worth saying
constexpr double inside = 0.1;      // of the rows, those that an inner level totals: the level outside lists few
constexpr double step = 30'000.0;   // of any size: threads called, memory taken
constexpr double file = 100'000.0;  // opening one, its headings and types
constexpr double alone = 2.2;       // rows too few for threads, and for their first ones to be forgotten
constexpr double collation = 450'000.0, text = 600.0;  // the first text that is ordered, and each different one
}  // namespace price

double sort_seconds(double rows, std::size_t keys) {
  // A sort grows with the logarithm; its price is that of ten million rows.
  const double growth = std::max(0.5, std::log2(std::max(rows, 2.0)) / 23.25);
  return rows * ns * growth * (price::sort_row + price::sort_key * static_cast<double>(keys > 0 ? keys - 1 : 0));
}

std::size_t nodes_of(const Node& node) {
  std::size_t count = 0;
  each_node_below(node, [&](const Node& at) { count += at.op != Op::name && at.op != Op::literal; });
  return count;
}

// A figure or window value by its own name; a window in a condition or a sort list by the key that holds it.
std::string last_part(const std::string& key) {
  for (const std::string_view named : {"figures.", "windows."})
    if (const std::size_t at = key.rfind(named); at != std::string::npos) return key.substr(at + named.size());
  return key;
}

// What the items of entry_window_items(question, false) are called.
auto entry_names(const Question& question) {
  return [&question](std::size_t item) {
    const EntryColumn& column = question.entry_columns[question.windowed[item]];
    return column.from == EntryColumn::From::window ? last_part(question.entry_windows[column.index].where)
                                                    : column.name;
  };
}

class Steps {
 public:
  Steps(const std::vector<Question>& questions, const Sizes& sizes, const Speeds& speeds, std::uint64_t memory,
        const Times* times)
      : questions_(questions), sizes_(sizes), speeds_(speeds), memory_(memory), times_(times) {}

  Cost all() {
    cost_.rows_known = sizes_.rows.has_value();
    find_kept_share();
    if (kept_share_ < 1)
      cost_.not_kept = questions_.front().tables.front().source->name();
    else
      find_sifted();
    for (std::size_t t = 0; t < questions_.front().tables.size(); ++t) read(t);
    for (level_ = 0; level_ < questions_.size(); ++level_) level(questions_[level_]);
    return std::move(cost_);
  }

 private:
  // After an answer each step has been timed: one that has not stays without a time, which the tests do not accept.
  void add(const StepId& id, std::string purpose, std::string by, std::optional<double> rows, double comparisons,
           double bytes, double seconds) {
    CostStep one{id.kind,
                 std::move(purpose),
                 std::move(by),
                 rows,
                 comparisons,
                 bytes,
                 seconds * (rows && *rows < rows_worth_threads ? price::alone : 1) + price::step * ns,
                 {}};
    if (times_ != nullptr)
      if (const auto found = times_->find(id); found != times_->end()) one.measured = found->second;
    cost_.steps.push_back(std::move(one));
  }
  void add(StepKind kind, std::string purpose, std::string by, std::optional<double> rows, double comparisons,
           double bytes, double seconds) {
    add({kind, level_, 0, WindowStage::rows}, std::move(purpose), std::move(by), rows, comparisons, bytes, seconds);
  }

  // How much of the first table's rows is there at a time, where they are totalled as they are read.
  void find_kept_share() {
    const TableUse& use = questions_.front().tables.front();
    const auto* const source = dynamic_cast<const StretchSource*>(use.source.get());
    if (source == nullptr || !takes_stretches(questions_)) return;
    for (const Question& level : questions_) looks_first_at_.merge(columns_of_overalls(level));
    if (times_ == nullptr && had_better_be_kept(questions_, memory_)) return;
    const bool was_kept = times_ != nullptr && !use.wanted.empty() && use.table.holds(*use.wanted.begin());
    if (was_kept) return;                                                   // it was to be, and something came up
    const double bytes = 2 * static_cast<double>(source->stretch_bytes());  // the next one is read meanwhile
    if (bytes > 0 && sizes_.bytes.front() > bytes) kept_share_ = bytes / sizes_.bytes.front();
    const auto has_constants = [](const Question& level) { return !level.overalls.empty(); };
    cost_.read_twice = kept_share_ < 1 && std::any_of(questions_.begin(), questions_.end(), has_constants);
  }

  // Are rows that do not count left out as they are read? How many these are is only known afterwards.
  void find_sifted() {
    const TableUse& use = questions_.front().tables.front();
    const auto* const source = dynamic_cast<const StretchSource*>(use.source.get());
    if (source == nullptr || source->stretch_bytes() == 0 || !takes_sifted_rows(questions_)) return;
    if (times_ != nullptr) {
      const double read = sizes_.tables.front().value_or(0), kept = static_cast<double>(use.table.rows());
      if (kept >= read) return;
      kept_share_ = kept / read;
    }
    cost_.sifted = use.source->name();
  }

  void read(std::size_t t) {
    const TableUse& use = questions_.front().tables[t];
    std::set<std::size_t> wanted;
    for (const Question& question : questions_)
      wanted.insert(question.tables[t].wanted.begin(), question.tables[t].wanted.end());
    const double rows = sizes_.tables[t].value_or(0), columns = static_cast<double>(wanted.size());
    double seconds = ns * (sizes_.bytes[t] > 0 ? price::file : 0) + sizes_.bytes[t] * ns * price::read_byte +
                     rows * columns * ns * price::read_value * (sizes_.bytes[t] > 0 ? 1 : 0);
    if (t == 0 && cost_.read_twice)
      seconds += ns * (sizes_.bytes[t] * price::read_byte +
                       rows * static_cast<double>(looks_first_at_.size()) * price::read_value);
    // Sealed columns, and as much again while they are being sealed.
    add({StepKind::read, 0, t}, use.source->name(), "", sizes_.tables[t], 0,
        rows * columns * 2.5 * 2 * (t == 0 ? kept_share_ : 1), seconds * speeds_.read);
  }

  double relation() const { return sizes_.rows.value_or(0); }
  double counted() const { return sizes_.counted.value_or(0); }

  // Does a window over entries find them in the order of their places?
  static auto ready_by_places(const Question& question, bool late) {
    return [&question, late](const SortStep& step) {
      return places_come_first(question) && stands_as_places(question, step, entry_window_items(question, late));
    };
  }

  void level(const Question& question) {
    for (std::size_t j = 0; j < question.joins.size(); ++j) join(question, j);
    std::size_t conditions = 0;
    for (const auto* terms : {&question.where_first, &question.where_last})
      for (const NodePtr& term : *terms) conditions += nodes_of(*term);
    const double filter = price::scan_row + price::node * static_cast<double>(conditions);
    const bool listed_by_window = row_windows(question, filter);  // a window's sort is the listing's order too
    rows(question, filter);

    const double entries = sizes_.entries[level_];
    if (!question.entry_windows.empty())
      windows(entry_window_items(question, false), entries, entries, WindowStage::entries, entry_names(question),
              ready_by_places(question, false));
    if (question.places) places(question, entries);
    double listed = question.list_order.empty() ? entries : entries * 2;
    const Level* const kept = question.level;
    if (kept != nullptr && kept->best && question.within.empty() && !question.keep_where)
      listed = std::min(listed, static_cast<double>(*kept->best));  // the others are not looked at
    add(StepKind::list, question.list_text.empty() ? "the listing" : "the listing's order", question.list_text, entries,
        question.list_order.empty() || listed_by_window ? 0 : compared(entries), 0,
        listed * ns * price::entry_listed * speeds_.entries);
    add(StepKind::remark, "what is worth saying", "", sizes_.counted, 0, 0,
        ns * (question.row_level() ? counted() * price::remark_row : entries * price::remark_entry) * speeds_.rows);
  }

  void join(const Question& question, std::size_t number) {
    const JoinUse& join = question.joins[number];
    const TableUse& use = question.tables[join.table];
    std::string by;
    for (const JoinUse::Pair& pair : join.on)
      by += (by.empty() ? "" : ", ") + use.source->headings()[pair.right_column];
    // Inner levels take the partners that the outermost has found.
    const bool found = level_ > 0 && question.joins == questions_.front().joins;
    const double seconds =
        found ? 0 : relation() * ns * price::join_row * static_cast<double>(std::max<std::size_t>(1, join.on.size()));
    add({StepKind::join, level_, number}, use.source->name(), by, sizes_.rows, 0, 4 * relation() * kept_share_,
        seconds * speeds_.join);
  }

  // Whether one of their sorts is the listing's order.
  bool row_windows(const Question& question, double filter) {
    if (question.row_windows.empty()) return false;
    add(StepKind::count, "the rows that windows see", "", sizes_.rows, 0, 8 * relation(),
        relation() * ns * filter * speeds_.rows);
    windows(
        row_window_items(question), counted(), sizes_.counted, WindowStage::rows,
        [&](std::size_t item) { return last_part(question.row_windows[item].where); },
        [](const SortStep&) { return false; });
    const std::vector<SortStep> plan = plan_windows(row_window_items(question));
    return std::any_of(plan.begin(), plan.end(),
                       [&](const SortStep& step) { return stands_as_listed(question, step); });
  }

  void places(const Question& question, double entries) {
    const std::size_t keys =
        question.within.size() + question.by.size() + question.tiebreak.size() + question.each.size();
    std::string by;
    for (const SortKey& key : question.by) by += (by.empty() ? "" : ", ") + key.text + (key.descending ? " desc" : "");
    std::size_t orders = 1;
    for (const AlsoUse& also : question.also) orders += !also.by.empty();
    const double seconds =
        entries * ns * price::entry_key +
        static_cast<double>(orders) *
            (sort_seconds(entries, keys) + entries * ns * price::column_value * static_cast<double>(keys));
    add(StepKind::rank, "places", by, entries, compared(entries) * static_cast<double>(orders), 13 * entries,
        (seconds + text_seconds(question, entries)) * speeds_.entries);
    std::vector<std::string> late;
    for (const WindowUse& use : question.entry_windows)
      if (use.late) late.push_back(last_part(use.where));
    windows(
        entry_window_items(question, true), entries, entries, WindowStage::places,
        [&](std::size_t item) { return late[item]; }, ready_by_places(question, true));
  }

  // Labels among the keys of places are taken to be texts, which are ordered by a language's rules.
  static double text_seconds(const Question& question, double entries) {
    double labels = 0;
    for (const auto* keys : {&question.by, &question.tiebreak})
      for (const SortKey& key : *keys)
        labels += key.node->op == Op::name && key.node->column >= 0 &&
                  static_cast<std::size_t>(key.node->column) < question.entry_columns.size() &&
                  question.entry_columns[static_cast<std::size_t>(key.node->column)].from == EntryColumn::From::carried;
    return labels == 0 ? 0 : ns * (price::collation + labels * entries * price::text);
  }

  static double compared(double rows) { return rows < 2 ? 0 : rows * std::log2(rows); }

  // `ready`: does a step find its rows in order?
  template <class Name, class Ready>
  void windows(const std::vector<WindowItem>& items, double rows, const std::optional<double>& shown, WindowStage stage,
               const Name& name, const Ready& ready) {
    const std::vector<SortStep> plan = plan_windows(items);
    for (std::size_t s = 0; s < plan.size(); ++s) {
      std::vector<std::string> names;
      for (const std::size_t item : plan[s].serves)
        if (std::find(names.begin(), names.end(), name(item)) == names.end()) names.push_back(name(item));

      // What the sort goes by, and what it is for.
      std::string by, purpose;
      const bool refines = plan[s].refines != SortStep::none;
      for (std::size_t k = 0; k < plan[s].texts.size(); ++k) {
        if (k == 0 && refines) by = "in ";
        if (k > 0) by += refines && k == plan[s].refined_keys ? ": " : ", ";
        by += plan[s].texts[k];
      }
      for (const std::string& one : names) purpose += (purpose.empty() ? "" : ", ") + one;
      const bool stands = ready(plan[s]);
      if (stands) {
        purpose += " (in the order of places)";
        by.clear();
      }

      // Its price, and that of each window on it.
      const std::size_t keys = stands ? 0 : plan[s].keys.size();
      const double sorting =
          keys == 0 ? rows * ns * 2
                    : sort_seconds(rows, keys) + rows * ns * price::column_value * static_cast<double>(keys);
      add({StepKind::sort, level_, s, stage}, purpose, by, shown, keys == 0 ? 0 : compared(rows),
          rows * (13 + 8 * static_cast<double>(keys)), sorting * speeds_.sort);
      for (const std::size_t item : plan[s].serves)
        add({StepKind::window, level_, item, stage}, name(item), "", shown, 0, rows * 24,
            rows * ns * window_price(*items[item].call) * speeds_.windows);
    }
  }

  static double window_price(const WindowCall& call) {
    double nanoseconds = price::scatter_row;
    if (call.value) nanoseconds += price::gather_row + price::column_value;
    if (call.range_from) nanoseconds += price::range_row;
    if (call.range_to) nanoseconds += price::range_row;
    switch (call.function) {
      case WindowFunction::percentile_cont:
      case WindowFunction::percentile_disc: nanoseconds += price::statistic_row; break;
      case WindowFunction::lag:
      case WindowFunction::lead:
      case WindowFunction::first_value:
      case WindowFunction::last_value:
      case WindowFunction::nth_value: nanoseconds += price::pick_row; break;
      default: nanoseconds += price::slide_row;
    }
    return nanoseconds;
  }

  // Conditions, figures, groups and totals, in one pass.
  void rows(const Question& question, double filter) {
    double nanoseconds = filter, kept = 4;
    const double passing = relation() > 0 ? sizes_.counted.value_or(relation()) / relation() : 1;
    std::size_t keys = 0;
    std::vector<std::string> names;
    for (const EntryColumn& column : question.entry_columns) {
      if (column.node && column.from != EntryColumn::From::total && column.from != EntryColumn::From::windowed)
        nanoseconds += price::node * static_cast<double>(nodes_of(*column.node));
      switch (column.from) {
        case EntryColumn::From::key: nanoseconds += keys++ == 0 ? price::key : price::further_key; break;
        case EntryColumn::From::carried: nanoseconds += column.determined ? 0 : price::carried; break;
        case EntryColumn::From::row:
          nanoseconds += price::column_value * passing;
          kept += 4;
          break;
        case EntryColumn::From::total: names.push_back(column.name); break;
        default: break;
      }
    }

    // What is added up for each entry; of an inner level only inside what the level outside lists, where rows are kept.
    const double before = nanoseconds;
    for (const auto& aggregate : question.aggregates) {
      nanoseconds += aggregate->kind != AggregateKind::count_distinct ? price::aggregate
                     : keys > 2                                       ? price::distinct_of_many
                                                                      : price::distinct;
      for (const NodePtr* node : {&aggregate->argument, &aggregate->filter})
        if (*node) nanoseconds += price::node * static_cast<double>(nodes_of(**node));
      if (aggregate->kind >= AggregateKind::percentile_cont)
        nanoseconds += price::sort_row + price::sort_key + 2 * price::column_value + price::gather_row;
    }

    // All of it is one step.
    std::string purpose;
    for (const std::string& name : names) purpose += (purpose.empty() ? "" : ", ") + name;
    if (purpose.empty()) purpose = question.row_level() ? "the rows that count" : "entries";
    const double entries = sizes_.entries[level_];
    if (!question.row_level() && entries > price::many_groups)
      nanoseconds += price::far_group * static_cast<double>(1 + question.aggregates.size());
    if (level_ > 0 && kept_share_ == 1) nanoseconds = before + price::inside * (nanoseconds - before);
    add(StepKind::total, purpose, "", sizes_.rows, 0,
        question.row_level() ? kept * entries : entries * 24 * static_cast<double>(1 + question.aggregates.size()),
        relation() * ns * nanoseconds * speeds_.rows);
  }

  const std::vector<Question>& questions_;
  const Sizes& sizes_;
  const Speeds& speeds_;
  const std::uint64_t memory_;
  const Times* const times_;
  std::size_t level_ = 0;
  Cost cost_;
  double kept_share_ = 1;
  std::set<std::size_t> looks_first_at_ = {};  // columns of the first table, where its rows are not kept
};

// ---- advice

// Windows of one relation as needs, with what they are called.
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
  // What a sort of these rows takes, by the plan's own estimate.
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

    // The windows over rows that are there before any sort.
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

// What part of the rows a condition lets through, as a guess from its form: a value in twenty, a third of a range.
double passing(const Node& node) {
  const auto at = [&](std::size_t i) { return passing(*node.args[i]); };
  const auto turned = [&](double part) { return node.negated ? 1 - part : part; };
  switch (node.op) {
    case Op::logical_and: return at(0) * at(1);
    case Op::logical_or: return at(0) + at(1) - at(0) * at(1);
    case Op::logical_not: return 1 - at(0);
    case Op::equal: return 0.05;
    case Op::unequal: return 0.95;
    case Op::in_list: return turned(std::min(0.9, 0.05 * static_cast<double>(node.args.size() - 1)));
    case Op::less:
    case Op::less_equal:
    case Op::greater:
    case Op::greater_equal: return 0.5;
    case Op::between: return turned(0.25);
    case Op::like: return turned(0.1);
    case Op::is_null: return turned(0.02);
    default: return 1;
  }
}

}  // namespace

Sizes sizes_before(const std::vector<Question>& questions) {
  Sizes sizes;
  const Question& first = questions.front();
  for (const TableUse& use : first.tables) {
    const TableSize size = use.source->size();
    sizes.tables.push_back(size.rows);
    sizes.bytes.push_back(size.bytes);
  }

  // Rows, and those that count.
  sizes.rows = sizes.counted = sizes.tables.front();
  double pass = 1;
  for (const auto* terms : {&first.where_first, &first.where_last})
    for (const NodePtr& term : *terms) pass *= passing(*term);
  if (sizes.counted) *sizes.counted *= pass;

  // Entries of each level.
  for (const Question& question : questions) {
    // An entry that has its own table is counted there.
    double entries = question.row_level() ? sizes.counted.value_or(0) : std::sqrt(sizes.counted.value_or(0));
    if (!question.row_level())
      for (const JoinUse& join : question.joins) {
        const auto is_key = [&](const JoinUse::Pair& pair) {
          return std::any_of(question.each.begin(), question.each.end(), [&](std::size_t key) {
            if (key >= question.entry_columns.size()) return false;
            const Node& node = *question.entry_columns[key].node;
            return node.op == Op::name && node.column >= 0 &&
                   question.row_columns[static_cast<std::size_t>(node.column)] ==
                       RowColumn{pair.left_table, pair.left_column};
          });
        };
        if (!join.on.empty() && std::any_of(join.on.begin(), join.on.end(), is_key))
          entries = std::max(entries, sizes.tables[join.table].value_or(0));
      }
    sizes.entries.push_back(std::min(entries, std::max(1.0, sizes.rows.value_or(0))));
  }
  return sizes;
}

Cost cost_steps(const Ladder& ladder, const std::vector<Question>& questions, const Sizes& sizes, const Speeds& speeds,
                std::uint64_t memory, const Times* times) {
  Cost cost = Steps(questions, sizes, speeds, memory, times).all();
  cost.advice = Advising(ladder, questions, cost).all();
  return cost;
}

}  // namespace lofty::engine

namespace lofty {

double Cost::estimated() const {
  double sum = 0;
  for (const CostStep& step : steps) sum += step.estimated;
  return sum;
}

std::optional<double> Cost::measured() const {
  double sum = 0;
  for (const CostStep& step : steps) {
    if (!step.measured) return std::nullopt;
    sum += *step.measured;
  }
  return sum;
}

double Cost::bytes() const {
  double columns = 0, most = 0;
  for (const CostStep& step : steps) {
    if (step.step == StepKind::read)
      columns += step.bytes;
    else
      most = std::max(most, step.bytes);
  }
  return columns + most;
}

std::size_t Cost::sorts() const {
  return static_cast<std::size_t>(std::count_if(steps.begin(), steps.end(), [](const CostStep& step) {
    return step.step == StepKind::sort && !step.by.empty();
  }));
}

namespace engine {

void add_further_questions(const Ladder& ladder, Cost& cost, double compare_seconds, double across_seconds) {
  double once = 0;  // the tables are there already
  for (const CostStep& step : cost.steps)
    if (step.step != StepKind::read) once += step.estimated;
  const auto add = [&](StepKind step, const char* purpose, double times, double measured) {
    CostStep one{step, purpose, "", cost.steps.front().rows, 0, 0, times * once, {}};
    if (cost.steps.front().measured) one.measured = measured;
    cost.steps.push_back(std::move(one));
  };
  if (!ladder.compare.choose.empty())
    add(StepKind::compare, "the same question with other choices", 1, compare_seconds);
  if (!ladder.compare.period.empty())
    add(StepKind::compare, "the same question over the period before", 1, compare_seconds);
  if (!ladder.crossed.empty()) add(StepKind::crossed, "the columns, and the cells", 2, across_seconds);
}

}  // namespace engine

Cost plan(const Ladder& ladder, const Catalog& catalog, const Speeds& speeds, const Run& run) {
  std::vector<Problem> problems;
  const std::vector<engine::Question> questions = engine::resolve_levels(ladder, catalog, false, {}, problems);
  if (!problems.empty()) throw Error(std::move(problems));
  Cost cost = engine::cost_steps(ladder, questions, engine::sizes_before(questions), speeds, run.memory, nullptr);
  engine::add_further_questions(ladder, cost, 0, 0);
  return cost;
}

Cost with_measured(Cost planned, const Cost& measured) {
  if (planned.steps.size() != measured.steps.size()) return measured;  // not of this ladder
  for (std::size_t i = 0; i < planned.steps.size(); ++i) {
    planned.steps[i].measured = measured.steps[i].measured;
    planned.steps[i].rows = measured.steps[i].rows;
    planned.steps[i].comparisons = measured.steps[i].comparisons;
  }
  planned.sifted = measured.sifted;  // the plan did not know
  return planned;
}

const Cost& Standings::cost() const& { return data_->cost; }

std::string speeds_text(const Speeds& speeds) {
  const auto fixed = [](double value) {
    char digits[32];
    return std::string(digits, std::to_chars(digits, digits + sizeof digits, value, std::chars_format::fixed, 6).ptr);
  };
  std::string out = "lofty-ladder speeds 1\n";
  for (const auto& [name, value] :
       {std::pair{"read", speeds.read}, std::pair{"join", speeds.join}, std::pair{"rows", speeds.rows},
        std::pair{"sort", speeds.sort}, std::pair{"windows", speeds.windows}, std::pair{"entries", speeds.entries}})
    out += std::string(name) + " " + fixed(value) + "\n";
  return out;
}

std::optional<Speeds> speeds_from(const std::string& text) {
  Speeds speeds;
  std::size_t at = text.find('\n');
  if (text.substr(0, at) != "lofty-ladder speeds 1") return std::nullopt;
  for (double* value : {&speeds.read, &speeds.join, &speeds.rows, &speeds.sort, &speeds.windows, &speeds.entries}) {
    const std::size_t blank = text.find(' ', at + 1), end = text.find('\n', at + 1);
    if (blank == std::string::npos || end == std::string::npos || blank > end) return std::nullopt;
    if (std::from_chars(text.data() + blank + 1, text.data() + end, *value).ec != std::errc()) return std::nullopt;
    if (!(*value > 0.001 && *value < 1000)) return std::nullopt;
    at = end;
  }
  return speeds;
}

}  // namespace lofty
